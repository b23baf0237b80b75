import { LanternError } from '@lantern/core/base'
import { openStrokes, strokeKeyOf } from '@lantern/core/effects'
import { isMatte, type MatteItem } from '@lantern/core/mattes'
import type { ShotDocument } from '@lantern/core/shot'
import type { Store } from '../open.ts'
import { ensureResult, keptFrames, resultRows, setResultState } from '../queries/results.ts'
import type { Shot } from '../queries/shots.ts'
import { queueJob } from '../queue.ts'
import { type MatchStage, stagesOf } from './match.ts'
import { itemIn, resolveShot, shownRun } from './resolve.ts'

const noMatte = (id: string): LanternError =>
  new LanternError(
    'no-matte',
    `“${id.slice(0, 40)}” is not a matte with strokes of this shot.`,
    'Choose one from the roster.',
    { field: 'item' },
  )

function helpedItem({ items }: Pick<ShotDocument, 'items'>, id: string): MatteItem & { helped: object } {
  const item = items[id]
  if (!isMatte(item) || !item.helped) throw noMatte(id)
  return item as MatteItem & { helped: object }
}

/** Keys of the stroked frames that are not carried yet, by matte and frame. */
export function strokeKeys({ items, plate }: Pick<ShotDocument, 'items' | 'plate'>): Map<string, Map<number, string>> {
  const keys = new Map<string, Map<number, string>>()
  for (const [id, item] of Object.entries(items)) {
    if (!isMatte(item) || !item.helped) continue
    const { helped } = item
    const own = openStrokes(helped, plate).map((frame): [number, string] => [frame, strokeKeyOf(helped, plate, frame)])
    if (own.length > 0) keys.set(id, new Map(own))
  }
  return keys
}

/** Asks the farm to cut a stroked frame by itself. Does nothing where that is kept or on its way. Throws LanternError 'no-matte', 'no-strokes'. */
export async function requestStroke(store: Store, shot: Shot, id: string, frame: number): Promise<string> {
  const { helped } = helpedItem(shot.document, id)
  if (!helped) throw noMatte(id)
  if (!openStrokes(helped, shot.document.plate).includes(frame))
    throw new LanternError('no-strokes', `Frame ${frame} has no new strokes.`, 'Draw some, inside and outside.', {
      frame,
    })
  const key = strokeKeyOf(helped, shot.document.plate, frame)
  await ensureResult(store, {
    key,
    kind: 'stroke',
    settings: { item: id, frame },
    shot: shot.id,
    item: `stroke-${id}`,
    first: frame,
    last: frame,
  })
  const row = (await resultRows(store, [key])).get(key)
  if (row?.state === 'done') return key
  if (row?.state !== 'running') await setResultState(store, key, 'waiting')
  await queueJob(store, 'stroke', { shot: shot.id, item: id, frame, key }, { jobKey: `stroke:${key}`, priority: -1 })
  return key
}

/** The file of a matte's kept frame: what it stays when it is accepted. Throws LanternError 'no-matte', 'no-result'. */
export async function keptMatteFile(store: Store, shot: Shot, id: string, frame: number): Promise<string> {
  helpedItem(shot.document, id)
  const run = shownRun(itemIn(await resolveShot(store, shot), id))
  const kept = run && (await keptFrames(store, [run.key])).find((one) => one.frame === frame)
  if (!kept)
    throw new LanternError('no-result', `Frame ${frame} is not carried yet.`, 'Carry the matte first.', { frame })
  return kept.blob
}

/** Of each matte with new strokes: how far the cut of each stroked frame is, by frame. */
export async function matteStatus(
  store: Store,
  document: ShotDocument,
): Promise<Record<string, Record<number, MatchStage>>> {
  const keys = strokeKeys(document)
  if (keys.size === 0) return {}
  const stage = await stagesOf(
    store,
    [...keys.values()].flatMap((frames) => [...frames.values()]),
  )
  return Object.fromEntries(
    [...keys].map(([id, frames]) => [id, Object.fromEntries([...frames].map(([frame, key]) => [frame, stage(key)]))]),
  )
}
