// Takes docs/screenshots/ anew from the demo, on an application that runs (npm start) and whose demo pictures are kept.  npm run screenshots
import { chromium, type Page } from 'playwright-core'

const address = `http://127.0.0.1:${process.env.LANTERN_PORT ?? 4100}`
const FRAME = '1052'
const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--no-first-run',
    '--disable-background-networking',
    '--use-gl=angle',
    '--use-angle=swiftshader',
    '--enable-unsafe-swiftshader',
    '--disable-gpu-rasterization',
  ],
})
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })

async function laid(): Promise<void> {
  await page.locator('canvas[data-picture=main][data-laid=yes]').waitFor({ timeout: 120_000 })
  await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))))
}
/** Until what fades or slides has come to rest. */
const atRest = (): Promise<unknown> =>
  page.evaluate(() => Promise.allSettled(document.getAnimations().map(({ finished }) => finished)))
async function toFrame(frame: string): Promise<void> {
  await page.keyboard.press('Home')
  for (let n = 1001; n < Number(frame); n++) await page.keyboard.press('ArrowRight')
}
const step = (at: Page, name: string): Promise<void> =>
  at
    .getByRole('navigation', { name: 'Steps of the match' })
    .getByRole('button', { name: new RegExp(name) })
    .click()
const views: Record<string, (page: Page) => Promise<void>> = {
  plate: async (at) => {
    await at.keyboard.press('1')
    await at
      .getByLabel('In the shot')
      .getByRole('option', { name: /^Brazier/ })
      .click()
    await at.locator('[data-row="Exposure drift"]').waitFor()
  },
  match: async (at) => {
    await at.keyboard.press('2')
    await step(at, 'Solve')
    await at.locator('[data-errors]').waitFor()
  },
  'match-hand': async (at) => {
    await step(at, 'Track')
    await at
      .getByLabel('In the shot')
      .getByRole('option', { name: /^Tie plate/ })
      .click()
    await at.locator('[data-inset]').waitFor()
  },
  set: async (at) => {
    await at.keyboard.press('3')
    await at
      .getByLabel('In the shot')
      .getByRole('option', { name: /^Crate, lower/ })
      .click()
  },
  mattes: async (at) => {
    await at.keyboard.press('4')
    await at
      .getByLabel('In the shot')
      .getByRole('option', { name: /^Worker, drawn/ })
      .click()
    await at.getByText('Body', { exact: true }).click()
  },
  'mattes-helped': async (at) => {
    await at.getByLabel('In the shot').locator('[data-item="worker-matte"]').click()
    await at.locator('canvas[data-matte=carried]').waitFor({ timeout: 60_000 })
  },
  effects: async (at) => {
    await at.keyboard.press('5')
    await at.getByLabel('In the shot').locator('[data-item="door-fire"]').click()
    await at.getByLabel('Bench').getByText('Heat', { exact: true }).hover()
  },
  sparks: async (at) => {
    await at.getByLabel('In the shot').locator('[data-item="door-sparks"]').click()
    await at.locator('[data-particles]').waitFor({ timeout: 60_000 })
  },
  breaking: async (at) => {
    for (let n = 0; n < 6; n++) await at.keyboard.press('ArrowRight')
    await at.getByLabel('In the shot').locator('[data-item="arch-breaks"]').click()
    await at.locator('[data-moving]').waitFor({ timeout: 60_000 })
  },
  crater: async (at) => {
    await at.getByLabel('In the shot').locator('[data-item="door-crater"]').click()
    await at.locator('[data-hole]').waitFor({ timeout: 60_000 })
  },
  cards: async (at) => {
    for (let n = 0; n < 6; n++) await at.keyboard.press('ArrowRight')
    await at.getByLabel('In the shot').locator('[data-item="crate-dust"]').click()
    await at.locator('[data-clip-frame]').waitFor({ timeout: 60_000 })
  },
  picture: async (at) => {
    for (let n = 0; n < 12; n++) await at.keyboard.press('ArrowLeft')
    await at.keyboard.press('Escape')
    await at.keyboard.press('7')
  },
  sit: async (at) => {
    await at.keyboard.press('8')
    await at.getByLabel('In the shot').locator('[data-item="layer.thing-crate"]').click()
    await at.locator('[data-line=white]').waitFor({ timeout: 120_000 })
  },
  light: async (at) => {
    await at.keyboard.press('6')
  },
  relight: async (at) => {
    await at.getByLabel('In the shot').locator('[data-item="worker-relit"]').click()
  },
  'hand-off': async (at) => {
    await at.keyboard.press('9')
  },
}

await page.goto(address)
await page.getByText('Kiln Yard 030').waitFor()
// The shots' pictures are backgrounds, which no load event waits for.
await page.evaluate(() =>
  Promise.all(
    [...document.querySelectorAll<HTMLElement>('*')]
      .flatMap((element) => /^url\("(.+)"\)$/.exec(getComputedStyle(element).backgroundImage)?.[1] ?? [])
      .map((url) => {
        const image = new Image()
        image.src = url
        return image.decode()
      }),
  ),
)
await page.screenshot({ path: 'docs/screenshots/shots.png' })
await page.goto(`${address}/shot/Kiln%20Yard%20052`)
await page.locator('canvas[data-picture=main]').waitFor()
await page.keyboard.press('2')
await step(page, 'Line up')
await laid()
await page.screenshot({ path: 'docs/screenshots/match-line-up.png' })
await page.goto(`${address}/shot/Kiln%20Yard%20041`)
await page.locator('canvas[data-picture=main]').waitFor()
await page.keyboard.press('5')
await page.getByLabel('In the shot').locator('[data-item="rain"]').click()
await page.locator('[data-drops]').waitFor()
await laid()
await page.screenshot({ path: 'docs/screenshots/rain.png' })
await page.goto(`${address}/shot/Kiln%20Yard%20030`)
await page.locator('canvas[data-picture=main]').waitFor()
await toFrame(FRAME)
for (const [name, go] of Object.entries(views)) {
  await go(page)
  await laid()
  await atRest()
  await page.mouse.move(640, 610)
  await page.screenshot({ path: `docs/screenshots/${name}.png` })
  console.log(name)
}
await browser.close()
