import { type Progress, type Recipe, recipeKey, stopIfCancelled } from '../base/index.ts'
import {
  type Camera,
  type Figures4,
  type PlateReport,
  placeAt,
  projectPoint,
  type ReadingFrames,
  type Track,
} from '../data/index.ts'
import { cardFrames, clipRead, isCard } from '../effects/cards/index.ts'
import type { PlateFrames } from '../match/index.ts'
import { add, rotate } from '../math/index.ts'
import type { SignalInputs } from '../settings/index.ts'
import type { Reading, ShotDocument } from '../shot/index.ts'
import {
  type Area,
  brightnessOf,
  type Edge,
  edgeRise,
  exposureDrift,
  fitSensor,
  type HaloFigures,
  haloOf,
  type MovingEdge,
  measureGrain,
  plainEdges,
  readArea,
  shutterShare,
  tonesOf,
} from '../sit/index.ts'
import { layerReadingSettings } from './layerReadings.ts'
import { manualTrackRecipe } from './manualTracks.ts'
import { VERSIONS } from './versions.ts'

// Readings of the plate and its report: which area, which frames, under which recipe.

const plateOf = ({ plate }: Pick<ShotDocument, 'plate'>): object => {
  const { asset, encoding, first, last, width, height } = plate
  return { asset, encoding, first, last, width, height }
}

/** The recipe of a reading; one on a pin hangs on the camera too. */
export function readingRecipe(
  document: Pick<ShotDocument, 'plate' | 'camera' | 'match' | 'items'>,
  { area, percentile }: Reading,
): Recipe {
  const { camera, match } = document
  if (area.kind === 'clip') {
    const card = document.items[area.card]
    const clip = isCard(card) && clipRead(card)
    return { kind: 'reading', version: VERSIONS.clipReading, settings: { clip: clip || null, percentile }, inputs: [] }
  }
  if (area.kind === 'layer')
    return {
      kind: 'reading',
      version: VERSIONS.layerReading,
      settings: { picture: VERSIONS.picture, ...layerReadingSettings(document, area.layer), percentile },
      inputs: [],
    }
  const shaking = camera.shake ? match.hands[camera.shake.hand] : undefined
  return {
    kind: 'reading',
    version: VERSIONS.reading,
    settings: { plate: plateOf(document), area, percentile, ...(area.kind === 'pin' ? { camera } : {}) },
    inputs: area.kind === 'pin' && shaking ? [recipeKey(manualTrackRecipe(document, shaking))] : [],
  }
}

/** The recipe of a plate's report, over the frame or over a drawn shape; tracksKey: of the tracks that tell how the plate moves, where there are any. */
export function reportRecipe(
  document: Pick<ShotDocument, 'plate'>,
  shape: readonly (readonly [number, number])[] | undefined,
  tracksKey: string | undefined,
): Recipe {
  return {
    kind: 'report',
    version: VERSIONS.report,
    settings: { plate: plateOf(document), shape },
    inputs: tracksKey ? [tracksKey] : [],
  }
}

/** Where a reading's area lies in the picture; undefined where its pin is behind the camera, or there is no camera. */
export function readingArea({ area }: Pick<Reading, 'area'>, camera: Camera | undefined): Area | undefined {
  if (area.kind === 'point') return { middle: [area.x, area.y], radius: area.radius }
  if (area.kind === 'shape') return { corners: area.points }
  if (area.kind === 'clip' || area.kind === 'layer') return undefined
  const p = camera && projectPoint(camera, area.at)
  const side = camera && projectPoint(camera, add(area.at, rotate(camera.rotation, [area.radius, 0, 0])))
  return p && side
    ? {
        middle: [p.x, p.y],
        radius: Math.max(0.6, Math.sqrt((side.x - p.x) * (side.x - p.x) + (side.y - p.y) * (side.y - p.y))),
      }
    : undefined
}

/** Takes a reading over all frames of a plate. camera: at a frame counted from 0. */
export async function takeReading(
  plate: PlateFrames,
  first: number,
  reading: Reading,
  camera: (n: number) => Camera | undefined,
  progress: Progress,
): Promise<ReadingFrames> {
  const frames: ReadingFrames['frames'] = []
  for (let n = 0; n < plate.frames; n++) {
    stopIfCancelled(progress)
    progress.report(n / plate.frames, 'reading')
    const area = readingArea(reading, camera(n))
    const figures = area && readArea(await plate.frame(n), plate.width, plate.height, area, reading.percentile / 100)
    frames.push(
      figures && figures.pixels > 0
        ? { mean: figures.mean as Figures4, peak: figures.peak as Figures4, percentile: figures.percentile as Figures4 }
        : null,
    )
  }
  return { first, frames }
}

/** One of a reading's figures, r g b and brightness, by frame as numbered in the plate; of a clip's as its card runs it. */
export function readingFigures(
  document: Pick<ShotDocument, 'items' | 'plate' | 'signals'>,
  { first, frames }: ReadingFrames,
  { show, area }: Pick<Reading, 'show' | 'area'>,
): Map<number, Figures4> {
  if (area.kind !== 'clip') return new Map(frames.flatMap((one, n) => (one ? [[first + n, one[show]] as const] : [])))
  const card = document.items[area.card]
  const all = new Map<number, Figures4>()
  if (!isCard(card)) return all
  for (let frame = document.plate.first; frame <= document.plate.last; frame++) {
    const sum: [number, number, number, number] = [0, 0, 0, 0]
    // Before it begins and after its end it is dark.
    for (const { frame: own, share } of cardFrames(document, card, frame))
      for (let c = 0; c < 4; c++) sum[c] = (sum[c] ?? 0) + share * (frames[own - first]?.[show][c] ?? 0)
    all.set(frame, sum)
  }
  return all
}

/** One figure of a reading, by frame as numbered in the plate. */
export function readingValues(
  document: Pick<ShotDocument, 'items' | 'plate' | 'signals'>,
  taken: ReadingFrames,
  reading: Pick<Reading, 'show' | 'channel' | 'area'>,
): Map<number, number> {
  const c = ({ red: 0, green: 1, blue: 2, brightness: 3 } as const)[reading.channel]
  return new Map([...readingFigures(document, taken, reading)].map(([frame, figures]) => [frame, figures[c]]))
}

/** What signals know of taken readings. taken: a reading's frames; undefined where it is not taken. */
export function readingInputs(
  document: Pick<ShotDocument, 'items' | 'plate' | 'signals' | 'readings'>,
  taken: (reading: string) => ReadingFrames | undefined,
): Pick<SignalInputs, 'reading' | 'readingColour'> {
  const figures = new Map<string, Map<number, Figures4>>()
  const { first, last } = document.plate
  const at = (id: string, frame: number): Figures4 | undefined => {
    const [reading, frames] = [document.readings[id], taken(id)]
    if (!reading || !frames) return undefined
    const known = figures.get(id) ?? readingFigures(document, frames, reading)
    figures.set(id, known)
    // Before the plate and after it the reading stays as it is at its end.
    return known.get(Math.min(last, Math.max(first, frame)))
  }
  const channel = (id: string): number =>
    ({ red: 0, green: 1, blue: 2, brightness: 3 })[document.readings[id]?.channel ?? 'brightness']
  return {
    reading: (id, frame) => at(id, frame)?.[channel(id)],
    readingColour: (id, frame) => at(id, frame)?.slice(0, 3) as [number, number, number] | undefined,
  }
}

/** Half the breadth of the patch round a track whose brightness tells the exposure, px; edge of a grid's areas, as a share of the width. */
const PATCH = 7
const GRID_SHARE = 1 / 16
/** Frames that are looked at for grain, edges and tones; tracks round an edge that tell how fast it moves, and how near. */
const LOOKED = 8
const NEAR_TRACKS = 3
const NEAR_SHARE = 0.06
const MOST_EDGES = 4000
/** Every so many pixels tell of highlights. */
const BRIGHT_EVERY = 7

function together(parts: readonly Float32Array[]): Float32Array {
  const all = new Float32Array(parts.reduce((sum, part) => sum + part.length, 0))
  let at = 0
  for (const part of parts) {
    all.set(part, at)
    at += part.length
  }
  return all
}

/** How fast the picture moves at a place, px a frame: the median of the nearest tracks'. */
function speedAt(
  tracks: readonly Track[],
  n: number,
  x: number,
  y: number,
  reach: number,
): [number, number] | undefined {
  const near = tracks
    .flatMap((track) => {
      const [a, b, c] = [placeAt(track, n - 1), placeAt(track, n), placeAt(track, n + 1)]
      if (!a || !b || !c) return []
      const far = Math.sqrt((b[0] - x) * (b[0] - x) + (b[1] - y) * (b[1] - y))
      return far < reach ? [{ far, vx: (c[0] - a[0]) / 2, vy: (c[1] - a[1]) / 2 }] : []
    })
    .sort((p, q) => p.far - q.far)
    .slice(0, NEAR_TRACKS)
  if (near.length < NEAR_TRACKS) return undefined
  const middle = (list: number[]): number => list.sort((p, q) => p - q)[list.length >> 1] ?? 0
  return [middle(near.map(({ vx }) => vx)), middle(near.map(({ vy }) => vy))]
}

/** The part of a picture within a shape's bounds; its corner is what edges in it count from. */
function cropped(
  rgb: Float32Array,
  width: number,
  height: number,
  shape: readonly (readonly [number, number])[] | undefined,
): { data: Float32Array; width: number; height: number; x: number; y: number } {
  if (!shape) return { data: rgb, width, height, x: 0, y: 0 }
  const [xs, ys] = [shape.map((p) => p[0]), shape.map((p) => p[1])]
  const [x0, x1] = [Math.max(0, Math.floor(Math.min(...xs))), Math.min(width, Math.ceil(Math.max(...xs)))]
  const [y0, y1] = [Math.max(0, Math.floor(Math.min(...ys))), Math.min(height, Math.ceil(Math.max(...ys)))]
  const [w, h] = [Math.max(1, x1 - x0), Math.max(1, y1 - y0)]
  const data = new Float32Array(w * h * 3)
  for (let y = 0; y < h; y++)
    data.set(rgb.subarray(((y0 + y) * width + x0) * 3, ((y0 + y) * width + x0 + w) * 3), y * w * 3)
  return { data, width: w, height: h, x: x0, y: y0 }
}

/** What some frames of a plate were found to be. */
interface Looked {
  laws: ReturnType<typeof measureGrain>[]
  tones: ReturnType<typeof tonesOf>[]
  edges: Edge[]
  moving: MovingEdge[]
  bright: Float32Array[]
  halos: HaloFigures[]
}

/** Adds what a part of a frame is found to be. */
function lookClosely(
  found: Looked,
  part: ReturnType<typeof cropped>,
  n: number,
  fullWidth: number,
  tracks: readonly Track[],
  codeWidth: ((value: number) => number) | undefined,
): void {
  const image = { width: part.width, height: part.height, channels: 3, data: part.data }
  found.laws.push(measureGrain(image, codeWidth))
  found.tones.push(tonesOf(part.data))
  const light = brightnessOf(part.data)
  found.bright.push(light.filter((_, k) => k % BRIGHT_EVERY === 0))
  const halo = haloOf(image)
  if (halo) found.halos.push(halo)
  for (const one of plainEdges(light, part.width, part.height)
    .sort((a, b) => b.step - a.step)
    .slice(0, MOST_EDGES)) {
    const placed = { ...one, x: one.x + part.x, y: one.y + part.y }
    found.edges.push(placed)
    const speed = speedAt(tracks, n, placed.x, placed.y, NEAR_SHARE * fullWidth)
    if (speed) found.moving.push({ frame: n, edge: placed, speed })
  }
}

/**
 * Measures a plate. shape: the area that grain, edges, black and white are taken from, by its bounds; none: the frame. tracks: how the plate moves, where it was tracked.
 * codeWidth: as measureGrain takes it.
 */
export async function reportPlate(
  plate: PlateFrames,
  first: number,
  shape: readonly (readonly [number, number])[] | undefined,
  tracks: readonly Track[],
  codeWidth: ((value: number) => number) | undefined,
  progress: Progress,
): Promise<PlateReport> {
  const { width, height, frames } = plate
  const grid = tracks.length < 20
  const edge = Math.max(8, Math.round(width * GRID_SHARE))
  const [across, down] = [Math.floor(width / edge), Math.floor(height / edge)]
  const areas = Array.from({ length: grid ? across * down : tracks.length }, () =>
    new Float64Array(frames).fill(Number.NaN),
  )
  const looked = new Set(
    Array.from({ length: Math.min(LOOKED, frames) }, (_, k) =>
      Math.floor(((k + 0.5) * frames) / Math.min(LOOKED, frames)),
    ),
  )
  const found: Looked = { laws: [], tones: [], edges: [], moving: [], bright: [], halos: [] }
  for (let n = 0; n < frames; n++) {
    stopIfCancelled(progress)
    progress.report(n / frames, 'measuring the plate')
    const rgb = await plate.frame(n)
    for (const [k, area] of areas.entries()) {
      const place = grid
        ? ([(k % across) * edge + edge / 2, Math.floor(k / across) * edge + edge / 2] as const)
        : placeAt(tracks[k] as Track, n)
      const half = grid ? edge / 2 : PATCH
      // A patch cut off by the picture's edge would be another one.
      if (!place || place[0] < half || place[1] < half || place[0] > width - half || place[1] > height - half) continue
      const [x, y] = place
      area[n] = readArea(
        rgb,
        width,
        height,
        {
          corners: [
            [x - half, y - half],
            [x + half, y - half],
            [x + half, y + half],
            [x - half, y + half],
          ],
        },
        0.5,
      ).mean[3]
    }
    if (looked.has(n)) lookClosely(found, cropped(rgb, width, height, shape), n, width, tracks, codeWidth)
  }
  const { laws, tones, edges, moving, bright, halos } = found
  const middle = (list: readonly number[]): number => [...list].sort((a, b) => a - b)[list.length >> 1] ?? 0
  const each = (of: (k: number) => readonly [number, number, number]): [number, number, number] =>
    [0, 1, 2].map((c) => middle(laws.map((_, k) => of(k)[c] as number))) as [number, number, number]
  // Edges that the motion blurs tell of the shutter, not of the lens.
  const still =
    moving.length > 60
      ? moving
          .filter(({ edge: { across: way }, speed }) => Math.abs(way === 'x' ? speed[0] : speed[1]) < 1)
          .map((one) => one.edge)
      : edges
  const rise = edgeRise(still)
  return {
    first,
    drift: Array.from(exposureDrift(areas, frames), (v) => (Number.isNaN(v) ? null : v)),
    driftFrom: grid ? 'grid' : 'tracks',
    grain: {
      floor: each((k) => laws[k]?.floor ?? [0, 0, 0]),
      slope: each((k) => laws[k]?.slope ?? [0, 0, 0]),
      spread: middle(laws.map(({ spread }) => spread)),
    },
    risePx: Number.isNaN(rise) ? null : rise,
    edges: still.length,
    black: each((k) => tones[k]?.black ?? [0, 0, 0]),
    white: each((k) => tones[k]?.white ?? [1, 1, 1]),
    shutter: shutterShare(moving)?.share ?? null,
    sensor: fitSensor(together(bright)) ?? null,
    halo:
      halos.length > 0
        ? { level: middle(halos.map((one) => one.level)), red: middle(halos.map((one) => one.red)) }
        : null,
  }
}
