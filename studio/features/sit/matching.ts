import type { LayerCheck } from '@lantern/core/pipeline'
import { PLAIN_LAYER, type ShotDocument } from '@lantern/core/shot'
import { LAYER_MATCHES, type LineName, type MatchedLayer, matchedLayer, matchRound } from '@lantern/core/sit'
import { useShot } from '../shot/shotStore.ts'
import { checkNow, useCheck } from './checkStore.ts'

// Bringing layers' lines to the plate's: measured, changed, measured again, and kept as one edit.

const MOST_ROUNDS = 4

const settingsOf = (document: ShotDocument, id: string): MatchedLayer => document.sit.layers[id] ?? PLAIN_LAYER

/** What a match would change of a layer; undefined where nothing is to be done. */
export function changeOf(
  document: ShotDocument,
  layer: LayerCheck | undefined,
  asked: readonly LineName[],
  scale: number,
): Partial<MatchedLayer> | undefined {
  if (!layer?.own || !layer.plate) return undefined
  const off = layer.lines.filter(({ name, within }) => !within && asked.includes(name)).map(({ name }) => name)
  if (off.length === 0) return undefined
  const changed = matchedLayer(settingsOf(document, layer.id), layer.own, layer.plate, layer.lines, off, scale)
  return Object.keys(changed).length > 0 ? changed : undefined
}

const figure = (value: unknown): string =>
  Array.isArray(value) ? value.map((part) => Number(part).toFixed(2)).join(' ') : Number(value).toFixed(3)

/** What a match did, in words. */
export const saidOfMatch = (before: MatchedLayer, after: Partial<MatchedLayer>): string =>
  Object.entries(after)
    .map(([key, value]) => `${key} ${figure(before[key as keyof MatchedLayer])} to ${figure(value)}`)
    .join(', ')

/** How far off the asked lines of a layer are, in what they may be off. */
const offOf = ({ lines }: LayerCheck, asked: readonly LineName[]): number =>
  lines
    .filter(({ name }) => asked.includes(name))
    .reduce((sum, { difference, spread }) => sum + Math.min(20, Math.max(0, Math.abs(difference) / spread - 0.5)), 0)

/** The settings of a layer that were changed, as they were. */
const pick = (settings: MatchedLayer, changed: Partial<MatchedLayer> | undefined): Partial<MatchedLayer> =>
  Object.fromEntries(Object.keys(changed ?? {}).map((key) => [key, settings[key as keyof MatchedLayer]]))

/** Matches lines of layers at the shown frame, a few rounds, and keeps the result as one step. */
export async function matchLines(ids: readonly string[], asked: readonly LineName[] = LAYER_MATCHES): Promise<void> {
  const { frame, shot, preview, edit, set, say } = useShot.getState()
  if (!shot) return
  const before = shot.document
  /** What each layer is changed to, the best of all rounds, and how far off it was then. */
  const best = new Map<string, { changed: Partial<MatchedLayer>; off: number }>()
  const done = new Map<string, Partial<MatchedLayer>>()
  useCheck.setState({ busy: true })
  try {
    for (let round = 0; round <= MOST_ROUNDS; round++) {
      const state = useShot.getState()
      const now = state.shot?.document ?? before
      const check = await checkNow(state, frame)
      for (const layer of check.layers) {
        const changed = done.get(layer.id)
        const off = offOf(layer, asked)
        if (off < (best.get(layer.id)?.off ?? Infinity)) best.set(layer.id, { changed: changed ?? {}, off })
      }
      const changes = ids.flatMap((id): [string, Partial<MatchedLayer>][] => {
        const layer = check.layers.find((one) => one.id === id)
        const changed = changeOf(now, layer, matchRound(asked, round), check.scale)
        return changed ? [[id, changed]] : []
      })
      if (changes.length === 0 || round === MOST_ROUNDS) break
      for (const [id, changed] of changes) done.set(id, { ...done.get(id), ...changed })
      preview({ sit: { layers: Object.fromEntries(changes) } })
    }
    const kept = [...best].flatMap(([id, { changed }]) =>
      ids.includes(id) && Object.keys(changed).length > 0 ? [[id, changed] as const] : [],
    )
    if (kept.length === 0) {
      // What was tried goes back.
      preview({
        sit: { layers: Object.fromEntries([...done].map(([id, all]) => [id, pick(settingsOf(before, id), all)])) },
      })
      const text = done.size > 0 ? 'Nothing brings it nearer.' : 'Every line that a press can change is within.'
      return set({ message: { text, good: true } })
    }
    // What later rounds tried and gave up goes back.
    const all = kept.map(
      ([id, changed]) => [id, { ...pick(settingsOf(before, id), done.get(id)), ...changed }] as const,
    )
    edit({ sit: { layers: Object.fromEntries(all) } })
    const said = kept.map(([id, after]) => saidOfMatch(settingsOf(before, id), after)).join('; ')
    set({ message: { text: `Matched: ${said}.`, good: true } })
  } catch (error) {
    say(error)
  } finally {
    useCheck.setState({ busy: false })
  }
}

/** Whether a press can match a line. */
export const canMatch = (name: LineName): boolean => LAYER_MATCHES.includes(name)
