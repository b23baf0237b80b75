import { LanternError, recipeKey } from '@lantern/core/base'
import { NO_GRAIN, type PictureQualityName, slideBase, stackSettingsAt, VERSIONS } from '@lantern/core/pipeline'
import type { Store } from '../open.ts'
import { ensureResult, resultRows, setResultState } from '../queries/results.ts'
import type { Shot } from '../queries/shots.ts'
import { queueJob } from '../queue.ts'
import { pictureKeysOf } from './request.ts'
import { type ResolvedShot, resolveShot } from './resolve.ts'

/** So many frames tell where in a shot it fails. */
const MOST_FRAMES = 16

/** A picture that a check looks at. */
export interface CheckedPicture {
  frame: number
  key: string
  quality: PictureQualityName
  /** The frame that its slide is told against, and that one's picture where it is kept. */
  base: { frame: number; key?: string }
}
export interface CheckPlan {
  key: string
  pictures: readonly CheckedPicture[]
}

/** Frames evenly over those that there are, the first and the last among them. */
export function spreadOver(frames: readonly number[], most: number): number[] {
  if (frames.length <= most) return [...frames]
  const at = (n: number): number => Math.round((n * (frames.length - 1)) / (most - 1))
  return [...new Set(Array.from({ length: most }, (_, n) => frames[at(n)] ?? 0))]
}

/** What a check of the shot as it is now would look at: finals where they are kept, else first looks. kept: frames whose picture is kept. */
export function checkPlanOf(
  { document, inputs, ...resolved }: ResolvedShot,
  kept: Readonly<Record<PictureQualityName, readonly number[]>>,
): CheckPlan {
  const quality: PictureQualityName = kept.final.length > 0 ? 'final' : 'look'
  const keys = resolved.pictureKeys(quality)
  const pictures = spreadOver(kept[quality], MOST_FRAMES).flatMap((frame): CheckedPicture[] => {
    const key = keys.get(frame)
    if (!key) return []
    const base = slideBase(document.plate, kept[quality], frame)
    const other = kept[quality].includes(base) ? keys.get(base) : undefined
    return [{ frame, key, quality, base: { frame: base, ...(other ? { key: other } : {}) } }]
  })
  const follows =
    document.sit.follows && pictures.map(({ frame }) => stackSettingsAt(document, NO_GRAIN, frame, inputs))
  const { sit, light, plate, camera } = document
  const settings = { sit, light, plate, camera, follows, pictures }
  return { key: recipeKey({ kind: 'check', version: VERSIONS.check, settings, inputs: [] }), pictures }
}

/** The same, with what is kept looked up. */
export async function checkPlan(store: Store, shot: Shot): Promise<CheckPlan> {
  const resolved = await resolveShot(store, shot)
  const keptOf = async (quality: PictureQualityName): Promise<number[]> => {
    const keys = pictureKeysOf(resolved, quality)
    const rows = await resultRows(store, [...keys.values()])
    return [...keys].flatMap(([frame, key]) => ((rows.get(key)?.kept ?? 0) > 0 ? [frame] : []))
  }
  return checkPlanOf(resolved, { look: await keptOf('look'), final: await keptOf('final') })
}

/** Asks the farm to check how the shot's layers sit. Throws LanternError 'no-picture' where none is kept. */
export async function requestCheck(store: Store, shot: Shot): Promise<string> {
  const { key, pictures } = await checkPlan(store, shot)
  if (pictures.length === 0)
    throw new LanternError(
      'no-picture',
      'No picture of this shot is kept, so there is nothing to check.',
      'Make a first look of some frames, then check it.',
      { field: 'check' },
    )
  const { first, last } = shot.document.plate
  await ensureResult(store, { key, kind: 'check', settings: {}, shot: shot.id, item: 'check', first, last })
  const row = (await resultRows(store, [key])).get(key)
  if (row?.state === 'done') return key
  if (row?.state !== 'running') await setResultState(store, key, 'waiting')
  await queueJob(store, 'check', { shot: shot.id, key }, { jobKey: `check:${key}` })
  return key
}
