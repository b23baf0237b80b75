import { z } from 'zod'
import { readMeshAsset, writeBrokenFrame } from '../../formats/index.ts'
import type { Bake, BakeState, MadeFrame, StateReader, StepBaker } from '../effect.ts'
import { type BreakSettings, meshOfBreak } from './settings.ts'
import { type BreakFigures, BreakSimulation, type BreakState } from './simulate.ts'

export const BROKEN_MEDIA_TYPE = 'application/x-lantern-broken'

const size = z.int().min(0).max(1_000_000_000)
const stateSchema = z.object({
  done: z.int().min(0),
  settled: z.boolean(),
  given: z.number(),
  parted: z.int().min(0),
  world: size,
  gone: size,
  holds: size,
  shifts: size,
})

export function encodeBreakState({ world, gone, holds, shifts, ...rest }: BreakState): BakeState {
  const parts = [world, gone, holds, new Uint8Array(shifts.buffer, shifts.byteOffset, shifts.byteLength)].map((part) =>
    part.slice(),
  )
  const [a = 0, b = 0, c = 0, d = 0] = parts.map((part) => part.length)
  return { done: rest.done, small: { ...rest, world: a, gone: b, holds: c, shifts: d }, parts }
}

/** Lays out the arrays that a kept state fills. Throws ZodError where it is none of these. */
function readState(done: number, small: unknown): StateReader {
  const { world, gone, holds, shifts } = stateSchema.parse(small)
  const parts = [world, gone, holds, shifts].map((bytes) => new Uint8Array(bytes))
  return { parts, state: { done, small, parts } }
}

export function decodeBreakState({ small, parts }: BakeState): BreakState {
  const { done, settled, given, parted } = stateSchema.parse(small)
  const [world, gone, holds, shifts] = parts.map((part) => part.slice())
  const none = new Uint8Array()
  return {
    done,
    settled,
    given,
    parted,
    world: world ?? none,
    gone: gone ?? none,
    holds: holds ?? none,
    shifts: new Float64Array((shifts ?? none).buffer),
  }
}

/** Pieces from frame to frame; a run goes on from a kept state bit for bit. */
export function breakBake(settings: BreakSettings): Bake {
  return {
    way: 'steps',
    readState,
    async prepare({ deflate, blob }, state): Promise<StepBaker> {
      const { mesh } = settings
      const source = mesh && meshOfBreak(await readMeshAsset(await blob(mesh.blob)), mesh)
      const simulation = await BreakSimulation.open(settings, state && decodeBreakState(state), source)
      let figures: BreakFigures | undefined
      function* steps(): Generator<unknown, number> {
        figures = yield* simulation.steps()
        return 1 + figures.moving
      }
      return {
        get done() {
          return simulation.done
        },
        advance: async () => steps(),
        encode(): MadeFrame {
          return {
            bytes: writeBrokenFrame(simulation.keep(simulation.done === 1), deflate),
            mediaType: BROKEN_MEDIA_TYPE,
            figures: { ...figures },
          }
        },
        state: () => encodeBreakState(simulation.state),
      }
    },
  }
}
