import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { application, folder, openYard, over, pixel, saved, shotTools, type } from './application.ts'

// Rain that falls at once, sparks that are kept and meet the ground, snow that settles.
const NAME = 'particles'
let browser: Browser
let page: Page
const faults: string[] = []
const { bench, shot } = shotTools(NAME, () => page)
const kept = () =>
  bench()
    .getByText(/^8 of 8/)
    .waitFor({ timeout: 60_000 })
/** Mean light of some places of the picture. */
async function light(): Promise<number> {
  let sum = 0
  for (let n = 0; n < 24; n++) {
    const [r, g, b] = await pixel(page, 0.1 + 0.033 * n, 0.2 + 0.02 * (n % 7))
    sum += r + g + b
  }
  return sum / 72
}

beforeAll(async () => {
  ;({ browser, page } = await openYard(
    NAME,
    { items: { ground: { kind: 'ground', name: 'Ground', order: 1 } } },
    'Effects',
    faults,
  ))
}, 120_000)
afterAll(() => browser.close())

describe('particles', () => {
  it('rain falls on the first frame already, and says how many drops are seen', async () => {
    await expect.poll(light).toBeGreaterThan(0)
    const before = await light()
    await page.getByRole('button', { name: 'Rain', exact: true }).click()
    await over(page, [0.5, 0.8])
    await bench()
      .getByText(/about [\d,]+ drops seen, \d+ a cubic metre/)
      .waitFor()
    await type(page, 'Brightness', '200')
    await expect.poll(light, { timeout: 30_000 }).toBeGreaterThan(before + 5)
    await bench().getByLabel('Is').selectOption('snow')
    await bench()
      .getByText(/flakes seen/)
      .waitFor()
    await bench().getByRole('button', { name: 'Remove', exact: true }).click()
    await saved(page)
    expect(Object.values((await shot()).document.items)).toHaveLength(1)
    await expect.poll(light, { timeout: 30_000 }).toBeLessThan(before + 3)
  })
  it('sparks are kept, and meet the ground', async () => {
    await page.getByRole('button', { name: 'Sparks', exact: true }).click()
    await over(page, [0.5, 0.75])
    await bench().getByRole('heading', { name: 'Sparks' }).waitFor()
    await type(page, 'Speed', '0.5')
    await type(page, 'Rate', '4000')
    await saved(page)
    await bench().getByRole('button', { name: 'Keep', exact: true }).click()
    await kept()
    await page.keyboard.press('End')
    await bench()
      .getByText(/[1-9]\d* here, .* met the set/)
      .waitFor()
    await page.getByText(/kept frames, rendered here|looks/).waitFor({ timeout: 30_000 })
    expect(await page.locator('[data-row="Sparks"] span').innerText()).toBe('8 of 8')
    expect(faults).toEqual([])
  })
  it('a kept run goes out as a table, comes in again as it was, and is shown again elsewhere; a broken table is refused by its row', async () => {
    const wanted = await bench().locator('[data-particles]').getAttribute('data-particles')
    const link = bench().getByRole('link', { name: 'CSV' })
    const table = await (await fetch(`${application.address}${await link.getAttribute('href')}`)).text()
    expect(table.split('\n')[0]).toBe('frame,id,x,y,z,vx,vy,vz,size,age,temperature,spin,state')
    const [good, bad] = [join(folder, 'mine.csv'), join(folder, 'bad.csv')]
    writeFileSync(good, table)
    writeFileSync(bad, 'frame,x,y,z\n1001,0,0,0\n1002,0,NaN,0\n')
    await page.getByLabel('Particle files').setInputFiles(bad)
    await page.getByText(/bad\.csv has a row 3 that is no particle/).waitFor()
    await page
      .getByLabel('In the shot')
      .getByRole('option', { name: /^Sparks/ })
      .click()
    await page.getByLabel('Add', { exact: true }).selectOption({ label: 'A kept run again' })
    await over(page, [0.3, 0.8])
    await bench().getByRole('heading', { name: 'Sparks again' }).waitFor()
    await saved(page)
    const again = Object.values((await shot()).document.items).find(({ kind }) => kind === 'reuse')
    expect(again).toMatchObject({
      of: Object.entries((await shot()).document.items).find(([, { name }]) => name === 'Sparks')?.[0],
    })
    await page.getByLabel('Particle files').setInputFiles(good)
    await bench().getByRole('heading', { name: 'mine' }).waitFor()
    await saved(page)
    await bench().getByRole('button', { name: 'Keep', exact: true }).click()
    await kept()
    await expect.poll(() => bench().locator('[data-particles]').getAttribute('data-particles')).toBe(wanted)
    expect(faults).toEqual([])
  })
  it('snow settles: flakes from above stay where they land', async () => {
    await page.getByLabel('Add', { exact: true }).selectOption('preset-settling-snow')
    await over(page, [0.5, 0.8])
    await bench().getByRole('heading', { name: 'Snow that settles' }).waitFor()
    await bench().getByRole('button', { name: 'Keep', exact: true }).click()
    await kept()
    await bench()
      .getByText(/here, .* m high, \d+ met the set/)
      .waitFor()
    const number = await bench().locator('[data-particles]').getAttribute('data-particles')
    expect(Number(number)).toBeGreaterThan(500)
    expect(faults).toEqual([])
  })
})
