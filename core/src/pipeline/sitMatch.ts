import { PLAIN_LAYER, type ShotDocument } from '../shot/index.ts'
import {
  type CheckFigures,
  type CheckLine,
  LAYER_MATCHES,
  type LineName,
  type MatchedLayer,
  matchedLayer,
  matchRound,
} from '../sit/index.ts'
import type { FrameCheck, LayerCheck } from './sitCheck.ts'

// Bringing layers' lines to the plate's: measured, changed, measured again, and the best of all rounds taken.

const MOST_ROUNDS = 4

type Layers = Readonly<Record<string, Partial<MatchedLayer>>>

/** What a match came to: what is to be changed of each layer, and what was tried and is to go back. */
export interface SitMatch {
  changed: Layers
  /** The tried settings of layers as they were before. */
  before: Layers
  /** Halation of the whole picture, %, where that was matched too. */
  halation?: number
}

/** The lay that stands for all that is added: of it the halo alone is matched, by the shot's halation. */
export const WHOLE = 'picture'
const MOST_HALATION = 40
const FIRST_HALATION = 3

/** Halation by which the halo is as the plate's; undefined where the line is within or can't be told. */
function halationOf({ sit }: ShotDocument, checks: readonly FrameCheck[]): number | undefined {
  const lines = checks.flatMap(({ layers }) =>
    layers.filter(({ id }) => id === WHOLE).flatMap((layer) => layer.lines.filter(({ name }) => name === 'halo')),
  )
  const line = meanLine(lines)
  if (!line || line.within) return undefined
  const wanted = line.layer > 0.2 ? (sit.halation * line.plate) / line.layer : FIRST_HALATION
  // More than it is held at would not be laid.
  return Math.min(sit.halationHeld ? sit.halationMost : MOST_HALATION, Math.max(0, wanted))
}

const settingsOf = ({ sit }: Pick<ShotDocument, 'sit'>, id: string): MatchedLayer => sit.layers[id] ?? PLAIN_LAYER

const mean = (values: readonly number[]): number => values.reduce((a, b) => a + b, 0) / values.length

/** What areas have on the mean; their tones in stops would differ little from this. */
function meanFigures(all: readonly CheckFigures[]): CheckFigures | undefined {
  const [first] = all
  if (!first) return undefined
  const tone = (name: keyof CheckFigures['tones']): number => mean(all.map(({ tones }) => tones[name]))
  return { ...first, tones: { p2: tone('p2'), p10: tone('p10'), p50: tone('p50'), p90: tone('p90'), p98: tone('p98') } }
}

/** A line on the mean of several frames; out where it is out at one of them. */
function meanLine(lines: readonly CheckLine[]): CheckLine | undefined {
  const [first] = lines
  if (!first) return undefined
  const parts = first.parts?.map((_, n) => mean(lines.map((line) => line.parts?.[n] ?? 0)))
  return {
    ...first,
    plate: mean(lines.map(({ plate }) => plate)),
    layer: mean(lines.map(({ layer }) => layer)),
    difference: mean(lines.map(({ difference }) => difference)),
    within: lines.every(({ within }) => within),
    ...(parts ? { parts } : {}),
  }
}

/** A layer over several frames. */
function meanLayer(id: string, checks: readonly FrameCheck[]): LayerCheck | undefined {
  const seen = checks.flatMap(({ layers }) => layers.filter((layer) => layer.id === id && layer.own && layer.plate))
  const [first] = seen
  if (!first) return undefined
  const names = [...new Set(seen.flatMap(({ lines }) => lines.map(({ name }) => name)))]
  const lines = names.flatMap((name) => {
    const line = meanLine(seen.flatMap((layer) => layer.lines.filter((one) => one.name === name)))
    return line ? [line] : []
  })
  const own = meanFigures(seen.flatMap((layer) => layer.own ?? []))
  const plate = meanFigures(seen.flatMap((layer) => layer.plate ?? []))
  return { ...first, lines, ...(own ? { own } : {}), ...(plate ? { plate } : {}) }
}

/** What a match would change of a layer; undefined where nothing is to be done. */
function changeOf(
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

/** How far off the asked lines of a layer are over all frames, in what they may be off. */
const offOf = (id: string, checks: readonly FrameCheck[], asked: readonly LineName[]): number =>
  checks
    .flatMap(({ layers }) => layers.filter((layer) => layer.id === id).flatMap(({ lines }) => lines))
    .filter(({ name }) => asked.includes(name))
    .reduce((sum, { difference, spread }) => sum + Math.min(20, Math.max(0, Math.abs(difference) / spread - 0.5)), 0)

/** The settings of a layer that were changed, as they were. */
const pick = (settings: MatchedLayer, changed: Partial<MatchedLayer> | undefined): Partial<MatchedLayer> =>
  Object.fromEntries(Object.keys(changed ?? {}).map((key) => [key, settings[key as keyof MatchedLayer]]))

/** The document with layers and halation changed. */
export const withMatch = (document: ShotDocument, changes: Layers, halation = document.sit.halation): ShotDocument => ({
  ...document,
  sit: {
    ...document.sit,
    halation,
    layers: {
      ...document.sit.layers,
      ...Object.fromEntries(
        Object.entries(changes).map(([id, change]) => [
          id,
          { ...(document.sit.layers[id] ?? PLAIN_LAYER), ...change } as ShotDocument['sit']['layers'][string],
        ]),
      ),
    },
  },
})

/**
 * Matches lines of layers, a few rounds. check: measures the frames that count with a document; tried: is told of what is tried next.
 * Several frames are matched on their mean. Layers that nothing brings nearer are not changed.
 */
export async function matchLayers(
  document: ShotDocument,
  ids: readonly string[],
  check: (tried: ShotDocument) => Promise<readonly FrameCheck[]>,
  asked: readonly LineName[] = LAYER_MATCHES,
): Promise<SitMatch> {
  /** What each layer is changed to, the best of all rounds, and how far off it was then. */
  const best = new Map<string, { changed: Partial<MatchedLayer>; off: number }>()
  const done = new Map<string, Partial<MatchedLayer>>()
  const halo = ids.includes(WHOLE) && asked.includes('halo')
  let halation: number | undefined
  for (let round = 0; round <= MOST_ROUNDS; round++) {
    const now = withMatch(document, Object.fromEntries(done), halation)
    const checks = await check(now)
    for (const id of ids.filter((one) => one !== WHOLE)) {
      const off = offOf(id, checks, asked)
      if (off < (best.get(id)?.off ?? Infinity)) best.set(id, { changed: done.get(id) ?? {}, off })
    }
    if (round === MOST_ROUNDS) break
    const changes = [...best.keys()].flatMap((id): [string, Partial<MatchedLayer>][] => {
      const layer = meanLayer(id, checks)
      const changed = changeOf(now, layer, matchRound(asked, round), checks[0]?.scale ?? 1)
      return changed ? [[id, changed]] : []
    })
    const next = halo ? halationOf(now, checks) : undefined
    halation = next ?? halation
    if (changes.length === 0 && (next === undefined || next === now.sit.halation)) break
    for (const [id, changed] of changes) done.set(id, { ...done.get(id), ...changed })
  }
  const kept = [...best].filter(([, { changed }]) => Object.keys(changed).length > 0)
  return {
    changed: Object.fromEntries(kept.map(([id, { changed }]) => [id, changed])),
    before: Object.fromEntries([...done].map(([id, tried]) => [id, pick(settingsOf(document, id), tried)])),
    ...(halation === undefined ? {} : { halation }),
  }
}

const figure = (value: unknown): string =>
  Array.isArray(value) ? value.map((part) => Number(part).toFixed(2)).join(' ') : Number(value).toFixed(3)

/** What a match did, in words. */
export const saidOfMatch = (document: Pick<ShotDocument, 'sit'>, { changed, halation }: SitMatch): string =>
  [
    ...Object.entries(changed).map(([id, after]) => {
      const was = settingsOf(document, id)
      const said = Object.entries(after).map(
        ([key, value]) => `${key} ${figure(was[key as keyof MatchedLayer])} to ${figure(value)}`,
      )
      return `${id}: ${said.join(', ')}`
    }),
    ...(halation === undefined ? [] : [`halation ${figure(document.sit.halation)} to ${figure(halation)}`]),
  ].join('; ')
