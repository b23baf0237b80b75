import { type GasState, KEPT_FIELDS, storeFor } from '@lantern/core/gas'
import { dropBlob, getBlob, getRestart, putBlob, putRestart } from '@lantern/store'
import { z } from 'zod'
import { deflateParts, inflateParts } from '../io/deflate.ts'
import type { JobContext } from './context.ts'

const triple = z.tuple([z.int(), z.int(), z.int()])
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
const FIELDS = KEPT_FIELDS.length + 1
const bytesOf = (field: Float32Array): Uint8Array => new Uint8Array(field.buffer, field.byteOffset, field.byteLength)

/** Keeps a run's full state, so that it goes on bit for bit. chain: the key of all that decided it so far. */
export async function saveRestart(
  { store }: JobContext,
  key: string,
  fence: number,
  chain: string,
  state: GasState,
): Promise<void> {
  const blob = await putBlob(store, await deflateParts(state.fields.map(bytesOf)), 'application/octet-stream')
  const { fields: _, active, ...small } = state
  const tiles = active && {
    of: active.length,
    at: Array.from(active, (one, n) => (one ? n : -1)).filter((n) => n >= 0),
  }
  for (const free of await putRestart(store, key, fence, {
    done: state.done,
    chain,
    state: { ...small, ...(tiles ? { tiles } : {}) },
    blob,
  }))
    await dropBlob(store, free)
}

/** The furthest state that a run may go on from, or undefined to begin afresh. chains: key of all that decided the run by frames done. */
export async function loadRestart(
  { store, log }: JobContext,
  key: string,
  chains: ReadonlyMap<number, string>,
): Promise<GasState | undefined> {
  const kept = await getRestart(store, chains)
  if (!kept) return undefined
  try {
    const { tiles, ...small } = stateSchema.parse(kept.state)
    const active = tiles && new Uint8Array(tiles.of)
    for (const tile of tiles?.at ?? []) active?.fill(1, tile, tile + 1)
    const fields = Array.from({ length: FIELDS }, () => new Float32Array(storeFor(small.box.size, active).cells))
    await inflateParts(await getBlob(store, kept.blob), fields.map(bytesOf))
    return { ...small, ...(active ? { active } : {}), fields }
  } catch (error) {
    log.warn({ key, error: String(error) }, 'restart state unreadable; the run begins afresh')
    return undefined
  }
}
