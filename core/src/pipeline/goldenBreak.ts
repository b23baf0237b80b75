import { sha256 } from '@noble/hashes/sha2.js'
import { bytesToHex } from '@noble/hashes/utils.js'
import { cutMesh } from '../breaking/index.ts'
import { boxMesh } from '../data/index.ts'
import { BreakSimulation, breakSettings, isBreaking } from '../effects/breaking/index.ts'
import { writeBrokenFrame } from '../formats/index.ts'
import type { Quaternion } from '../math/index.ts'
import { makeItem, makeShot } from '../shot/index.ts'

// A small wall that breaks, the same in every engine.

/** Raise the version of breaking when it changes on purpose. */
export const GOLDEN_BREAK = 'ee246841e140abc2f7f4333b32a543cbae3a2a784bf4c4999765291f05c74a6d'

const FRAMES = 30

/** A turned box as a mesh, cut by lumps. */
async function cutBox(hash: ReturnType<typeof sha256.create>): Promise<void> {
  const turn: Quaternion = [0.1, 0.2, 0.3, Math.sqrt(1 - 0.14)]
  const cut = await cutMesh(boxMesh([0, 0.5, 0], [0.6, 0.5, 0.4], turn), {
    pattern: { way: 'lumps' },
    number: 20,
    seed: 3,
    fine: [],
    planes: [],
  })
  for (const { mesh } of cut.pieces)
    for (const values of [mesh?.positions, mesh?.indices])
      if (values) hash.update(new Uint8Array(values.slice().buffer))
  hash.update(new Uint8Array(Float64Array.from(cut.contacts, ({ area }) => area).buffer))
}

/** A hash over the pieces of a small wall that is struck, falls on ground with a crater in it, and loses what its joints no longer hold: over their shapes, and all their poses. Then over a mesh that is cut. */
export async function goldenBreak(): Promise<string> {
  const shot = makeShot('Golden', {
    asset: 'golden',
    file: 'golden.mp4',
    width: 64,
    height: 48,
    first: 1,
    last: FRAMES,
    rate: [24, 1],
    encoding: 'srgb',
  })
  shot.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  shot.items.hole = makeItem('crater', { name: 'Hole', order: 2, position: [0, 0, 1], width: 1, depth: 0.2 })
  shot.items.wall = makeItem('box', { name: 'Wall', order: 3, width: 1.6, height: 1.4, depth: 0.25, turn: 20 })
  const strike = { name: 'One', frame: 3, at: [0, 0.9, 0.1] as [number, number, number], radius: 0.4, energy: 500 }
  shot.items.breaks = makeItem('breaking', {
    name: 'Breaks',
    order: 4,
    piece: 'wall',
    number: 50,
    held: 'foot',
    strength: 30,
    strikes: { one: strike as never },
  })
  const item = shot.items.breaks
  if (!isBreaking(item)) throw new TypeError('it breaks')
  const simulation = await BreakSimulation.open(breakSettings(shot, item))
  const hash = sha256.create()
  for (let n = 0; n < FRAMES; n++) {
    const steps = simulation.steps()
    let step = steps.next()
    while (!step.done) step = steps.next()
    const frame = simulation.keep(n === 0)
    // Packed by the same code everywhere: core's own.
    if (frame.pieces) hash.update(writeBrokenFrame(frame))
    for (const values of [frame.turns, frame.places, frame.velocities, frame.dust.masses])
      hash.update(new Uint8Array(values.buffer))
  }
  simulation.close()
  await cutBox(hash)
  return bytesToHex(hash.digest())
}
