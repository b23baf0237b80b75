import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { chromium } from 'playwright-core'
import { freePort } from '../free-port.mjs'
import { running } from '../running.mjs'
import { type Bench, type Measured, median } from './bench.ts'

/** So much of what a picture says it is of tells the gas's settings; what follows, how far it has burnt. */
const KEY_ENDS = 24

const DEMO = '/api/shots/Kiln%20Yard%20030'
interface Status {
  asset: { state: string }
  items: Record<string, { state: string }>
  machines: readonly { doing: string | null }[]
}

/** Looks, half a second apart, in a row that find the farm idle. */
const AT_REST = 6

/** Starts what `npm start` starts, in `folder`, and waits for the first page; returns the seconds it took and how to end it. */
export async function started(
  folder: string,
  data: string,
): Promise<{ address: string; seconds: number; end(): Promise<void> }> {
  const [port, databasePort] = [await freePort(), await freePort()]
  const begun = performance.now()
  const child = spawn('npm', ['start'], {
    cwd: folder,
    stdio: 'ignore',
    env: {
      ...process.env,
      LANTERN_DATA: data,
      LANTERN_PORT: String(port),
      LANTERN_DATABASE_PORT: String(databasePort),
      LANTERN_LOG: 'warn',
    },
  })
  const address = `http://127.0.0.1:${port}`
  for (;;) {
    if (child.exitCode !== null) throw new Error(`npm start ended with ${child.exitCode}`)
    const answer = await fetch(address).catch(() => undefined)
    if (answer?.ok) break
    await new Promise((wake) => setTimeout(wake, 50))
  }
  return {
    address,
    seconds: (performance.now() - begun) / 1000,
    async end() {
      child.kill('SIGTERM')
      // npm goes first; what it started puts its work down before it ends.
      while (running(data).length > 0) await new Promise((wake) => setTimeout(wake, 50))
    },
  }
}

export async function scratch<T>(work: (data: string) => Promise<T>): Promise<T> {
  const data = mkdtempSync(join(tmpdir(), 'lantern-bench-'))
  try {
    return await work(data)
  } finally {
    rmSync(data, { recursive: true, force: true })
  }
}

export const secondStart: Bench = {
  name: 'app/start-second',
  size: 'demo kept',
  runs: 3,
  threads: [2],
  run: () =>
    scratch(async (data): Promise<Measured> => {
      await (await started('.', data)).end()
      const again = await started('.', data)
      await again.end()
      return { ms: again.seconds * 1000, figures: {} }
    }),
}

/** From a clone to the first page: packages, kernels, studio and database made on the way. Needs the package registry, so it is run only when named. */
export const freshStart: Bench = {
  name: 'app/start-fresh',
  size: 'a clone',
  runs: 1,
  threads: [2],
  run: () =>
    scratch(async (data): Promise<Measured> => {
      const clone = join(data, 'clone')
      await once(spawn('git', ['clone', '-q', '.', clone], { stdio: 'inherit' }), 'exit')
      const first = await started(clone, join(data, 'data'))
      await first.end()
      return { ms: first.seconds * 1000, figures: {} }
    }),
}

/** Stops what the demo computes, and waits until the farm has been at rest for a while. */
async function quiet(address: string): Promise<void> {
  const demo = `${address}${DEMO}`
  const seen = async (so: (status: Status) => boolean, times = 1): Promise<Status> => {
    for (let held = 0; ; await new Promise((wake) => setTimeout(wake, 500))) {
      const status = (await (await fetch(`${demo}/status`)).json()) as Status
      held = so(status) ? held + 1 : 0
      if (held === times) return status
    }
  }
  const { items } = await seen(
    ({ asset, items: all }) => asset.state === 'ready' && Object.values(all).every(({ state }) => state !== 'missing'),
  )
  const asks = [
    ...Object.keys(items).map((item) => ({ what: 'stop-bake', item })),
    { what: 'stop-picture', quality: 'look' },
  ]
  for (const ask of asks)
    await fetch(`${demo}/ask`, { method: 'POST', headers: { origin: address }, body: JSON.stringify(ask) })
  await seen(({ machines }) => machines.every(({ doing }) => doing === null), AT_REST)
}

/** Does something with the demo's shot, by its address, while nothing computes. */
export const demoAtRest = (work: (shot: string) => Promise<Measured>): Promise<Measured> =>
  scratch(async (data) => {
    const application = await started('.', data)
    try {
      await quiet(application.address)
      return await work(`${application.address}${DEMO}`)
    } finally {
      await application.end()
    }
  })

/** In the browser, on the demo plate without a kept fire: from the click that places a fire to its first picture, and again after a changed setting. */
export const draftFire: Bench = {
  name: 'app/draft-fire-click',
  size: '1280x720 plate',
  runs: 1,
  threads: [2],
  run: () =>
    scratch(async (data): Promise<Measured> => {
      const application = await started('.', data)
      const browser = await chromium.launch({
        executablePath: '/usr/bin/chromium',
        args: [
          '--no-sandbox',
          '--no-first-run',
          '--disable-background-networking',
          '--use-gl=angle',
          '--use-angle=swiftshader',
          '--enable-unsafe-swiftshader',
        ],
      })
      try {
        const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
        await page.goto(`${application.address}/shot/Kiln%20Yard%20041`)
        await quiet(application.address)
        await page.locator('canvas[data-picture=main][data-laid=yes]').waitFor({ timeout: 120_000 })
        await page.keyboard.press('5')
        const again: number[] = []
        const picture = page.locator('canvas[data-picture=main]')
        await page.getByRole('button', { name: 'Fire', exact: true }).click()
        const box = await picture.boundingBox()
        const shown = async (): Promise<void> => {
          await page.locator('[data-source]', { hasText: 'draft, burning here' }).waitFor()
          await page.locator('canvas[data-picture=main][data-laid=yes]').waitFor()
        }
        const begun = performance.now()
        await page.mouse.click((box?.x ?? 0) + (box?.width ?? 0) * 0.45, (box?.y ?? 0) + (box?.height ?? 0) * 0.85)
        await page.mouse.move(1100, 560)
        await shown()
        const first = performance.now() - begun
        for (const heat of ['300', '500', '700']) {
          const field = page.getByLabel('Bench').getByLabel('Heat', { exact: true })
          await field.click()
          await field.fill(heat)
          const before = (await picture.getAttribute('data-of'))?.slice(0, KEY_ENDS)
          const changed = performance.now()
          await field.press('Enter')
          // The first picture of the burn that the change has lit.
          await page.waitForFunction(
            ([old, end]) =>
              ![old, '', undefined].includes(
                document.querySelector('canvas[data-picture=main]')?.getAttribute('data-of')?.slice(0, end),
              ),
            [before, KEY_ENDS] as const,
          )
          again.push(performance.now() - changed)
        }
        return { ms: first, figures: { againMs: median(again) } }
      } finally {
        await browser.close()
        await application.end()
      }
    }),
}
