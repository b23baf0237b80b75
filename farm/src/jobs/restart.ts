import { type GasState, KEPT_FIELDS } from '@lantern/core/gas'
import { dropBlob, getBlob, getRestart, putBlob, putRestart } from '@lantern/store'
import { z } from 'zod'
import { nodeDeflate } from '../io/deflate.ts'
import type { JobContext } from './context.ts'

const triple = z.tuple([z.int(), z.int(), z.int()])
const stateSchema = z.object({
  done: z.int(), closed: z.int(), box: z.object({ cell: z.number(), origin: triple, size: triple }),
  budget: z.object({ theta: z.number(), fuel: z.number(), soot: z.number(), steps: z.int(), burned: z.number(), radiated: z.number(), carriedOut: z.number(), pilot: z.number(), sootMade: z.number(), sootOut: z.number(), fuelOut: z.number() }),
})
const FIELDS = KEPT_FIELDS.length + 1

/** Keeps a run's full state, so that it goes on bit for bit. chain: the key of all that decided it so far. */
export async function saveRestart({ store }: JobContext, key: string, fence: number, chain: string, state: GasState): Promise<void> {
  const length = state.fields[0]?.length ?? 0
  const all = new Float32Array(length * FIELDS)
  state.fields.forEach((field, n) => all.set(field, n * length))
  const blob = await putBlob(store, nodeDeflate.deflate(new Uint8Array(all.buffer)), 'application/octet-stream')
  const { fields: _, ...small } = state
  for (const free of await putRestart(store, key, fence, { done: state.done, chain, state: small, blob })) await dropBlob(store, free)
}

/** The furthest state that a run may go on from, or undefined to begin afresh. chains: key of all that decided the run by frames done. */
export async function loadRestart({ store, log }: JobContext, key: string, chains: ReadonlyMap<number, string>): Promise<GasState | undefined> {
  const kept = await getRestart(store, chains)
  if (!kept) return undefined
  try {
    const small = stateSchema.parse(kept.state)
    const bytes = nodeDeflate.inflate(await getBlob(store, kept.blob))
    const all = new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength))
    const length = all.length / FIELDS
    return { ...small, fields: Array.from({ length: FIELDS }, (_, n) => all.slice(n * length, (n + 1) * length)) }
  } catch (error) {
    log.warn({ key, error: String(error) }, 'restart state unreadable; the run begins afresh')
    return undefined
  }
}
