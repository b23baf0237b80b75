import { type BreakFigures, type BreakSettings, BreakSimulation, breakSettings } from '../src/effects/breaking/index.ts'
import { breakingSchema } from '../src/effects/breaking/schema.ts'
import { makeItem, makeShot, type ShotDocument } from '../src/shot/index.ts'

// A wall on the ground that breaks, for tests.

/** A shot of a wall 2 m wide, 1.6 m high and 0.3 m deep, struck at frame 5 of 1 to 40. */
export function wallShot(over: Record<string, unknown> = {}, wall: Record<string, unknown> = {}): ShotDocument {
  const shot = makeShot('Break', {
    asset: 'a',
    file: 'f',
    width: 320,
    height: 180,
    first: 1,
    last: 40,
    rate: [24, 1],
    encoding: 'srgb',
  })
  shot.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  shot.items.wall = makeItem('box', { name: 'Wall', order: 2, width: 2, height: 1.6, depth: 0.3, ...wall })
  shot.items.break = breakingSchema.parse({
    kind: 'breaking',
    name: 'Break',
    order: 3,
    piece: 'wall',
    number: 40,
    held: 'foot',
    strength: 0,
    strikes: { one: { name: 'One', frame: 5, at: [0, 1, 0.15], direction: [0, 0, -1], radius: 0.5, energy: 800 } },
    ...over,
  }) as never
  return shot
}

export const settingsOf = (shot: ShotDocument): BreakSettings => breakSettings(shot, shot.items.break as never)

/** Makes frames. */
export function makeFrames(
  simulation: BreakSimulation,
  count: number,
  each?: (figures: BreakFigures, n: number) => void,
): void {
  for (let n = 0; n < count; n++) {
    const steps = simulation.steps()
    let step = steps.next()
    while (!step.done) step = steps.next()
    each?.(step.value, n)
  }
}

export const openBreak = (shot: ShotDocument, state?: Parameters<typeof BreakSimulation.open>[1]) =>
  BreakSimulation.open(settingsOf(shot), state)
