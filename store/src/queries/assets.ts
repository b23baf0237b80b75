import { randomUUID } from 'node:crypto'
import { LanternError } from '@lantern/core/base'
import { z } from 'zod'
import { notify } from '../events.ts'
import type { Store } from '../open.ts'

const grainSchema = z.object({
  floor: z.tuple([z.number(), z.number(), z.number()]).readonly(),
  slope: z.tuple([z.number(), z.number(), z.number()]).readonly(),
  spread: z.number(),
})

export const plateInfoSchema = z.object({
  width: z.int(),
  height: z.int(),
  first: z.int(),
  last: z.int(),
  rate: z.tuple([z.int(), z.int()]),
  /** Frames that are missing from numbered stills: first and last of each gap. */
  gaps: z.array(z.tuple([z.int(), z.int()])).default([]),
  /** What was left out of it, and why. */
  notes: z.array(z.string()).optional(),
  bits: z.int().default(8),
  /** Whether its files say how much of each pixel is there: then each frame's alpha is kept beside its sizes. */
  alpha: z.boolean().optional(),
  /** Channels of its EXR files where they have more than colours and alpha: then each frame's own file is kept too. */
  channels: z.array(z.string()).optional(),
  /** The plate's grain, measured in the linear light that each encoding makes of it. */
  grain: z.record(z.enum(['srgb', 'rec709', 'linear']), grainSchema).optional(),
})
export type PlateAssetInfo = z.infer<typeof plateInfoSchema>

export type Variant = 'full' | 'half' | 'quarter' | 'alpha' | 'passes'

export interface Asset {
  id: string
  file: string
  state: 'arriving' | 'waiting' | 'reading' | 'ready' | 'stopped' | 'failed'
  info: Partial<PlateAssetInfo>
  error: { message: string; remedy: string } | null
  done: number
  total: number
}

export async function createAsset(store: Store, file: string): Promise<string> {
  const id = randomUUID()
  await store.db
    .insertInto('asset')
    .values({ id, kind: 'plate', file, state: 'waiting', info: '{}', error: null })
    .execute()
  return id
}

export async function getAsset(store: Store, id: string): Promise<Asset> {
  const row = await store.db.selectFrom('asset').selectAll().where('id', '=', id).executeTakeFirst()
  if (!row) throw new LanternError('no-asset', 'That plate is not in the store.', 'Take it in again.')
  return {
    id: row.id,
    file: row.file,
    state: row.state as Asset['state'],
    info: row.info as Partial<PlateAssetInfo>,
    error: row.error as Asset['error'],
    done: row.done,
    total: row.total,
  }
}

/** How far plates are read, by id. */
export async function assetStates(
  store: Store,
  ids: readonly string[],
): Promise<Map<string, Pick<Asset, 'state' | 'done' | 'total' | 'error'>>> {
  if (ids.length === 0) return new Map()
  const rows = await store.db
    .selectFrom('asset')
    .select(['id', 'state', 'done', 'total', 'error'])
    .where('id', 'in', [...new Set(ids)])
    .execute()
  return new Map(
    rows.map(({ id, state, done, total, error }) => [
      id,
      { state: state as Asset['state'], done, total, error: error as Asset['error'] },
    ]),
  )
}

export async function updateAsset(
  store: Store,
  id: string,
  change: {
    state?: Asset['state']
    info?: Partial<PlateAssetInfo>
    error?: object | null
    done?: number
    total?: number
  },
  /** Changes nothing where it was stopped meanwhile. */
  unlessStopped = false,
): Promise<boolean> {
  const changed = await store.db
    .updateTable('asset')
    .set({
      ...(change.state ? { state: change.state } : {}),
      ...(change.info ? { info: JSON.stringify(change.info) } : {}),
      ...(change.error !== undefined ? { error: change.error && JSON.stringify(change.error) } : {}),
      ...(change.done !== undefined ? { done: change.done } : {}),
      ...(change.total !== undefined ? { total: change.total } : {}),
    })
    .where('id', '=', id)
    .$if(unlessStopped, (q) => q.where('state', '<>', 'stopped'))
    .returning('id')
    .executeTakeFirst()
  if (changed) await notify(store.db, { what: 'asset', asset: id, state: change.state })
  return changed !== undefined
}

export async function putAssetFrame(
  store: Store,
  asset: string,
  frame: number,
  variant: Variant,
  blob: string,
): Promise<void> {
  await store.db
    .insertInto('asset_frame')
    .values({ asset_id: asset, frame, variant, blob })
    .onConflict((c) => c.columns(['asset_id', 'frame', 'variant']).doUpdateSet({ blob }))
    .execute()
}

/** Numbers of the frames of which all sizes are here. */
export async function readFrames(store: Store, asset: string): Promise<Set<number>> {
  const rows = await store.db
    .selectFrom('asset_frame')
    .select('frame')
    .where('asset_id', '=', asset)
    .where('variant', 'in', ['full', 'half', 'quarter'])
    .groupBy('frame')
    .having((e) => e.fn.countAll(), '=', 3)
    .execute()
  return new Set(rows.map(({ frame }) => frame))
}

/** The blob of a plate frame; a gap shows the nearest frame before it, else after it. Throws LanternError 'plate-frame'. */
export async function assetFrame(store: Store, asset: string, frame: number, variant: Variant): Promise<string> {
  const base = store.db
    .selectFrom('asset_frame')
    .select('blob')
    .where('asset_id', '=', asset)
    .where('variant', '=', variant)
  const row =
    (await base.where('frame', '<=', frame).orderBy('frame', 'desc').limit(1).executeTakeFirst()) ??
    (await base.where('frame', '>', frame).orderBy('frame').limit(1).executeTakeFirst())
  if (!row)
    throw new LanternError(
      'plate-frame',
      `Frame ${frame} of the plate has not been read yet.`,
      'Wait until the plate is read, or take it in again.',
      { frame },
    )
  return row.blob
}
