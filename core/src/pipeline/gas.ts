import { LanternError } from '../base/index.ts'
import { type Camera, rayToSolid, type Solid, straighten } from '../data/index.ts'
import {
  type GasForce,
  type GasMoment,
  type GasSettings,
  type GasSource,
  type GasView,
  type ForceMoment,
  SHEET,
  type SourceMoment,
  type SourceShape,
  wallsCut,
} from '../gas/index.ts'
import {
  add,
  cbrt,
  cos,
  fractal3,
  normalise,
  panTiltRoll,
  pow,
  radians,
  rotate,
  scale,
  sin,
  subtract,
  type Vec3,
} from '../math/index.ts'
import { type ForceItem, type GasItem, itemAt, type SignalInputs, type SourceItem } from '../shot/index.ts'
import { canonicalJson, type Recipe, recipeKey, textKey, VERSIONS } from './recipe.ts'
import { itemsInOrder, piecesAt, type SetDocument, solidOf } from './set.ts'

const KELVIN = 273.15
const COURANT = 0.6
/** Of 66 bytes each, within the 4 GiB that a computation may have. */
export const MOST_CELLS = 46e6
/** A cell's memory while it is computed, bytes, with what a crew and the keeping of a frame need besides. */
export const BYTES_PER_CELL = 76
/** A thin run has about so many cells across its source, and never more than so many in all. */
const THIN_ACROSS = 12
const THIN_CELLS = 1.2e6
/** A finer one so many, or as many as FINER_CELLS allow. */
const FINER_ACROSS = 18
const FINER_CELLS = 4e6
const SWAY = 25
/** What a source stirs is as large as a quarter of its breadth where nothing else is said. */
const STIR_SHARE = 4

/** How finely a gas is computed: thin for the first look, finer while one watches, full as the item's cell says. */
export type GasQuality = 'thin' | 'finer' | 'full'

/** What a gas needs to know that is not in the document. */
export interface GasWorld {
  inputs?: SignalInputs
  /** The camera of a frame, for areas that are drawn on the plate. */
  camera?(frame: number): Camera | undefined
  /** The rows of a table of points: x, y, z and radius of each at a frame. */
  points?(blob: string, frame: number): readonly number[] | undefined
}

const gasItem = (document: SetDocument, id: string): GasItem => {
  const item = document.items[id]
  if (item?.kind !== 'gas')
    throw new LanternError(
      'no-item',
      `“${id.slice(0, 40)}” is not a gas of this shot.`,
      'Choose one from the roster.',
      { field: 'item' },
    )
  return item
}

const shared = (value: number): number => Math.round(value * 1e6) / 1e6

/** What it may fill, m^3. */
const roomOf = (item: GasItem): number =>
  2 * item.reach * (2 * item.reach) * ((item.rise || item.reach) + Math.min(item.reach, 1))

/** Cells times steps that a frame of a gas takes, to a factor of two or three: what it may fill, and how far its fastest air goes (that of a flame of Q kW 1.9 Q^1/5 m/s, McCaffrey 1979). For gases of which nothing more is known yet (workAhead). rate: frames a second. */
export function roughWork(item: GasItem, rate: number): number {
  const cell = item.cell / 1000
  const heat = item.per === 'in all' ? item.heat : item.heat * item.diameter * item.diameter
  const speed = Math.max(1, item.speed, item.wind, 1.9 * pow(heat, 0.2))
  return Math.min(MOST_CELLS, roomOf(item) / (cell * cell * cell)) * Math.max(1, speed / (COURANT * cell * rate))
}

/** Edge of a cell in metres at a quality. */
export function cellOf(item: GasItem, quality: GasQuality): number {
  const full = item.cell / 1000
  if (quality === 'full') return full
  const room = roomOf(item)
  const sized = item.shape === 'disc' || item.shape === 'box' || item.shape === 'sphere'
  const least = (cells: number): number => cbrt(room / cells)
  if (quality === 'finer')
    return shared(
      Math.max(full, Math.min(sized ? item.diameter / FINER_ACROSS : Infinity, least(FINER_CELLS)), least(FINER_CELLS)),
    )
  return shared(Math.max(full, sized ? item.diameter / THIN_ACROSS : 0, least(THIN_CELLS)))
}

/** Drawn shapes as the camera of their frame sees them, with the bounds of what solid they lie on. */
function viewOf(
  _document: SetDocument,
  name: string,
  item: Pick<GasItem, 'drawn'>,
  solids: readonly Solid[],
  world: GasWorld,
): GasView {
  const { drawn } = item
  if (!drawn)
    throw new LanternError(
      'gas-area',
      `“${name}” comes from an area of the plate, and none is drawn.`,
      'Draw it on the plate, or choose another shape.',
      { field: 'shape' },
    )
  const camera = world.camera?.(drawn.frame)
  if (!camera)
    throw new LanternError(
      'no-camera',
      `“${name}” comes from an area drawn on frame ${drawn.frame}, and the shot has no camera to put it into the set.`,
      'Take in a camera or solve one at the Match station.',
      { field: 'camera', frame: drawn.frame },
    )
  const shapes = drawn.shapes.map((shape) =>
    shape.map(([x, y]): [number, number] =>
      straighten(camera, (x - camera.centre[0]) / camera.focalPx, (y - camera.centre[1]) / camera.focalPx),
    ),
  )
  const low: [number, number, number] = [Infinity, Infinity, Infinity]
  const high: [number, number, number] = [-Infinity, -Infinity, -Infinity]
  const GRID = 24
  for (const shape of shapes) {
    const [xs, ys] = [shape.map(([x]) => x), shape.map(([, y]) => y)]
    const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)]
    for (let n = 0; n <= GRID; n++)
      for (let m = 0; m <= GRID; m++) {
        const along = normalise(
          rotate(camera.rotation, [x0 + ((x1 - x0) * n) / GRID, -(y0 + ((y1 - y0) * m) / GRID), -1]),
        )
        const t = solids.reduce(
          (nearest, solid) => Math.min(nearest, rayToSolid(solid, camera.position, along) ?? Infinity),
          Infinity,
        )
        if (!Number.isFinite(t) || t > 2000) continue
        const at = add(camera.position, scale(along, t))
        for (let a = 0; a < 3; a++) {
          low[a] = Math.min(low[a] ?? 0, at[a] ?? 0)
          high[a] = Math.max(high[a] ?? 0, at[a] ?? 0)
        }
      }
  }
  if (!Number.isFinite(low[0]))
    throw new LanternError(
      'gas-area',
      `The area of “${name}” lies on nothing: no set piece that stops gas is behind it.`,
      'Add the ground or a wall there, or draw it elsewhere.',
      { field: 'drawn', frame: drawn.frame },
    )
  return { eye: camera.position, rotation: camera.rotation, shapes, low, high }
}

type Feeding = GasItem | SourceItem

function shapeOf(
  document: SetDocument,
  item: Feeding,
  solids: readonly { id: string; solid: Solid }[],
  world: GasWorld,
): SourceShape {
  const radius = item.diameter / 2
  const list = solids.map(({ solid }) => solid)
  switch (item.shape) {
    case 'sphere':
      return { kind: 'ball', radius }
    case 'box':
      return { kind: 'box', half: [radius, (item.tall || item.diameter) / 2, (item.deep || item.diameter) / 2] }
    case 'disc':
      return { kind: 'disc', radius, thickness: SHEET }
    case 'line':
      if (!item.line || item.line.length < 2)
        throw new LanternError(
          'gas-line',
          `“${item.name}” comes from a line, and none is drawn.`,
          'Draw it in the set, or choose another shape.',
          { field: 'shape' },
        )
      return { kind: 'line', points: item.line, radius, thickness: SHEET }
    case 'piece': {
      const solid = solids.findIndex(({ id }) => id === item.piece)
      if (solid < 0)
        throw new LanternError(
          'gas-piece',
          `“${item.name}” comes from a set piece, and ${item.piece ? 'that piece is hidden or does not stop gas' : 'none is chosen'}.`,
          'Choose a shown piece with the role "stops gas".',
          { field: 'piece' },
        )
      return {
        kind: 'surface',
        solid,
        ...(item.pattern === 'painted' ? { view: viewOf(document, item.name, item, list, world) } : {}),
      }
    }
    case 'area':
      return { kind: 'area', view: viewOf(document, item.name, item, list, world) }
    case 'points':
      if (!item.points)
        throw new LanternError(
          'gas-points',
          `“${item.name}” comes from points, and no table of them is taken in.`,
          'Take one in, or choose another shape.',
          { field: 'shape' },
        )
      return { kind: 'points' }
  }
}

function sourceOf(
  document: SetDocument,
  item: Feeding,
  solids: readonly { id: string; solid: Solid }[],
  world: GasWorld,
): GasSource {
  return {
    shape: shapeOf(document, item, solids, world),
    perArea: item.per === 'a square metre',
    stirSize: item.stirSize || item.diameter / STIR_SHARE,
    ...(item.pattern === 'noise' ? { pattern: { size: item.patchSize, share: item.patches / 100 } } : {}),
  }
}

/** Where an item stands and how it is turned at a frame, from its motion; one without is not turned. */
const placeOf = (item: object): { turn?: number; tilt?: number; roll?: number } => item

function sourceMoment(item: Feeding, frame: number, world: GasWorld): SourceMoment {
  const { turn = 0, tilt = 0, roll = 0 } = placeOf(item)
  const rotation = panTiltRoll(radians(turn), radians(tilt), radians(roll))
  const points = item.shape === 'points' && item.points ? (world.points?.(item.points.blob, frame) ?? []) : undefined
  return {
    centre: item.position,
    rotation,
    heat: item.heat * 1000,
    smoke: item.smoke / 1000,
    temperature: item.warmth + KELVIN,
    speed: item.speed,
    aim: rotate(rotation, normalise(item.aim)),
    stir: item.stir,
    ...(points ? { points } : {}),
  }
}

const forceOf = (item: ForceItem): GasForce => ({
  way: item.way,
  soft: item.softEdge / 100,
  size: item.size,
  change: item.change,
  seed: item.seed,
})
const forceMoment = (item: ForceItem): ForceMoment => ({
  centre: item.position,
  axis: normalise(item.axis),
  strength: item.way === 'drag' ? item.slowing : item.strength,
  radius: item.radius,
})

function windOf(item: GasItem, seconds: number): Vec3 {
  const turn = seconds / item.gustEvery
  const gust = item.gust / 100
  const speed = item.wind * Math.max(0, 1 + gust * 1.6 * fractal3(item.seed + 911, turn, 0.5, 0.5, 3))
  const from = radians(item.windFrom + SWAY * gust * 1.6 * fractal3(item.seed + 977, turn, 0.5, 0.5, 3))
  // 0 degrees: from behind the set (-Z) towards the camera; 90: from the right (+X).
  return [-speed * sin(from), 0, speed * cos(from)]
}

const moved = (solid: Solid, by: Vec3): Solid =>
  solid.kind === 'halfspace'
    ? { ...solid, point: subtract(solid.point, by) }
    : { ...solid, centre: subtract(solid.centre, by) }

/** How far a gas that is held still has gone at a frame since the first: where what is kept is shown. */
export function carriedBy(document: SetDocument, item: GasItem, frame: number): Vec3 {
  if (!item.held || !item.motion) return [0, 0, 0]
  return subtract(itemAt(document, item, frame).position, itemAt(document, item, document.plate.first).position)
}

/** Lists that are equal are the same one, so that a recipe holds each once. */
function settle(moments: GasMoment[]): GasMoment[] {
  const texts: Record<string, string> = {}
  let last: GasMoment | undefined
  const settled = moments.map((moment) => {
    const next = { ...moment }
    for (const key of ['sources', 'forces', 'wind', 'solids'] as const) {
      const text = canonicalJson(moment[key])
      if (last && texts[key] === text) Object.assign(next, { [key]: last[key] })
      texts[key] = text
    }
    last = next
    return next
  })
  const [first] = settled
  const still =
    first &&
    settled.every((moment) =>
      (['sources', 'forces', 'wind', 'solids'] as const).every((key) => moment[key] === first[key]),
    )
  return still && first ? [first] : settled
}

/** An item's settings in SI, with the set pieces that stop gas and what works on it, frame by frame. Throws LanternError naming what of the source is missing. */
export function gasSettings(document: SetDocument, id: string, quality: GasQuality, world: GasWorld = {}): GasSettings {
  const item = gasItem(document, id)
  const { plate } = document
  const rate = plate.rate[0] / plate.rate[1]
  const cell = cellOf(item, quality)
  const items = itemsInOrder(document)
  const feeding: Feeding[] = [
    item,
    ...items.flatMap(([, one]) => (one.kind === 'source' && one.feeds === id && one.shown ? [one] : [])),
  ]
  const forces = items.flatMap(([, one]) =>
    one.kind === 'force' && one.shown && (one.on === '' || one.on === id) ? [one] : [],
  )
  const inputs = world.inputs ?? {}
  const standing = (frame: number) =>
    piecesAt(document, frame, inputs).flatMap(([piece, one]) =>
      one.roles.stops ? [{ id: piece, solid: solidOf(one) }] : [],
    )
  const alive =
    feeding.some((one) => one.motion || one.follows || one.shape === 'points') ||
    item.gust > 0 ||
    forces.some((one) => one.motion || one.follows) ||
    items.some(([, one]) => one.kind === 'box' && (one.motion || one.follows))
  const momentAt = (frame: number): GasMoment => {
    const by = carriedBy(document, item, frame)
    const now = itemAt(document, item, frame, inputs)
    const step = 0.5
    const pace =
      item.held && item.motion
        ? scale(
            subtract(itemAt(document, item, frame + step).position, itemAt(document, item, frame - step).position),
            rate / (2 * step),
          )
        : ([0, 0, 0] as const)
    return {
      sources: feeding.map((one) => {
        const moment = sourceMoment(itemAt(document, one, frame, inputs), frame, world)
        return { ...moment, centre: subtract(moment.centre, by) }
      }),
      forces: forces.map((one) => {
        const moment = forceMoment(itemAt(document, one, frame, inputs))
        return { ...moment, centre: subtract(moment.centre, by) }
      }),
      wind: subtract(windOf(now, (frame - plate.first) / rate), pace as Vec3),
      solids: standing(frame).map(({ solid }) => moved(solid, by)),
    }
  }
  const { first, last } = runOf(document, item)
  const moments = settle(Array.from({ length: alive ? last - first + 1 : 1 }, (_, n) => momentAt(first + n)))
  const solids = standing(plate.first)
  const ground = solids.reduce(
    (height, { solid }) =>
      solid.kind === 'halfspace' && solid.normal[1] > 0.99 ? Math.max(height, solid.point[1]) : height,
    -Infinity,
  )
  const sources = feeding.map((one) => sourceOf(document, one, solids, world))
  const reach = reachOf(item, sources, moments)
  return {
    cell,
    sources,
    forces: forces.map(forceOf),
    moments,
    runUp: item.runUp,
    ambient: item.airTemperature + KELVIN,
    shear: { exponent: item.shear, at: item.windAt, ground: Number.isFinite(ground) ? ground : 0 },
    sootYield: item.soot / 100,
    burnTime: item.burnTime,
    radiant: item.radiant / 100,
    black: item.matter === 'soot',
    fade: item.fade,
    confinement: item.confinement,
    courant: COURANT,
    bounds: within(
      {
        low: [
          reach.low[0] - item.reach,
          Math.max(
            reach.low[1] - item.reach,
            Number.isFinite(ground) ? Math.floor((ground + 1e-6) / cell + 1e-6) * cell : -Infinity,
          ),
          reach.low[2] - item.reach,
        ],
        high: [reach.high[0] + item.reach, reach.high[1] + (item.rise || item.reach), reach.high[2] + item.reach],
      },
      item,
    ),
    cut: moments.some(({ solids: all }) => wallsCut(all, cell)),
    mostCells: MOST_CELLS,
    seed: item.seed,
  }
}

/** The run that tells ahead how much work a gas will be (workAhead): the same with cells of so many times the size, at less than a hundredth of the cost of a large one. */
const ROUGH = 4
export function roughSettings(document: SetDocument, id: string, world: GasWorld = {}): GasSettings {
  const item = gasItem(document, id)
  return gasSettings(
    { ...document, items: { ...document.items, [id]: { ...item, cell: ROUGH * item.cell } } },
    id,
    'full',
    world,
  )
}

/** Bounds cut to the region that is kept alone. Throws LanternError 'gas-part' where nothing of them lies in it. */
function within(bounds: GasSettings['bounds'], { part, name }: GasItem): GasSettings['bounds'] {
  const low = bounds.low.map((v, axis) => Math.max(v, part?.low?.[axis] ?? -Infinity)) as [number, number, number]
  const high = bounds.high.map((v, axis) => Math.min(v, part?.high?.[axis] ?? Infinity)) as [number, number, number]
  if (low.some((v, axis) => v >= (high[axis] ?? 0)))
    throw new LanternError(
      'gas-part',
      `The region of “${name}” that is to be kept alone holds nothing of it.`,
      'Draw it round the gas, or keep the whole.',
      { field: 'part' },
    )
  return { low, high }
}

/** The first and last frame of a gas's kept run: the plate's, a part of them, or those that were taken in. */
export function runOf(document: SetDocument, item: GasItem): { first: number; last: number } {
  const { plate } = document
  if (item.taken) return { first: item.taken.at, last: item.taken.at + item.taken.blobs.length - 1 }
  const [from, to] = item.part?.frames ?? [plate.first, plate.last]
  const first = Math.min(plate.last, Math.max(plate.first, from))
  return { first, last: Math.max(first, Math.min(plate.last, to)) }
}

/** Where the sources' middles lie through the run: what the gas's reach is counted from. */
function reachOf(
  item: GasItem,
  sources: readonly GasSource[],
  moments: readonly GasMoment[],
): { low: Vec3; high: Vec3 } {
  const low = [Infinity, Infinity, Infinity]
  const high = [-Infinity, -Infinity, -Infinity]
  const take = (at: readonly number[]): void =>
    at.slice(0, 3).forEach((v, a) => {
      low[a] = Math.min(low[a] ?? v, v)
      high[a] = Math.max(high[a] ?? v, v)
    })
  for (const moment of moments)
    moment.sources.forEach((source, n) => {
      const shape = sources[n]?.shape
      if (shape?.kind === 'points')
        for (let at = 0; at + 3 < (source.points?.length ?? 0); at += 4) take(source.points?.slice(at, at + 3) ?? [])
      else if (shape?.kind === 'line')
        for (const point of shape.points) take(add(source.centre, rotate(source.rotation, point)))
      else if (shape && 'view' in shape && shape.view) take(shape.view.low), take(shape.view.high)
      else if (shape?.kind === 'surface') {
        const solid = moment.solids[shape.solid]
        if (solid?.kind === 'box') take(subtract(solid.centre, solid.half)), take(add(solid.centre, solid.half))
        else take(item.position)
      } else take(source.centre)
    })
  if (!Number.isFinite(low[0])) take(item.position)
  return { low: low as unknown as Vec3, high: high as unknown as Vec3 }
}

/** What of a moment differs from the one before it: lists that are the same are left out. */
const momentChange = (moment: GasMoment, before: GasMoment | undefined): Partial<GasMoment> =>
  Object.fromEntries(
    (['sources', 'forces', 'wind', 'solids'] as const).flatMap((key) =>
      before && moment[key] === before[key] ? [] : [[key, moment[key]]],
    ),
  )

/** The recipe of an item's gas over the whole plate. */
export function gasRecipe(document: SetDocument, id: string, quality: GasQuality, world: GasWorld = {}): Recipe {
  const item = gasItem(document, id)
  if (item.taken) {
    const { blobs, ...taken } = item.taken
    return {
      kind: 'gas',
      version: VERSIONS.taken,
      settings: { taken, ambient: item.airTemperature + KELVIN },
      inputs: blobs,
    }
  }
  const { moments, ...settings } = gasSettings(document, id, quality, world)
  const [over, under] = document.plate.rate
  return {
    kind: 'gas',
    version: VERSIONS.gas,
    settings: {
      ...settings,
      moments: moments.map((moment, n) => momentChange(moment, moments[n - 1])),
      rate: [over, under],
      first: runOf(document, item).first,
    },
    inputs: [],
  }
}

/** A key per frame of the plate that holds all that decides the gas up to it: runs whose keys agree up to a frame have the same frames up to it. */
export function gasFrameKeys(recipe: Recipe, first: number, last: number): Map<number, string> {
  const { moments = [], ...rest } = recipe.settings as { moments?: readonly object[] }
  let key = recipeKey({ ...recipe, settings: rest })
  const keys = new Map<number, string>()
  for (let frame = first; frame <= last; frame++) {
    const change = moments[frame - first] ?? {}
    key = textKey(`${key}:${Object.keys(change).length > 0 ? canonicalJson(change) : ''}`)
    keys.set(frame, key)
  }
  return keys
}

export interface GasRoom {
  cells: number
  bytes: number
  /** The smallest cell, m, with which it would fit into the memory that was asked about. */
  cellThatFits: number
}

/** The most that a gas may come to need, and what would fit into `memory` bytes. */
export function gasRoom(settings: GasSettings, memory: number): GasRoom {
  const spans = settings.bounds.high.map((high, axis) =>
    Math.max(settings.cell * 16, high - (settings.bounds.low[axis] ?? 0)),
  )
  const volume = spans.reduce((a, b) => a * b, 1)
  const cells = volume / settings.cell ** 3
  const most = Math.min(MOST_CELLS, memory / BYTES_PER_CELL)
  return { cells, bytes: cells * BYTES_PER_CELL, cellThatFits: Math.max(settings.cell, cbrt(volume / most)) }
}

/** Throws LanternError 'gas-size' where the whole reach of a gas does not fit, saying what would. */
export function checkRoom(name: string, settings: GasSettings, memory: number): void {
  const room = gasRoom(settings, memory)
  if (room.cellThatFits <= settings.cell) return
  const fits = Math.ceil(room.cellThatFits * 1000)
  throw new LanternError(
    'gas-size',
    `“${name}” may come to ${(room.cells / 1e6).toFixed(1)} million cells of ${(settings.cell * 1000).toFixed(0)} mm, ${(room.bytes / 1073741824).toFixed(1)} GiB; that is more than fits here.`,
    `A cell of ${fits} mm would fit, or a smaller reach or rise.`,
    { field: 'cell' },
  )
}
