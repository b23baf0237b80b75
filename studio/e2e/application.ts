import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Shot, ShotStatus } from '@lantern/store'
import { type Browser, chromium, type Locator, type Page } from 'playwright-core'
import { inject, vi } from 'vitest'

declare module 'vitest' {
  export interface ProvidedContext {
    application: { address: string; data: string; environment: Record<string, string>; supervisor: number }
  }
}

export const application = inject('application')
export const folder = mkdtempSync(join(tmpdir(), 'lantern-files-'))
/** The small plate that the browser tests work on. */
export const [WIDTH, HEIGHT, FRAMES] = [320, 180, 8]

export const openBrowser = (): Promise<Browser> =>
  chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: [
      '--no-sandbox',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
      '--use-gl=angle',
      '--use-angle=swiftshader',
      '--enable-unsafe-swiftshader',
      '--disable-gpu-compositing',
      '--disable-gpu-rasterization',
    ],
  })

/** A page at the size the design is made for; faults of its scripts are gathered in `faults`. */
export async function openPage(browser: Browser, faults: string[]): Promise<Page> {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, acceptDownloads: true })
  page.setDefaultTimeout(30_000)
  page.on('pageerror', (error) => faults.push(error.message))
  page.on('console', (message) => {
    if (message.type() === 'error' && !/Failed to load resource|ERR_/.test(message.text())) faults.push(message.text())
  })
  return page
}

/** A dim, level yard: darker below, flat enough that a fire on it can be judged to the pixel. */
export const makeMovie = (name: string): string =>
  movieOf(
    name,
    `color=black:size=${WIDTH}x${HEIGHT}:rate=25,format=rgb24,geq=r='64-16*Y/${HEIGHT}':g='68-24*Y/${HEIGHT}':b='72-32*Y/${HEIGHT}'`,
    FRAMES,
  )

/** A movie of so many frames of a made picture, as ffmpeg's filters have it; H.264 where no other codec is wanted. */
export function movieOf(
  name: string,
  source: string,
  frames: number,
  codec: readonly string[] = ['-c:v', 'libx264', '-qp', '4', '-pix_fmt', 'yuv420p'],
): string {
  const path = join(folder, name)
  const { status, stderr } = spawnSync('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-f',
    'lavfi',
    '-i',
    source,
    '-frames:v',
    String(frames),
    ...codec,
    path,
  ])
  if (status !== 0) throw new Error(stderr.toString())
  return path
}

/** Drops files on the page, as a hand would. */
export async function drop(page: Page, files: readonly string[]): Promise<void> {
  const given = files.map((path) => ({
    name: path.split('/').pop() ?? '',
    base64: readFileSync(path).toString('base64'),
  }))
  const transfer = await page.evaluateHandle((list) => {
    const made = new DataTransfer()
    for (const { name, base64 } of list)
      made.items.add(new File([Uint8Array.from(atob(base64), (c) => c.charCodeAt(0))], name))
    return made
  }, given)
  await page.getByLabel('New shot').dispatchEvent('drop', { dataTransfer: transfer })
}

export const picture = (page: Page): Locator => page.locator('canvas[data-picture=main]')

/** Waits until the shown frame is laid, then reads a pixel of the picture as it is on the screen: 0 to 255. Shares of width and height. */
export async function pixel(page: Page, x: number, y: number): Promise<[number, number, number]> {
  await page.locator('canvas[data-picture=main][data-laid=yes]').waitFor()
  await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))))
  return picture(page).evaluate(
    (canvas: HTMLCanvasElement, [px, py]) => {
      const copy = document.createElement('canvas')
      copy.width = canvas.width
      copy.height = canvas.height
      const context = copy.getContext('2d')
      context?.drawImage(canvas, 0, 0)
      const [r, g, b] = context?.getImageData(Math.floor(px * canvas.width), Math.floor(py * canvas.height), 1, 1)
        .data ?? [0, 0, 0]
      return [r ?? 0, g ?? 0, b ?? 0]
    },
    [x, y] as [number, number],
  )
}

/** A flame left of the picture's middle: what stands out of the dim yard. Keeps it in the page, and tells of how many parts of colours it is; then by how much the most changed of them did since (0 to 255). */
export async function flameLeft(page: Page, what: 'keep' | 'change'): Promise<number> {
  await page.locator('canvas[data-picture=main][data-laid=yes]').waitFor()
  return picture(page).evaluate((canvas: HTMLCanvasElement, asked) => {
    const copy = document.createElement('canvas')
    copy.width = canvas.width
    copy.height = canvas.height
    const context = copy.getContext('2d')
    context?.drawImage(canvas, 0, 0)
    const [x, y] = [Math.round(0.25 * canvas.width), Math.round(0.2 * canvas.height)]
    const now = context?.getImageData(x, y, Math.round(0.2 * canvas.width), Math.round(0.65 * canvas.height)).data ?? []
    const kept = window as unknown as { before?: readonly number[] }
    if (asked === 'keep') kept.before = [...now]
    const before = kept.before ?? []
    let most = 0
    let parts = 0
    before.forEach((value, n) => {
      if (n % 4 === 3 || (before[n - (n % 4)] ?? 0) <= 150) return
      most = Math.max(most, Math.abs((now[n] ?? 0) - value))
      parts++
    })
    return asked === 'keep' ? parts : most
  }, what)
}

/** Clicks or drags over the picture, in shares of its width and height. */
export async function over(page: Page, from: readonly [number, number], to?: readonly [number, number]): Promise<void> {
  const box = await picture(page).boundingBox()
  if (!box) throw new Error('the picture has no place')
  const at = ([x, y]: readonly [number, number]): [number, number] => [box.x + x * box.width, box.y + y * box.height]
  await page.mouse.move(...at(from))
  await page.mouse.down()
  if (to) await page.mouse.move(...at(to), { steps: 4 })
  await page.mouse.up()
  // Away again: under the pointer the picture's foot tells values instead of where the frame is from.
  await page.mouse.move(1100, 560)
}

/** Types into a number field of the bench. */
export async function type(page: Page, label: string, value: string): Promise<void> {
  const field = page.getByLabel('Bench').getByLabel(label, { exact: true })
  await field.click()
  await field.fill(value)
  await field.press('Enter')
  await saved(page)
}

/** Drops files on the picture at a place in shares of it. */
export async function dropOnPicture(
  page: Page,
  paths: readonly string[],
  at: readonly [number, number],
): Promise<void> {
  const files = paths.map((path) => ({
    name: path.split('/').at(-1) ?? '',
    base64: readFileSync(path).toString('base64'),
  }))
  await picture(page).evaluate(
    (canvas, { files: all, at: [u, v] }) => {
      const transfer = new DataTransfer()
      for (const { name, base64 } of all)
        transfer.items.add(new File([Uint8Array.from(atob(base64), (c) => c.charCodeAt(0))], name))
      const box = canvas.getBoundingClientRect()
      const place = {
        clientX: box.left + u * box.width,
        clientY: box.top + v * box.height,
        bubbles: true,
        cancelable: true,
      }
      canvas.dispatchEvent(new DragEvent('drop', { ...place, dataTransfer: transfer }))
    },
    { files, at },
  )
}

/** Waits until every edit is kept. */
export const saved = (page: Page): Promise<void> => page.locator('main[data-saving=no]').waitFor()

/** What a row of the strip says. */
export const strip = (page: Page, row: string): Promise<string> => page.locator(`[data-row="${row}"] span`).innerText()

export const station = (page: Page, name: string): Promise<void> =>
  page
    .getByRole('navigation', { name: 'Stations' })
    .getByRole('button', { name: new RegExp(`^${name}`) })
    .click()

const send = async <T>(path: string, method: string, body: BodyInit): Promise<T> => {
  const headers = { origin: application.address }
  const response = await fetch(`${application.address}${path}`, { method, body, headers })
  if (!response.ok) throw new Error(`${method} ${path}: ${await response.text()}`)
  return (await response.json()) as T
}

/** A shot of a movie, made through the routes; nothing in it yet. Returns its revision. */
export async function shotOfMovie(name: string, movie: string): Promise<number> {
  const bytes = new Uint8Array(readFileSync(movie))
  const files = [{ name: `${name}.mp4`, bytes: bytes.length }]
  const { asset } = await send<{ asset: string }>('/api/plates', 'POST', JSON.stringify({ files }))
  await send(`/api/plates/${asset}/${encodeURIComponent(`${name}.mp4`)}`, 'PUT', bytes)
  await vi.waitUntil(
    async () =>
      ((await (await fetch(`${application.address}/api/assets/${asset}`)).json()) as { state: string }).state ===
      'ready',
    { timeout: 60_000, interval: 200 },
  )
  return (await send<{ head: number }>('/api/shots', 'POST', JSON.stringify({ name, asset }))).head
}

/** The first frames of the demo's walk at half size. */
export function walkMovie(frames: number): string {
  const path = join(folder, 'walk.mp4')
  const { status, stderr } = spawnSync('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-i',
    'demo/plates/yard-walk.mp4',
    '-frames:v',
    String(frames),
    '-vf',
    'scale=640:360',
    '-c:v',
    'libx264',
    '-crf',
    '12',
    '-pix_fmt',
    'yuv420p',
    path,
  ])
  if (status !== 0) throw new Error(stderr.toString())
  return path
}

/** A shot with a ground, a wall and a fire, made through the routes. Frames are not computed. */
export async function shotByRoutes(name: string): Promise<void> {
  const head = await shotOfMovie(name, makeMovie(`${name}.mp4`))
  const items = {
    ground: { kind: 'ground', name: 'Cobbles', order: 1 },
    wall: { kind: 'box', name: 'Kiln wall', order: 2, position: [0, 0, -6], width: 5, height: 2, depth: 0.4 },
    fire: {
      kind: 'gas',
      name: 'Door fire',
      order: 3,
      position: [0.5, 0, -4],
      diameter: 0.8,
      cell: 110,
      reach: 3,
      runUp: 6,
    },
  }
  await send(
    `/api/shots/${name}`,
    'PATCH',
    JSON.stringify({ base: head, patch: { camera: { kind: 'typed', height: 1.5, tilt: -5 }, items } }),
  )
}

/** What the Match and Plate tests ask of a shot and its page. page: the one open now. */
export function shotTools(name: string, page: () => Page) {
  const get = async <T>(path: string): Promise<T> =>
    (await (await fetch(`${application.address}/api/shots/${encodeURIComponent(name)}${path}`)).json()) as T
  const bench = (): Locator => page().getByLabel('Bench')
  return {
    get,
    bench,
    shot: (): Promise<Shot> => get(''),
    status: (): Promise<ShotStatus> => get('/status'),
    part: (title: string): Locator => bench().getByRole('region', { name: title, exact: true }),
    step: (title: string): Promise<void> =>
      bench()
        .getByRole('navigation', { name: 'Steps of the match' })
        .getByRole('button', { name: new RegExp(title) })
        .click(),
    kept: async (key: string): Promise<Uint8Array> =>
      new Uint8Array(await (await fetch(`${application.address}/api/results/${key}/0`)).arrayBuffer()),
  }
}

/** A shot of the dim yard with a typed camera and some items, open at a station in a browser of its own. */
export async function openYard(
  name: string,
  { camera = { tilt: -8, height: 1.6 }, ...patch }: { camera?: object; light?: object; items: object },
  at: string,
  faults: string[],
): Promise<{ browser: Browser; page: Page }> {
  const base = await shotOfMovie(name, makeMovie(`${name}.mp4`))
  const answer = await fetch(`${application.address}/api/shots/${name}`, {
    method: 'PATCH',
    headers: { origin: application.address },
    body: JSON.stringify({ base, patch: { ...patch, camera: { kind: 'typed', ...camera } } }),
  })
  if (!answer.ok) throw new Error(await answer.text())
  const browser = await openBrowser()
  const page = await openPage(browser, faults)
  await page.goto(`${application.address}/shot/${name}`)
  await picture(page).waitFor()
  await station(page, at)
  return { browser, page }
}
