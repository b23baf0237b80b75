import type { Shot } from '@lantern/store'
import type { Browser, Locator, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import {
  application,
  openBrowser,
  openPage,
  picture,
  pixel,
  saved,
  shotByRoutes,
  station,
  type,
} from './application.ts'

// The parts of the screen one by one: bench, roster, depth rail, strip, comparing, two people at once.
const NAME = 'parts'
let browser: Browser
let page: Page
const faults: string[] = []
const shot = async (): Promise<Shot> => (await (await fetch(`${application.address}/api/shots/${NAME}`)).json()) as Shot
const item = async (id: string): Promise<Record<string, unknown>> =>
  ((await shot()).document.items[id] ?? {}) as Record<string, unknown>
const field = (label: string): Locator => page.getByLabel('Bench').getByLabel(label, { exact: true })
const row = (name: string): Locator => page.getByRole('option', { name: new RegExp(`^${name}`) })
const choose = async (at: string, name: string): Promise<void> => {
  await station(page, at)
  await row(name).click()
}

beforeAll(async () => {
  await shotByRoutes(NAME)
  browser = await openBrowser()
  page = await openPage(browser, faults)
  await page.goto(`${application.address}/shot/${NAME}`)
  await picture(page).waitFor()
})
afterAll(() => browser.close())

describe('a number in the bench', () => {
  it('scrubs when dragged: shown at once, kept once at the end', async () => {
    await choose('Effects', 'Door fire')
    const { head } = await shot()
    // In the middle of the bench, where no hint that grows below covers it; then until the bench has come to rest.
    await field('Heat').evaluate((element) => element.scrollIntoView({ block: 'center' }))
    await field('Heat').hover({ position: { x: 40, y: 8 } })
    const box = await field('Heat').boundingBox()
    const [x, y] = [(box?.x ?? 0) + 40, (box?.y ?? 0) + 8]
    await page.mouse.move(x, y)
    await page.mouse.down()
    await page.mouse.move(x + 30, y, { steps: 6 })
    await expect.poll(() => field('Heat').inputValue()).toBe('600 kW')
    expect((await shot()).head).toBe(head)
    await page.mouse.up()
    await saved(page)
    expect(await item('fire')).toMatchObject({ heat: 600 })
    expect((await shot()).head).toBe(head + 1)
  })
  it('takes arithmetic and units, steps with the arrows, and goes back to its default on a double click', async () => {
    await type(page, 'Diameter', '120cm/2')
    expect(await item('fire')).toMatchObject({ diameter: 0.6 })
    await field('Diameter').focus()
    await page.keyboard.press('ArrowUp')
    await page.keyboard.press('Shift+ArrowUp')
    await page.keyboard.press('Escape')
    await saved(page)
    expect(await item('fire')).toMatchObject({ diameter: 1.15 })
    await field('Diameter').dblclick()
    await saved(page)
    expect(await item('fire')).toMatchObject({ diameter: 1.2 })
  })
  it('marks what makes no sense, and keeps what was', async () => {
    await field('Heat').click()
    await field('Heat').fill('very hot')
    expect(await field('Heat').getAttribute('aria-invalid')).toBe('true')
    await field('Heat').press('Enter')
    expect(await field('Heat').inputValue()).toBe('600 kW')
  })
  it('takes nothing of what was typed when it is left by Escape', async () => {
    const { head } = await shot()
    await field('Heat').click()
    await field('Heat').fill('123')
    await field('Heat').press('Escape')
    expect(await field('Heat').inputValue()).toBe('600 kW')
    expect((await shot()).head).toBe(head)
  })
  it('holds to its limits', async () => {
    await type(page, 'Diameter', '-3')
    expect(await item('fire')).toMatchObject({ diameter: 0.02 })
    await type(page, 'Diameter', '0.8')
  })
  it('says in one line what it does and what it changes', async () => {
    await page.getByLabel('Bench').getByText('Soot', { exact: true }).hover()
    await page
      .getByRole('note', { name: 'What it does' })
      .getByText(/more is darker and more orange.*Changes the gas/)
      .waitFor()
  })
})

describe('the roster', () => {
  it('finds, shows of the station or everything', async () => {
    await page.keyboard.press('Escape')
    await station(page, 'Set')
    expect(await page.getByLabel('In the shot').getByRole('option').count()).toBe(2)
    await page.getByRole('button', { name: 'Everything' }).click()
    expect(await page.getByLabel('In the shot').getByRole('option').count()).toBe(6)
    await page.getByLabel('Find in the roster').fill('kiln')
    expect(await page.getByLabel('In the shot').getByRole('option').allInnerTexts()).toEqual([
      expect.stringContaining('Kiln wall'),
    ])
    await page.getByLabel('Find in the roster').fill('zzz')
    await page.getByText('Nothing stands in the set yet').or(page.getByText('Nothing of that name')).waitFor()
    await page.getByLabel('Find in the roster').fill('')
    await page.getByRole('button', { name: 'Of this station' }).click()
  })
  it('hides and shows, by the eye and by H', async () => {
    await choose('Set', 'Kiln wall')
    await page.getByRole('button', { name: 'Hide Kiln wall' }).click()
    await saved(page)
    expect(await item('wall')).toMatchObject({ shown: false })
    await page.keyboard.press('h')
    await saved(page)
    expect(await item('wall')).toMatchObject({ shown: true })
  })
  it('locks: nothing of a locked thing can be changed until it is unlocked', async () => {
    await page.getByRole('button', { name: 'Lock Kiln wall' }).click()
    await saved(page)
    expect(await field('Width').isDisabled()).toBe(true)
    await page.keyboard.press('Delete')
    expect(await item('wall')).toMatchObject({ locked: true })
    await page.getByRole('button', { name: 'Unlock Kiln wall' }).click()
    await saved(page)
    expect(await field('Width').isDisabled()).toBe(false)
  })
  it('renames, copies and removes, and gives back what was removed', async () => {
    const name = page.getByLabel('Bench').getByLabel('Name', { exact: true })
    await name.fill('Arch')
    await name.press('Enter')
    await saved(page)
    expect(await item('wall')).toMatchObject({ name: 'Arch' })
    await page.getByRole('button', { name: 'Duplicate' }).click()
    await saved(page)
    await row('Arch copy').click()
    await page.keyboard.press('Delete')
    await saved(page)
    expect(await row('Arch copy').count()).toBe(0)
    await page.keyboard.press('Control+z')
    await row('Arch copy').waitFor()
    await row('Arch copy').click()
    await page.getByRole('button', { name: 'Remove' }).click()
    await saved(page)
    expect(
      Object.values((await shot()).document.items)
        .map((one) => one.name)
        .sort(),
    ).toEqual(['Arch', 'Cobbles', 'Door fire'])
  })
})

describe('the depth rail', () => {
  it('moves a thing away from the camera along the view', async () => {
    await choose('Set', 'Arch')
    const before = (await item('wall')).position as number[]
    const bar = page.getByLabel('Depth rail').locator('rect').filter({ hasText: 'Arch' })
    const box = await bar.boundingBox()
    const [x, y] = [(box?.x ?? 0) + 2, (box?.y ?? 0) + (box?.height ?? 0) / 2]
    await page.mouse.move(x, y)
    await page.mouse.down()
    await page.mouse.move(x, y - 40, { steps: 5 })
    await page.mouse.up()
    await saved(page)
    const after = (await item('wall')).position as number[]
    expect(after[2]).toBeLessThan((before[2] ?? 0) - 1)
    expect(after[0]).toBeCloseTo(before[0] ?? 9, 1)
    expect(after[1]).toBe(before[1])
    await page.keyboard.press('Control+z')
    await expect.poll(async () => (await item('wall')).position).toEqual(before)
  })
})

describe('the strip', () => {
  const strip = (): Locator => page.getByRole('slider', { name: 'Frame', exact: true })
  const frame = (): Promise<string> => page.locator('[data-frame]').innerText()
  it('scrubs where it is dragged', async () => {
    const box = await strip().boundingBox()
    if (!box) throw new Error('the strip has no place')
    await page.mouse.move(box.x + 14, box.y + 10)
    await page.mouse.down()
    expect(await frame()).toBe('1001')
    await page.mouse.move(box.x + box.width - 28, box.y + 10, { steps: 5 })
    expect(await frame()).toBe('1008')
    await page.mouse.up()
    expect(await strip().getAttribute('aria-valuenow')).toBe('1008')
  })
  it('plays inside its loop, set by the brackets, both ways', async () => {
    await page.keyboard.press('Home')
    await page.keyboard.press('ArrowRight')
    await page.keyboard.press('ArrowRight')
    await page.keyboard.press('[')
    await page.keyboard.press('ArrowRight')
    await page.keyboard.press('ArrowRight')
    await page.keyboard.press(']')
    await page.getByRole('button', { name: '1003–1005' }).waitFor()
    for (const key of ['l', 'j']) {
      const seen = new Set<string>()
      await page.keyboard.press(key)
      await expect.poll(async () => seen.add(await frame()).size, { timeout: 40_000, interval: 10 }).toBe(3)
      await page.keyboard.press('k')
      expect([...seen].sort()).toEqual(['1003', '1004', '1005'])
    }
    await page.getByRole('button', { name: '1003–1005' }).click()
    await page.keyboard.press('End')
    expect(await frame()).toBe('1008')
  })
})

describe('comparing', () => {
  it('shows the difference to the bare plate: black where nothing was added', async () => {
    await page.locator('[data-source]', { hasText: 'draft, burning here' }).waitFor()
    await page.keyboard.press('d')
    expect(await pixel(page, 0.03, 0.05)).toEqual([0, 0, 0])
    await expect.poll(async () => Math.max(...(await pixel(page, 0.56, 0.72))), { timeout: 30_000 }).toBeGreaterThan(20)
    await page.keyboard.press('d')
  })
  it('wipes where the hand drags it', async () => {
    await page.keyboard.press('b')
    const slider = page.getByRole('slider', { name: 'Wipe' })
    const box = await slider.boundingBox()
    const [x, y] = [(box?.x ?? 0) + 5, (box?.y ?? 0) + 100]
    await page.mouse.move(x, y)
    await page.mouse.down()
    await page.mouse.move(x - 150, y, { steps: 5 })
    await page.mouse.up()
    expect(Number(await slider.getAttribute('aria-valuenow'))).toBeLessThan(45)
    await page.keyboard.press('b')
    expect(await slider.count()).toBe(0)
  })
  it('tells light, stops, distance and surface under the pointer', async () => {
    const box = await picture(page).boundingBox()
    await page.mouse.move((box?.x ?? 0) + 100, (box?.y ?? 0) + 330)
    await page.mouse.move((box?.x ?? 0) + 102, (box?.y ?? 0) + 332)
    await page.getByText(/m, Cobbles/).waitFor()
    await page.getByText(/^[+-]\d\.\d stops$/).waitFor()
    await page.getByText(/^0\.\d{3} 0\.\d{3} 0\.\d{3}$/).waitFor()
  })
  it('exposes the view alone: the shot stays as it is', async () => {
    const { head } = await shot()
    const before = await pixel(page, 0.03, 0.05)
    await page.getByLabel('View exposure').click()
    await page.getByLabel('View exposure').fill('1')
    await page.getByLabel('View exposure').press('Enter')
    await expect.poll(async () => (await pixel(page, 0.03, 0.05))[0]).toBeGreaterThan((before[0] ?? 0) + 15)
    await page.getByLabel('View exposure').dblclick()
    await expect.poll(async () => (await pixel(page, 0.03, 0.05))[0]).toBe(before[0])
    expect((await shot()).head).toBe(head)
  })
})

describe('two people at one shot', () => {
  it('see each other’s changes as they are made', async () => {
    const other = await openPage(browser, faults)
    await other.goto(`${application.address}/shot/${NAME}`)
    await station(other, 'Sit')
    await type(other, 'Fire exposure', '-2.5')
    await station(page, 'Sit')
    await expect.poll(() => field('Fire exposure').inputValue()).toBe('-2.5 st')
    await page.keyboard.press('Control+z')
    await expect
      .poll(() => other.getByLabel('Bench').getByLabel('Fire exposure', { exact: true }).inputValue())
      .toBe('0.0 st')
    await other.close()
  })
  it('are told of a clash, by what changed, and shown what is there now', async () => {
    // The other's change comes between this page's reading and its own edit: the page is cut off from news meanwhile.
    await page.route(`**/api/shots/${NAME}`, async (route) => {
      if (route.request().method() !== 'PATCH') return route.continue()
      const { head } = await shot()
      await fetch(`${application.address}/api/shots/${NAME}`, {
        method: 'PATCH',
        headers: { origin: application.address },
        body: JSON.stringify({ base: head, patch: { sit: { grainAmount: 0.4 } } }),
      })
      await route.continue()
    })
    await field('Fire exposure').click()
    await field('Fire exposure').fill('-7')
    await field('Fire exposure').press('Enter')
    await page.getByRole('alert').filter({ hasText: 'changed elsewhere meanwhile: sit.grainAmount' }).waitFor()
    await page.unroute(`**/api/shots/${NAME}`)
    await expect
      .poll(() => page.getByLabel('Bench').getByRole('textbox', { name: 'Grain' }).inputValue())
      .toBe('0.40 ×')
    expect(await field('Fire exposure').inputValue()).toBe('0.0 st')
    expect((await shot()).document.sit).toMatchObject({ fireExposure: 0, grainAmount: 0.4 })
    await type(page, 'Fire exposure', '-7')
    expect((await shot()).document.sit).toMatchObject({ fireExposure: -7 })
  })
  it('keep each their own place: station, frame and view are remembered in the browser', async () => {
    await page.keyboard.press('Home')
    await page.keyboard.press('ArrowRight')
    await station(page, 'Light')
    await page.reload()
    await picture(page).waitFor()
    expect(await page.locator('[data-frame]').innerText()).toBe('1002')
    expect(await page.locator('nav [aria-current=step]').getAttribute('aria-label')).toMatch(/^Light/)
  })
})

it('has shown no fault on the way', () => {
  expect(faults.filter((text) => !/409/.test(text))).toEqual([])
})
