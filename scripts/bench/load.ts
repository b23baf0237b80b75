import { join } from 'node:path'
import { scratch, started } from './application.ts'
import { type Bench, type Measured, median } from './bench.ts'

const DEMO = '/api/shots/Kiln%20Yard%20030'
const EVENTS = '/api/events?shot=Kiln%20Yard%20030'
const PAGES = 50
const SECONDS = 60
/** Each page asks by itself so often, s: after its own edits and asks. */
const ASKS_EVERY = 4
/** A first look: the studio compiles nothing, but it fills its caches. */
const WARM_MS = 3000

const at = (values: readonly number[], share: number): number =>
  [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(share * values.length))] ?? Number.NaN

/** Reads a page's events until it is ended; tells how long after it was computed each status came. */
async function page(address: string, ended: AbortSignal, came: (ms: number) => void): Promise<void> {
  const response = await fetch(`${address}${EVENTS}`, { signal: ended })
  const reader = response.body?.pipeThrough(new TextDecoderStream()).getReader()
  let text = ''
  let first = true
  while (reader) {
    const { done, value } = await reader.read()
    if (done) return
    text += value
    for (let end = text.indexOf('\n\n'); end >= 0; end = text.indexOf('\n\n')) {
      const version = /^event: status\ndata: .*?"version":(\d+)/.exec(text.slice(0, end))?.[1]
      // The first one may have been computed long before.
      if (version !== undefined && !first) came(Date.now() - Number(version))
      if (version !== undefined) first = false
      text = text.slice(end + 2)
    }
  }
}

/** Many pages on one shot while the farm bakes on all cores: how long a status takes that is asked for, and how long after it was computed one that is sent. */
export const load: Bench = {
  name: 'app/load',
  size: `${PAGES} pages, a bake running`,
  runs: 1,
  threads: [2],
  run: () =>
    scratch(async (data): Promise<Measured> => {
      const application = await started('.', join(data, 'data'))
      const { address } = application
      const wait = (ms: number): Promise<void> => new Promise((wake) => setTimeout(wake, ms))
      try {
        for (;;) {
          const { items } = (await (await fetch(`${address}${DEMO}/status`)).json()) as {
            items: Record<string, { state: string; kept: number[] }>
          }
          if (Object.values(items).some(({ state, kept }) => state === 'running' && kept.length > 0)) break
          await wait(500)
        }
        const ended = new AbortController()
        const [asked, sent]: [number[], number[]] = [[], []]
        const pages = Array.from({ length: PAGES }, () =>
          page(address, ended.signal, (ms) => sent.push(ms)).catch(() => undefined),
        )
        await wait(WARM_MS)
        sent.length = 0
        const until = performance.now() + SECONDS * 1000
        const asking = Array.from({ length: PAGES }, async (_, n) => {
          await wait((n / PAGES) * ASKS_EVERY * 1000)
          while (performance.now() < until) {
            const begun = performance.now()
            await (await fetch(`${address}${DEMO}/status`)).text()
            asked.push(performance.now() - begun)
            await wait(ASKS_EVERY * 1000)
          }
        })
        await Promise.all(asking)
        ended.abort()
        await Promise.all(pages)
        return {
          ms: median(asked),
          figures: {
            p99Ms: at(asked, 0.99),
            asked: asked.length,
            sentMs: median(sent),
            sentP99Ms: at(sent, 0.99),
            sent: sent.length,
          },
        }
      } finally {
        await application.end()
      }
    }),
}
