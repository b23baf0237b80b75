import { z } from 'zod'
import type { DustPoints, ParticleFrame } from '../../data/index.ts'
import { readBrokenFrame, readGasFrame, readParticleFrame, writeParticleFrame } from '../../formats/index.ts'
import {
  FIELDS,
  GasFlow,
  type ParticleFields,
  type ParticleFigures,
  type ParticleSettings,
  ParticleSimulation,
  type ParticleState,
} from '../../particles/index.ts'
import type { Bake, BakeState, InputFrame, MadeFrame, StateReader, StepBaker } from '../effect.ts'
import { DebrisSimulation, type DebrisState } from './debris.ts'

export const PARTICLE_MEDIA_TYPE = 'application/x-lantern-particles'

const stateSchema = z.object({ done: z.int().min(0), count: z.int().min(0).max(100_000_000) })
const bytesOf = (array: Uint8Array | Uint32Array | Float64Array, count: number): Uint8Array =>
  new Uint8Array(array.buffer, array.byteOffset, count * array.BYTES_PER_ELEMENT).slice()

export function encodeParticleState({ done, count, ids, states, fields }: ParticleState): BakeState {
  const parts = [bytesOf(ids, count), bytesOf(states, count), ...FIELDS.map((name) => bytesOf(fields[name], count))]
  return { done, small: { done, count }, parts }
}

/** Lays out the arrays that a kept state fills. Throws ZodError where it is none of particles'. */
function readState(done: number, small: unknown): StateReader {
  const { count } = stateSchema.parse(small)
  const parts = [new Uint8Array(4 * count), new Uint8Array(count), ...FIELDS.map(() => new Uint8Array(8 * count))]
  return { parts, state: { done, small, parts } }
}

export function decodeParticleState({ small, parts }: BakeState): ParticleState {
  const { done, count } = stateSchema.parse(small)
  const room = Math.max(64, count)
  const copied = <T extends Uint8Array | Uint32Array | Float64Array>(into: T, from: Uint8Array | undefined): T => {
    new Uint8Array(into.buffer).set(from ?? new Uint8Array())
    return into
  }
  return {
    done,
    count,
    hits: 0,
    ids: copied(new Uint32Array(room), parts[0]),
    states: copied(new Uint8Array(room), parts[1]),
    fields: Object.fromEntries(
      FIELDS.map((name, n) => [name, copied(new Float64Array(room), parts[2 + n])]),
    ) as ParticleFields,
  }
}

const debrisSchema = z.object({
  done: z.int().min(0),
  count: z.int().min(0).max(20_000),
  world: z.int().min(0).max(1_000_000_000),
})
const DEBRIS_FLOATS = ['sizes', 'ages', 'lives'] as const

export function encodeDebrisState({ done, world, ids, alive, ...floats }: DebrisState): BakeState {
  const parts = [world.slice(), bytesOf(ids, ids.length), alive.slice()]
  for (const name of DEBRIS_FLOATS) parts.push(bytesOf(floats[name], ids.length))
  return { done, small: { done, count: ids.length, world: world.length }, parts }
}
/** Lays out the arrays that a kept state of debris fills. Throws ZodError where it is none. */
function readDebris(done: number, small: unknown): StateReader {
  const { count, world } = debrisSchema.parse(small)
  const sizes = [world, 4 * count, count, 8 * count, 8 * count, 8 * count]
  const parts = sizes.map((size) => new Uint8Array(size))
  return { parts, state: { done, small, parts } }
}
export function decodeDebrisState({ small, parts }: BakeState): DebrisState {
  const { done } = debrisSchema.parse(small)
  const own = (n: number): Uint8Array<ArrayBuffer> => Uint8Array.from(parts[n] ?? [])
  const [sizes, ages, lives] = [3, 4, 5].map((n) => new Float64Array(own(n).buffer)) as [
    Float64Array,
    Float64Array,
    Float64Array,
  ]
  return { done, world: own(0), ids: new Uint32Array(own(1).buffer), alive: own(2), sizes, ages, lives }
}

/** What makes a run's frames: particles each by itself, or bits that meet each other. */
interface Simulation {
  readonly done: number
  steps(gas?: GasFlow, others?: ParticleFrame | DustPoints): Generator<unknown, ParticleFigures>
  keep(): ParticleFrame
  encoded(): BakeState
}
async function simulationOf(settings: ParticleSettings, rate: number, state?: BakeState): Promise<Simulation> {
  if (settings.among) {
    const debris = await DebrisSimulation.open(settings, rate, state && decodeDebrisState(state))
    return {
      get done() {
        return debris.done
      },
      steps: (gas, others) => debris.steps(gas, others),
      keep: () => debris.keep(),
      encoded: () => encodeDebrisState(debris.state),
    }
  }
  const particles = new ParticleSimulation(settings, rate, state && decodeParticleState(state))
  return {
    get done() {
      return particles.done
    },
    steps: (gas, others) => particles.steps(gas, others),
    keep: () => particles.keep(),
    encoded: () => encodeParticleState(particles.state),
  }
}

/** Particles that are computed frame by frame, and go on from a kept state bit for bit. from: which of the run's inputs are the gas and the particles, or the break, that they come from. */
export function particleBake(
  settings: ParticleSettings,
  rate: number,
  from: { gas?: number; others?: number; breaks?: boolean } = {},
): Bake {
  return {
    way: 'steps',
    readState: settings.among ? readDebris : readState,
    async prepare({ deflate }, state): Promise<StepBaker> {
      const simulation = await simulationOf(settings, rate, state)
      let figures: ParticleFigures | undefined
      let flow: { frame: number; gas: GasFlow } | undefined
      function* steps(
        gas: GasFlow | undefined,
        others: ParticleFrame | DustPoints | undefined,
      ): Generator<unknown, number> {
        figures = yield* simulation.steps(gas, others)
        return figures.count
      }
      return {
        get done() {
          return simulation.done
        },
        async advance(inputs: readonly InputFrame[]) {
          const input = inputs.find((one) => one.input === from.gas)
          const others = inputs.find((one) => one.input === from.others)
          if (input && flow?.frame !== input.frame)
            flow = { frame: input.frame, gas: new GasFlow(readGasFrame(await input.bytes(), deflate)) }
          const bytes = await others?.bytes()
          const parents =
            bytes && (from.breaks ? readBrokenFrame(bytes, deflate).dust : readParticleFrame(bytes, deflate))
          return steps(input ? flow?.gas : undefined, parents)
        },
        encode(): MadeFrame {
          return {
            bytes: writeParticleFrame(simulation.keep(), deflate),
            mediaType: PARTICLE_MEDIA_TYPE,
            figures: { ...figures },
          }
        },
        state: () => simulation.encoded(),
      }
    },
  }
}
