import type { LayerCheck } from '@lantern/core/pipeline'
import { PLAIN_LAYER, type ShotDocument } from '@lantern/core/shot'
import { LAYER_MATCHES, LINE_KINDS, type LineName, type MatchedLayer, matchedLayer } from '@lantern/core/sit'
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

/** Matches lines of layers at the shown frame, a few rounds, and keeps the result as one step. */
export async function matchLines(ids: readonly string[], asked: readonly LineName[] = LAYER_MATCHES): Promise<void> {
  const { frame, shot, preview, edit, set, say } = useShot.getState()
  if (!shot) return
  const before = shot.document
  const done = new Map<string, Partial<MatchedLayer>>()
  useCheck.setState({ busy: true })
  try {
    for (let round = 0; round < MOST_ROUNDS; round++) {
      const state = useShot.getState()
      const now = state.shot?.document ?? before
      const check = await checkNow(state, frame)
      const changes = ids.flatMap((id): [string, Partial<MatchedLayer>][] => {
        const layer = check.layers.find((one) => one.id === id)
        const changed = changeOf(now, layer, asked, check.scale)
        return changed ? [[id, changed]] : []
      })
      if (changes.length === 0) break
      for (const [id, changed] of changes) done.set(id, { ...done.get(id), ...changed })
      preview({ sit: { layers: Object.fromEntries(changes) } })
    }
    if (done.size === 0)
      return set({ message: { text: 'Nothing to match: every line that a press can change is within.', good: true } })
    edit({ sit: { layers: Object.fromEntries(done) } })
    const said = [...done].map(([id, after]) => saidOfMatch(settingsOf(before, id), after)).join('; ')
    set({ message: { text: `Matched: ${said}.`, good: true } })
  } catch (error) {
    say(error)
  } finally {
    useCheck.setState({ busy: false })
  }
}

/** Whether a press can match a line. */
export const canMatch = (name: LineName): boolean => LAYER_MATCHES.includes(name)
export const labelOf = (name: LineName): string => LINE_KINDS[name].label
