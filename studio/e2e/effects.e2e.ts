import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import type { GasItem } from '@lantern/core/effects/gas'
import type { ShotDocument, ShotItem } from '@lantern/core/shot'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import {
  application,
  flameLeft,
  folder,
  makeMovie,
  openBrowser,
  openPage,
  over,
  picture,
  saved,
  shotOfMovie,
  shotTools,
  station,
  strip,
  type,
} from './application.ts'

// Gases of every kind, what feeds and pushes them, what moves and follows, and runs shown again: as an artist sets them.
const NAME = 'effects'
let browser: Browser
let page: Page
const faults: string[] = []
const { bench, part, shot, status } = shotTools(NAME, () => page)
const document = async (): Promise<ShotDocument> => (await shot()).document
const called = async (name: string): Promise<[string, ShotItem]> => {
  const found = Object.entries((await document()).items).find(([, item]) => item.name === name)
  if (!found) throw new Error(`nothing is called ${name}`)
  return found
}
const gas = async (name: string): Promise<GasItem> => (await called(name))[1] as GasItem
const add = (what: string): Promise<string[]> => page.getByLabel('Add', { exact: true }).selectOption({ label: what })
const row = (name: string) => page.getByLabel('In the shot').getByRole('option', { name: new RegExp(`^${name}`) })

beforeAll(async () => {
  const head = await shotOfMovie(NAME, makeMovie('effects.mp4'))
  const answer = await fetch(`${application.address}/api/shots/${NAME}`, {
    method: 'PATCH',
    headers: { origin: application.address },
    body: JSON.stringify({
      base: head,
      patch: {
        camera: { kind: 'typed', tilt: -6 },
        light: { illuminance: 60 },
        sit: { fireExposure: -1.5 },
        items: {
          ground: { kind: 'ground', name: 'Ground', order: 1 },
          wall: { kind: 'box', name: 'Wall', order: 2, position: [1.6, 0, -7], width: 3, height: 2.4, depth: 0.4 },
        },
      },
    }),
  })
  if (!answer.ok) throw new Error(await answer.text())
  browser = await openBrowser()
  page = await openPage(browser, faults)
  await page.goto(`${application.address}/shot/${NAME}`)
  await picture(page).waitFor()
  await station(page, 'Effects')
}, 120_000)
afterAll(() => browser.close())

describe('kinds', () => {
  it('one is placed by a click, has its real size, and burns draft over the plate at once', async () => {
    await add('Oil-drum fire')
    await over(page, [0.35, 0.8])
    await bench().getByRole('heading', { name: 'Oil-drum fire' }).waitFor()
    await saved(page)
    expect(await gas('Oil-drum fire')).toMatchObject({ shape: 'disc', diameter: 0.57, heat: 250 })
    await expect.poll(async () => page.locator('[data-source]').innerText(), { timeout: 60_000 }).toContain('draft')
    await expect.poll(async () => part('Speed for size').innerText(), { timeout: 60_000 }).toMatch(/for 1\.99 Hz/)
  }, 120_000)
  it('is shown in the picture while it still burns, not only when that is over', async () => {
    // What the progress said whenever a picture came that is of another gas than the one before the change: its key begins what the picture says it is of.
    await page.evaluate(() => {
      const canvas = window.document.querySelector('[data-picture="main"]')
      const key = (): string => (canvas?.getAttribute('data-of') ?? '').slice(0, 24)
      const before = key()
      const said = ((window as unknown as { said?: string[] }).said = [])
      const look = (): void =>
        void (
          key() !== before &&
          (said as string[]).push(/(draft|finer): \d+ of \d+/.exec(window.document.body.innerText)?.[0] ?? '')
        )
      if (canvas) new MutationObserver(look).observe(canvas, { attributeFilter: ['data-of'] })
    })
    await bench().getByLabel('Heat', { exact: true }).fill('260')
    await bench().getByLabel('Heat', { exact: true }).press('Enter')
    await saved(page)
    const said = (): Promise<string[]> => page.evaluate(() => (window as unknown as { said: string[] }).said)
    await expect.poll(async () => (await said()).length, { timeout: 60_000 }).toBeGreaterThan(0)
    expect((await said())[0]).toMatch(/^(draft|finer): \d/)
    expect((await said())[0]).not.toMatch(/finer: (\d+) of \1$/)
    await page.keyboard.press('Control+z')
    await expect.poll(() => gas('Oil-drum fire')).toMatchObject({ heat: 250 })
  }, 90_000)
  it('one is made larger with all that goes with its size, and one step undoes it', async () => {
    const size = part('Speed for size').getByLabel('Made so large')
    expect(await part('Speed for size').getByRole('button', { name: 'Make it so large' }).isDisabled()).toBe(true)
    await size.fill('2.28')
    await size.press('Enter')
    await part('Speed for size').getByRole('button', { name: 'Make it so large' }).click()
    await saved(page)
    // Four times as large: sixteen times the ground, twice the speeds.
    expect(await gas('Oil-drum fire')).toMatchObject({
      diameter: 2.28,
      heat: 4000,
      stir: 1,
      cell: 128,
      patchSize: 0.8,
      reach: 8,
      rise: 16,
    })
    await expect.poll(() => part('Speed for size').innerText()).toMatch(/for 0\.99 Hz/)
    await page.keyboard.press('Control+z')
    await expect.poll(() => gas('Oil-drum fire')).toMatchObject({ diameter: 0.57, heat: 250, stir: 0.5, cell: 32 })
  }, 60_000)
  it('one along a line is drawn point by point, ended with Enter', async () => {
    await add('Ground fire')
    for (const at of [
      [0.5, 0.78],
      [0.6, 0.82],
      [0.72, 0.8],
    ] as const)
      await over(page, at)
    await page.locator('[data-drawing]').waitFor()
    await page.keyboard.press('Enter')
    await bench().getByRole('heading', { name: 'Ground fire' }).waitFor()
    await saved(page)
    const { line, position } = await gas('Ground fire')
    expect(line).toHaveLength(3)
    expect(line?.[0]).toEqual([0, 0, 0])
    expect(line?.[2]?.[0]).toBeGreaterThan(0.5)
    expect(position[1]).toBe(0)
  }, 60_000)
  it('one on a set piece takes the piece that is clicked, and refuses the sky', async () => {
    await add('Burning wall')
    await over(page, [0.3, 0.03])
    await page.getByText('That is above the horizon').waitFor()
    await over(page, [0.63, 0.42])
    await bench().getByRole('heading', { name: 'Burning wall' }).waitFor()
    await saved(page)
    expect(await gas('Burning wall')).toMatchObject({ shape: 'piece', piece: 'wall', per: 'a square metre' })
    await bench().getByLabel('Pattern', { exact: true }).selectOption('painted')
    await saved(page)
    // What is missing is said beside the gas, and nothing else of the shot stops.
    await bench().getByRole('alert').getByText('none is drawn').waitFor()
    await bench().getByRole('button', { name: 'Draw on the plate' }).click()
    for (const at of [
      [0.58, 0.35],
      [0.7, 0.35],
      [0.7, 0.5],
    ] as const)
      await over(page, at)
    await page.keyboard.press('Enter')
    await saved(page)
    await expect.poll(async () => bench().getByRole('alert').count()).toBe(0)
    expect((await gas('Burning wall')).drawn?.shapes[0]).toHaveLength(3)
  }, 60_000)
  it('a burst brings the signal that lets it loose at the shown frame', async () => {
    await page.keyboard.press('Home')
    for (let n = 0; n < 2; n++) await page.keyboard.press('ArrowRight')
    await add('Dust skirt')
    await over(page, [0.2, 0.85])
    await bench().getByRole('heading', { name: 'Dust skirt' }).waitFor()
    await saved(page)
    const { signals } = await document()
    const [burst] = Object.values(signals)
    expect(burst?.source).toMatchObject({
      kind: 'keys',
      keys: [{ frame: 1003, value: 0 }, { frame: 1004, value: 1 }, { frame: 1007 }, { frame: 1011, value: 0 }],
    })
    await row('Dust skirt, push').waitFor()
    await expect.poll(() => strip(page, 'Dust skirt, let loose')).toBe('0')
    // Only the drum fire is looked at from here on; the others would burn draft beside it all the time.
    for (const name of ['Ground fire', 'Burning wall', 'Dust skirt'])
      await page.getByRole('button', { name: `Hide ${name}`, exact: true }).click()
    await saved(page)
  }, 60_000)
})

describe('what follows and moves', () => {
  it('a number follows a new signal, whose keys are set frame by frame', async () => {
    await row('Oil-drum fire').click()
    await bench().getByRole('button', { name: 'Let Heat follow a signal' }).click()
    await bench().getByLabel('Signal for Heat').selectOption('new')
    await bench()
      .getByRole('button', { name: /^Heat follows Heat/ })
      .waitFor()
    await type(page, 'Heat, times', '300')
    await row('Heat').click()
    await page.keyboard.press('Home')
    await type(page, 'Value here', '0.5')
    await page.keyboard.press('End')
    await type(page, 'Value here', '0.9')
    const [id, signal] = Object.entries((await document()).signals).find(([, one]) => one.name === 'Heat') ?? []
    expect(signal?.source).toMatchObject({
      keys: expect.arrayContaining([
        { frame: 1001, value: 0.5 },
        { frame: 1008, value: 0.9 },
      ]),
    })
    expect((await gas('Oil-drum fire')).follows?.heat).toMatchObject({ signal: id, gain: 300 })
    await row('Oil-drum fire').click()
    await expect.poll(() => bench().getByRole('button', { name: 'Heat follows Heat' }).innerText()).toContain('270 kW')
    await page.keyboard.press('Home')
    await expect.poll(() => bench().getByRole('button', { name: 'Heat follows Heat' }).innerText()).toContain('150 kW')
  }, 90_000)
  it('a signal that is removed lets go of what followed it', async () => {
    await row('Heat').click()
    await bench().getByText('Oil-drum fire: heat').waitFor()
    await bench().getByRole('button', { name: 'Remove', exact: true }).click()
    await saved(page)
    await expect.poll(async () => (await gas('Oil-drum fire')).follows?.heat).toBeUndefined()
    expect(Object.values((await document()).signals).map(({ name }) => name)).not.toContain('Heat')
  }, 60_000)
  it('a source is given keys by being dragged at another frame, and its way is drawn', async () => {
    await row('Oil-drum fire').click()
    await add('Source')
    await over(page, [0.3, 0.9])
    await bench().getByRole('heading', { name: 'Source 1' }).waitFor()
    await saved(page)
    const [id, source] = await called('Source 1')
    expect(source).toMatchObject({ kind: 'source', feeds: (await called('Oil-drum fire'))[0] })
    await page.keyboard.press('Home')
    await part('Motion').getByRole('button', { name: 'Key here' }).click()
    await saved(page)
    await page.keyboard.press('End')
    await over(page, [0.3, 0.9], [0.5, 0.9])
    await saved(page)
    const keys = ((await called('Source 1'))[1] as GasItem).motion?.keys ?? []
    expect(keys.map(({ frame }) => frame)).toEqual([1001, 1008])
    expect((keys[1]?.position[0] ?? 0) - (keys[0]?.position[0] ?? 0)).toBeGreaterThan(0.3)
    await page.locator(`[data-way="${id}"]`).waitFor({ state: 'attached' })
  }, 60_000)
  it('a motion is taken in from a table, and a broken one is refused by its row', async () => {
    const [good, bad] = [join(folder, 'swing.csv'), join(folder, 'bad.csv')]
    writeFileSync(
      good,
      `frame,x,y,z,turn\n${[1, 2, 3, 4].map((n) => `${1000 + n},${n / 5},1.${n},-4,${n * 10}`).join('\n')}\n`,
    )
    writeFileSync(bad, 'frame,x,y,z\n1001,0,0,0\n1002,here,0,0\n')
    await page.getByLabel('Motion file').setInputFiles(bad)
    await page.getByText(/bad\.csv has a row 3 that is no place/).waitFor()
    await page.getByLabel('Motion file').setInputFiles(good)
    await part('Motion').getByText('4 keys, swing.csv').waitFor()
    await saved(page)
    expect(((await called('Source 1'))[1] as GasItem).motion?.keys[2]).toMatchObject({
      frame: 1003,
      position: [0.6, 1.3, -4],
      turn: 30,
    })
  }, 60_000)
  it('a force pushes the gas that it is told to', async () => {
    await add('Force')
    await over(page, [0.4, 0.85])
    await bench().getByRole('heading', { name: 'Force 2' }).waitFor()
    await bench().getByLabel('Does', { exact: true }).selectOption('turbulence')
    await bench().getByLabel('Whirls', { exact: true }).waitFor()
    await bench().getByLabel('On', { exact: true }).selectOption({ label: 'Oil-drum fire' })
    await saved(page)
    expect((await called('Force 2'))[1]).toMatchObject({
      kind: 'force',
      way: 'turbulence',
      on: (await called('Oil-drum fire'))[0],
    })
  }, 60_000)
})

describe('what is kept', () => {
  it('is shown again elsewhere, looped, from the same kept frames', async () => {
    await row('Oil-drum fire').click()
    await type(page, 'Cell', '110')
    await type(page, 'Run-up', '2')
    await part('Motion').waitFor()
    await bench().getByRole('button', { name: 'Keep', exact: true }).click()
    await expect.poll(() => strip(page, 'Oil-drum fire'), { timeout: 120_000 }).toBe('8 of 8')
    const runs = Object.values((await status()).items).length
    await add('A kept run again')
    await over(page, [0.8, 0.85])
    await bench().getByRole('heading', { name: 'Oil-drum fire again' }).waitFor()
    await bench().getByLabel('Looped', { exact: true }).check()
    await type(page, 'Length', '6')
    await type(page, 'Turn', '90')
    await saved(page)
    expect(Object.values((await status()).items)).toHaveLength(runs)
    await expect
      .poll(async () => page.locator('[data-source]').innerText(), { timeout: 90_000 })
      .toContain('kept frames')
  }, 240_000)
  it('stays as it is in the picture, to the pixel, beside another that still burns draft', async () => {
    expect(await flameLeft(page, 'keep')).toBeGreaterThan(90)
    await add('Smouldering')
    // To the right of the other fire, in whose light it would stand otherwise.
    await over(page, [0.93, 0.9])
    await bench().getByRole('heading', { name: 'Smouldering' }).waitFor()
    await saved(page)
    const changes: number[] = []
    const look = async (): Promise<string> => {
      changes.push(await flameLeft(page, 'change'))
      return page.locator('[data-source]').innerText()
    }
    await expect.poll(look, { timeout: 60_000, interval: 50 }).toContain('draft')
    await look()
    expect(Math.max(...changes)).toBeLessThan(2)
    await page.keyboard.press('Delete')
    await saved(page)
  }, 120_000)
  it('gives off sparks: pressed and clicked on the fire, born as fast as its hot gas, and kept from its kept frames', async () => {
    await page.getByRole('button', { name: 'Sparks', exact: true }).click()
    await over(page, [0.35, 0.8])
    await bench().getByRole('heading', { name: 'Sparks' }).waitFor()
    await saved(page)
    const [id, sparks] = await called('Sparks')
    expect(sparks).toMatchObject({ source: 'gas', gas: (await called('Oil-drum fire'))[0] })
    await type(page, 'Rate', '2000')
    await bench().getByRole('button', { name: 'Keep', exact: true }).click()
    await expect.poll(async () => (await status()).items[id]?.kept.length, { timeout: 60_000 }).toBe(8)
    await bench()
      .getByText(/born at [\d.]+ m\/s/)
      .waitFor()
    await bench()
      .getByText(/the fire’s own [\d.]+ m\/s/)
      .waitFor()
    await page.keyboard.press('Delete')
    await saved(page)
  }, 90_000)
  it('follows on the strip: its height, and a signal of its heat that drives the fire’s layer', async () => {
    await row('Oil-drum fire').first().click()
    await expect.poll(() => strip(page, 'Oil-drum fire, height')).toMatch(/\d\.\d\d m/)
    await add('Signal')
    await bench().getByLabel('Comes from').selectOption('figure')
    await expect.poll(() => strip(page, 'Signal'), { timeout: 30_000 }).toMatch(/\d/)
    await station(page, 'Sit')
    await row('Oil-drum fire').first().click()
    await bench().getByRole('button', { name: 'Let Amount follow a signal' }).click()
    await bench().getByLabel('Signal for Amount').selectOption({ label: 'Signal' })
    await type(page, 'Amount, times', '0.004')
    await saved(page)
    const followed = Object.entries((await document()).sit.follows ?? {})
    expect(followed.find(([key]) => /^layers\..+\.amount$/.test(key))?.[1]).toMatchObject({ gain: 0.004 })
    await expect
      .poll(() => bench().getByRole('button', { name: 'Amount follows Signal' }).innerText())
      .toMatch(/0\.\d+ ×|1\.\d+ ×/)
  }, 90_000)
  it('is exposed for by a press: its brightest parts come to a few times white, and undo takes it back', async () => {
    const said = async (): Promise<number> =>
      Number(/stand at ([\d.e+]+) × white/.exec(await bench().innerText())?.[1] ?? Number.NaN)
    await bench().getByRole('button', { name: 'All layers' }).click()
    await expect.poll(said).toBeGreaterThan(5)
    const { fireExposure } = (await document()).sit
    await bench().getByRole('button', { name: 'Exposed for the fire' }).click()
    await saved(page)
    await expect.poll(said).toBeGreaterThan(2)
    expect(await said()).toBeLessThan(5)
    expect((await document()).sit.fireExposure).toBeLessThan(fireExposure)
    expect(await bench().getByRole('button', { name: 'Exposed for the fire' }).getAttribute('aria-pressed')).toBe(
      'true',
    )
    await page.keyboard.press('Control+z')
    await expect.poll(async () => (await document()).sit.fireExposure).toBe(fireExposure)
  }, 60_000)
  it('a loop’s frames alone are kept alone, and the whole is there again afterwards', async () => {
    await station(page, 'Effects')
    await row('Oil-drum fire').first().click()
    await page.keyboard.press('Home')
    await page.keyboard.press('ArrowRight')
    await page.keyboard.press('[')
    await page.keyboard.press('ArrowRight')
    await page.keyboard.press(']')
    await bench().getByRole('button', { name: '1002–1003 alone' }).click()
    await saved(page)
    await expect.poll(() => bench().getByRole('status').first().innerText()).toMatch(/^0 of 2/)
    await bench().getByRole('button', { name: 'All frames again' }).click()
    await saved(page)
    await expect.poll(() => bench().getByRole('status').first().innerText()).toMatch(/^8 of 8/)
  }, 90_000)
  it('a gas larger than memory is refused before it starts, with what would fit', async () => {
    await type(page, 'Cell', '5')
    await type(page, 'Reach', '8')
    await bench()
      .getByRole('button', { name: /^(Keep|Go on)$/ })
      .click()
    await page.getByText(/may come to .* million cells of 5 mm.*A cell of \d+ mm would fit/).waitFor()
    expect(faults).toEqual([])
  }, 60_000)
})
