import { z } from 'zod'
import type { GasFrame } from '../../data/index.ts'
import { gasOfGrids, readGasFrame, readVdb, writeGasFrame } from '../../formats/index.ts'
import {
  type DetailSettings,
  estimateWork,
  type GasFigures,
  type GasSettings,
  GasSimulation,
  type GasState,
  KEPT_FIELDS,
  storeFor,
  synthesiseDetail,
} from '../../gas/index.ts'
import { blackBodyTable, gatherEmitters, glowTable } from '../../light/index.ts'
import type {
  Bake,
  BakeState,
  BakeTools,
  FrameBaker,
  InputFrame,
  MadeFrame,
  StateReader,
  StepBaker,
} from '../effect.ts'
import { BreakInputs, type BreakSource } from './breaks.ts'
import type { GasItem } from './schema.ts'
import { KELVIN } from './sourceShape.ts'

const MEDIA_TYPE = 'application/x-lantern-gas'
/** Glow in cd/m^2: white at pi lux. */
const LUMINANCE = glowTable(Math.PI, 1)
const BODIES = blackBodyTable(Math.PI)
const FLAME_ALBEDO = 0.3
const LIGHT_EMITTERS = 64

/** Luminous intensity of a fire to all sides, cd, as its soot shines: what lights that follow it are driven by. */
function lightOf(frame: GasFrame): number {
  return gatherEmitters(frame, LUMINANCE, FLAME_ALBEDO, LIGHT_EMITTERS, undefined, BODIES).reduce(
    (sum, { intensity }) => sum + 0.2126 * intensity[0] + 0.7152 * intensity[1] + 0.0722 * intensity[2],
    0,
  )
}

const cellCount = (frame: GasFrame): number => frame.box.size.reduce((a, b) => a * b, 1)

const triple = z.tuple([z.int(), z.int(), z.int()])
/** The small part of a state. */
const stateSchema = z.object({
  done: z.int(),
  closed: z.int(),
  box: z.object({ cell: z.number(), origin: triple, size: triple }),
  budget: z.object({
    theta: z.number(),
    fuel: z.number(),
    soot: z.number(),
    steps: z.int(),
    burned: z.number(),
    radiated: z.number(),
    carriedOut: z.number(),
    pilot: z.number(),
    sootMade: z.number(),
    sootOut: z.number(),
    fuelOut: z.number(),
  }),
  /** The tiles that are worked on, of `of`; none: all of the box. */
  tiles: z.object({ of: z.int(), at: z.array(z.int()) }).optional(),
})
/** The kept fields and the expansion. */
const FIELDS = KEPT_FIELDS.length + 1
const bytesOf = (field: Float32Array): Uint8Array => new Uint8Array(field.buffer, field.byteOffset, field.byteLength)
/** The arrays of states that were read: their bytes are what a state holds. */
const floatsOf = (bytes: Uint8Array): Float32Array =>
  new Float32Array(bytes.buffer, bytes.byteOffset, bytes.byteLength / 4)

export function encodeGasState({ fields, active, ...small }: GasState): BakeState {
  const tiles = active && {
    of: active.length,
    at: Array.from(active, (one, n) => (one ? n : -1)).filter((n) => n >= 0),
  }
  return { done: small.done, small: { ...small, ...(tiles ? { tiles } : {}) }, parts: fields.map(bytesOf) }
}

const activeTiles = (tiles: { of: number; at: readonly number[] } | undefined): Uint8Array | undefined => {
  const active = tiles && new Uint8Array(tiles.of)
  for (const tile of tiles?.at ?? []) active?.fill(1, tile, tile + 1)
  return active
}

/** Lays out the arrays that a kept state fills. Throws ZodError where it is none of a gas's. */
function readState(done: number, small: unknown): StateReader {
  const head = stateSchema.parse(small)
  const { cells } = storeFor(head.box.size, activeTiles(head.tiles))
  const parts = Array.from({ length: FIELDS }, () => bytesOf(new Float32Array(cells)))
  return { parts, state: { done, small: head, parts } }
}

export function decodeGasState(state: BakeState): GasState {
  const { tiles, ...small } = stateSchema.parse(state.small)
  const active = activeTiles(tiles)
  return { ...small, ...(active ? { active } : {}), fields: state.parts.map(floatsOf) }
}

/** What a gas has from breaks, and its run's first frame. */
export interface GasBreaks {
  sources: readonly BreakSource[]
  first: number
}

/** A gas that burns frame by frame. rough: the same with larger cells, which tells ahead how much work the run will be; frames: of the run, pre-roll counted. */
export function gasBake(
  settings: GasSettings,
  rough: () => GasSettings,
  rate: number,
  frames: number,
  breaks?: GasBreaks,
): Bake {
  return {
    way: 'steps',
    readState,
    async prepare({ crew, deflate }, state): Promise<StepBaker> {
      const filled = breaks && new BreakInputs(settings, breaks.sources, rate, breaks.first, frames - settings.preRoll)
      const own = filled?.settings ?? settings
      const simulation = new GasSimulation(crew, own, rate, state && decodeGasState(state))
      let figures: GasFigures | undefined
      function* steps(): Generator<unknown, number> {
        figures = yield* simulation.steps()
        return figures.cells * figures.steps
      }
      return {
        get done() {
          return simulation.done
        },
        async advance(inputs) {
          await filled?.take(inputs, deflate)
          return steps()
        },
        encode(): MadeFrame {
          const frame = simulation.keep()
          const bytes = writeGasFrame(frame, deflate)
          return { bytes, mediaType: MEDIA_TYPE, figures: { ...figures, light: lightOf(frame) } }
        },
        state: () => encodeGasState(simulation.state()),
      }
    },
    *estimate({ crew }): Generator<number> {
      for (const { cells, steps } of estimateWork(crew, settings, rough(), rate, frames)) yield cells * steps
    },
  }
}

/** Frames read last: a frame and the next one need nearly the same. */
const MOST_READ = 12

/** The frames of a kept gas made finer, each by itself. seconds: of a frame. */
export function detailBake(settings: DetailSettings, seconds: number): Bake {
  return {
    way: 'frames',
    async prepare({ crew, deflate }: BakeTools): Promise<FrameBaker> {
      const read = new Map<number, GasFrame>()
      const frameOf = async ({ frame, bytes }: InputFrame): Promise<GasFrame> => {
        const known = read.get(frame)
        if (known) return known
        const made = readGasFrame(await bytes(), deflate)
        read.set(frame, made)
        if (read.size > MOST_READ) read.delete(Math.min(...read.keys()))
        return made
      }
      return {
        async frame(frame, inputs) {
          const frames: GasFrame[] = []
          for (const input of inputs) frames.push(await frameOf(input))
          const fine = synthesiseDetail(crew, frames, settings, seconds, frame)
          return { bytes: writeGasFrame(fine, deflate), mediaType: MEDIA_TYPE, figures: { cells: cellCount(fine) } }
        },
      }
    },
  }
}

/** The frames of a gas that was computed elsewhere, read from OpenVDB. */
export function takenBake({ taken, airTemperature }: GasItem): Bake {
  return {
    way: 'frames',
    async prepare({ deflate, blob, unblosc }): Promise<FrameBaker> {
      return {
        async frame(frame) {
          const n = frame - (taken?.at ?? 0)
          const file = `${taken?.file}, frame ${(taken?.first ?? 0) + n},`
          const { grids } = await readVdb(await blob(taken?.blobs[n] ?? ''), file, deflate, unblosc)
          const units = {
            density: taken?.density ?? 1,
            kelvin: taken?.kelvin ?? 1,
            kelvinAt0: taken?.kelvinAt0 ?? 0,
          }
          const read = gasOfGrids(grids, file, units, airTemperature + KELVIN)
          const made = { ...read, box: { ...read.box, cell: read.box.cell * (taken?.scale ?? 1) } }
          return {
            bytes: writeGasFrame(made, deflate),
            mediaType: MEDIA_TYPE,
            figures: { cells: cellCount(made), tiles: made.tiles.length },
          }
        },
      }
    },
  }
}
