import { demoAtRest } from './application.ts'
import { type Bench, type Measured, median } from './bench.ts'

const TIMES = 40

/** The status of the demo's shot over HTTP, asked for again while nothing changes: what every event of a kept frame costs. */
export const statusWarm: Bench = {
  name: 'app/status-warm',
  size: 'Kiln Yard 030',
  runs: 1,
  threads: [2],
  run: () =>
    demoAtRest(async (shot): Promise<Measured> => {
      const times: number[] = []
      let bytes = 0
      for (let n = 0; n < TIMES; n++) {
        const begun = performance.now()
        bytes = (await (await fetch(`${shot}/status`)).text()).length
        times.push(performance.now() - begun)
      }
      return { ms: median(times), figures: { firstMs: times[0] ?? 0, kilobytes: bytes / 1000 } }
    }),
}
