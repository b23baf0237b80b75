import { drawnByItself, neededFrames, pictureFrame } from '@lantern/core/pipeline'
import { effectOf, type ItemKind } from '@lantern/core/shot'
import type { PassSource } from '@/workers/protocol.ts'
import { cameraNow, type DraftState, pictureDigest, type ShotState } from '../shot/shotStore.ts'
import { documentAt, inputsNow } from '../shot/world.ts'
import { byState } from './byState.ts'

/** Which form of a draft run's frame there is now. The newest stands in for those to come, and is burnt over while it runs up. */
function draftForm({ first, frames, of, fine, finer, made }: DraftState, wanted: number): string | number {
  const n = Math.min(of - 1, Math.max(0, wanted - first))
  if (finer) return n < fine ? 'finer' : 'draft'
  return n < frames - 1 ? 'draft' : made
}

/** Whether two digests of a document differ in other effects than this one alone: then what is kept of it still holds, and the server need not be asked. */
export function sameBut(before: string, now: string, item: string): boolean {
  const [old, own] = [before, now].map((digest) => partOf(digest, item))
  return old !== undefined && old === own
}

const parts = new Map<string, Map<string, string>>()
function partOf(digest: string, own: string): string | undefined {
  const known = parts.get(digest) ?? new Map<string, string>()
  const there = known.get(own)
  if (there !== undefined) return there
  let made: string
  try {
    const [items, ...rest] = JSON.parse(digest) as [Record<string, { kind: ItemKind }>, ...unknown[]]
    made = JSON.stringify([Object.entries(items).filter(([id, item]) => id === own || !effectOf(item)), ...rest])
  } catch {
    return undefined
  }
  parts.set(digest, known.set(own, made))
  for (const old of parts.keys()) {
    if (parts.size <= 3) break
    parts.delete(old)
  }
  return made
}

interface FrameSource {
  source: PassSource
  from: 'final' | 'look' | 'runs' | 'draft' | 'plate'
  mark: string
}

/** Where a frame's passes come from now, best first: final, first look, kept runs rendered here, those and drafts, none. With one light alone, or a region, nothing that is kept will do. */
export const sourceOf = byState((state: ShotState, frame: number): FrameSource => {
  const { shot, status, statusDigest, drafts } = state
  const document = shot?.document
  // The match is judged over the plate alone.
  if (!document || state.station === 'Match') return { source: { kind: 'none' }, from: 'plate', mark: '' }
  const current = statusDigest === pictureDigest(document)
  const whole = current && !state.alone && !state.region
  for (const quality of ['final', 'look'] as const) {
    const key = status?.[quality].keys[frame]
    if (whole && key && status?.[quality].kept.includes(frame))
      return { source: { kind: 'kept', key }, from: quality, mark: key }
  }
  if (!cameraNow(state, frame)) return { source: { kind: 'none' }, from: 'plate', mark: '' }
  const { inputs: _, ...at } = pictureFrame(document, (n) => cameraNow(state, n), frame, inputsNow(state))
  const needed = neededFrames(at.instances)
  // What stands or falls by itself waits for nothing that is kept.
  const byItself = drawnByItself(document, frame, at.instances)
  if (needed.size + byItself === 0) return { source: { kind: 'none' }, from: 'plate', mark: '' }
  const settled = documentAt(state, frame)
  const look = [
    at.instances,
    settled?.items,
    settled?.light,
    at.camera,
    at.plateOn,
    at.mattes,
    state.alone,
    state.region,
  ]
  const keys = [...needed].flatMap(([item, wanted]): [string, string][] => {
    const one = status?.items[item]
    const run = one?.derived.at(-1) ?? one
    return run &&
      [...wanted].every((n) => run.kept.includes(n)) &&
      (current || sameBut(statusDigest, pictureDigest(document), item))
      ? [[item, run.key]]
      : []
  })
  const held = Object.fromEntries(keys)
  const burnt = [...needed].flatMap(([item, wanted]) => {
    const one = item in held ? undefined : drafts[item]
    return one && one.frames > 0 ? [{ item, key: one.key, forms: [...wanted].map((n) => draftForm(one, n)) }] : []
  })
  const source: PassSource = {
    kind: 'runs',
    at,
    keys: held,
    drafts: Object.fromEntries(burnt.map(({ item, key }) => [item, key])),
  }
  if (keys.length === needed.size) return { source, from: 'runs', mark: JSON.stringify([keys, look]) }
  const forms = burnt.map(({ key, forms: of }) => [key, ...of])
  if (forms.length + keys.length + byItself > 0)
    return { source, from: 'draft', mark: JSON.stringify([forms, keys, look]) }
  return { source: { kind: 'none' }, from: 'plate', mark: '' }
})
