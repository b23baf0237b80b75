import { cutBody, cutMesh } from '../../core/src/breaking/index.ts'
import { boxBody } from '../../core/src/data/index.ts'
import { pieceContacts } from '../../core/src/effects/breaking/index.ts'
import type { Vec3 } from '../../core/src/math/index.ts'

import { makeFrames, openBreak, settingsOf, wallShot } from '../../core/testing/breaks.ts'
import { scanMesh } from '../../core/testing/scans.ts'
import { type Bench, timed } from './bench.ts'

// Cutting, what moves, and what is held.

const wide = { width: 4, height: 3, depth: 0.4 }
const everywhere = {
  one: { name: 'One', frame: 2, at: [0, 1.5, 0.2], direction: [0, 0, -1], radius: 6, energy: 20_000 },
}

const cut: Bench = {
  name: 'breaking/cut-500',
  size: 'a wall in 500 lumps, with what touches what',
  runs: 3,
  threads: [1],
  run() {
    let pieces = 0
    const ms = timed(1, () => {
      const [low, high]: [Vec3, Vec3] = [
        [-2, 0, -0.2],
        [2, 3, 0.2],
      ]
      const settings = { pattern: { way: 'lumps' } as const, number: 500, seed: 7, fine: [], planes: [] }
      const made = cutBody([boxBody(low, high)], settings)
      pieces = made.length
      pieceContacts(made)
    })
    return { ms, figures: { pieces } }
  },
}

const scan: Bench = {
  name: 'breaking/cut-scan',
  size: 'a scan of 19,800 triangles, 500 lumps asked for, with what touches what',
  runs: 3,
  threads: [1],
  async run() {
    const mesh = scanMesh()
    const settings = { pattern: { way: 'lumps' } as const, number: 500, seed: 7, fine: [], planes: [] }
    const begun = performance.now()
    const { pieces } = await cutMesh(mesh, settings)
    return { ms: performance.now() - begun, figures: { pieces: pieces.length } }
  },
}

const moving: Bench = {
  name: 'breaking/move-500',
  size: '500 pieces on their way, a frame of 4 steps',
  runs: 3,
  threads: [1],
  async run() {
    const simulation = await openBreak(wallShot({ number: 500, strikes: everywhere }, wide))
    makeFrames(simulation, 12)
    let least = Infinity
    const times: number[] = []
    for (let n = 0; n < 12; n++)
      times.push(
        timed(1, () =>
          makeFrames(simulation, 1, ({ moving: now }) => {
            least = Math.min(least, now)
          }),
        ),
      )
    simulation.close()
    times.sort((a, b) => a - b)
    return { ms: times[6] ?? 0, figures: { moving: least, worst: Math.round(times.at(-1) ?? 0) } }
  },
}

const held: Bench = {
  name: 'breaking/held-500',
  size: '500 pieces of which none is struck yet, a frame',
  runs: 3,
  threads: [1],
  async run() {
    const later = { one: { ...everywhere.one, frame: 40 } }
    const simulation = await openBreak(wallShot({ number: 500, strikes: later }, wide))
    makeFrames(simulation, 4)
    const ms = timed(8, () => makeFrames(simulation, 1))
    simulation.close()
    return { ms, figures: { pieces: simulation.pieces.length } }
  },
}

const draft: Bench = {
  name: 'breaking/draft',
  size: 'a draft of 120 pieces: cut, and 48 frames from the strike on',
  runs: 3,
  threads: [1],
  async run() {
    const begun = performance.now()
    const shot = wallShot({ number: 120, strikes: everywhere }, wide)
    const simulation = await openBreak(shot)
    makeFrames(simulation, 48)
    simulation.close()
    return { ms: performance.now() - begun, figures: { pieces: settingsOf(shot).cut.number } }
  },
}

export const breakingBenches: readonly Bench[] = [cut, scan, moving, held, draft]
