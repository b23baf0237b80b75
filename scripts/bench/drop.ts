import { spawnSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { scratch, started } from './application.ts'
import type { Bench, Measured } from './bench.ts'

const FRAMES = 240
const DEMO = '/api/shots/Kiln%20Yard%20030'
const LOOK_MS = 50

/** A movie dropped on the page of a fresh start, while the farm bakes the demo: seconds to its first frame, and until it can be used. */
export const movieDropped: Bench = {
  name: 'app/movie-dropped',
  size: `${FRAMES} frames 1280x720, demo baking`,
  runs: 1,
  threads: [2],
  run: () =>
    scratch(async (data): Promise<Measured> => {
      const movie = join(data, 'dropped.mp4')
      const source = `testsrc2=size=1280x720:rate=24`
      const shape = ['-frames:v', String(FRAMES), '-pix_fmt', 'yuv420p']
      spawnSync('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', '-i', source, ...shape, movie])
      const application = await started('.', join(data, 'data'))
      const look = async <T>(path: string): Promise<T> =>
        (await (await fetch(`${application.address}${path}`)).json()) as T
      const until = async (so: () => Promise<boolean>): Promise<void> => {
        while (!(await so())) await new Promise((wake) => setTimeout(wake, LOOK_MS))
      }
      try {
        await until(async () => {
          const { items } = await look<{ items: Record<string, { state: string; kept: number[] }> }>(`${DEMO}/status`)
          return Object.values(items).some(({ state, kept }) => state === 'running' && kept.length > 0)
        })
        const begun = performance.now()
        const send = (path: string, method: string, body: BodyInit): Promise<Response> =>
          fetch(`${application.address}${path}`, { method, body, headers: { origin: application.address } })
        const bytes = new Uint8Array(readFileSync(movie))
        const announced = JSON.stringify({ files: [{ name: 'dropped.mp4', bytes: bytes.length }], makes: 'dropped' })
        const { asset } = (await (await send('/api/plates', 'POST', announced)).json()) as { asset: string }
        await send(`/api/plates/${asset}/dropped.mp4`, 'PUT', bytes)
        let first = 0
        await until(async () => {
          const { state, done } = await look<{ state: string; done: number }>(`/api/assets/${asset}`)
          if (done > 0 && first === 0) first = performance.now() - begun
          return state === 'ready'
        })
        return { ms: performance.now() - begun, figures: { firstFrameMs: first } }
      } finally {
        await application.end()
      }
    }),
}
