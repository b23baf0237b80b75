import { JOB_BYTES, writeJob } from '@lantern/kernels'
import { type Crew, hash01, type Progress, stopIfCancelled } from '../base/index.ts'
import { projectPoint } from '../data/index.ts'
import { add, rotate, type Vec3 } from '../math/index.ts'
import type { Instance, Pose } from './instances.ts'
import type { FrameScene, Splats } from './passes.ts'
import type { LaidScene } from './scene.ts'

// The tiles of a picture, rendered in batches: what a batch holds is taken off the heap before the next.

export const TILE = 32
export const AREA = TILE * TILE
const HEAD = 128
/** Planes of a slot (kernels/assembly/tile.ts): the picture's own, then those of each layer. */
export const OWN_PLANES = 13
export const LAYER_PLANES = 25
const BLOCK = 8
const MOST_BATCH_BYTES = 96e6
/** Of kernels/assembly/scratch.ts: without and with room for splats' hits. */
const SCRATCH = 32768 + 320 * 64 + 320 * 4 + 32 * 128 + 128 * 128 + 1024 * 8
const SCRATCH_WITH_SPLATS = SCRATCH + 2 * 131072 * 16 + 1025 * 4
const SPLAT_FLOATS = 16

/** What was rendered of one tile. present: bits of each layer (COLOUR and the others). */
export interface RenderedTile {
  x: number
  y: number
  present: Uint32Array
  own: Float32Array
  /** By layer: its planes, where it has anything. */
  layers: readonly (Float32Array | undefined)[]
}

/** Bits of what a layer has in a tile. */
export const PRESENT = { colour: 1, emission: 2, effect: 4, sun: 8, sky: 16, contact: 32, hidden: 64 } as const

/** A byte for each block of pixels in which a thing may be seen: where its bounds lie while the shutter is open. */
function busyBlocks({ camera, lens }: FrameScene, things: readonly Instance[]): { data: Uint8Array; width: number } {
  const width = Math.ceil(camera.width / BLOCK)
  const height = Math.ceil(camera.height / BLOCK)
  const data = new Uint8Array(width * height)
  for (const { tree, opening, closing, soft } of things) {
    // One sample in a look, few in a final: nothing of it is sharp.
    if (soft) continue
    let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity]
    const look = (pose: Pose, n: number): void => {
      const { low, high } = tree
      const corner: Vec3 = [n & 1 ? high[0] : low[0], n & 2 ? high[1] : low[1], n & 4 ? high[2] : low[2]]
      const scaled: Vec3 = [corner[0] * pose.scale, corner[1] * pose.scale, corner[2] * pose.scale]
      const seen = projectPoint(camera, add(pose.place, rotate(pose.rotation, scaled)))
      if (!seen) {
        ;[x0, y0, x1, y1] = [0, 0, camera.width, camera.height]
        return
      }
      const blur = lens ? camera.focalPx * lens.radius * Math.abs(1 / lens.focus - 1 / seen.depth) : 0
      const more = 4 + 2 * blur
      x0 = Math.min(x0, seen.x - more)
      y0 = Math.min(y0, seen.y - more)
      x1 = Math.max(x1, seen.x + more)
      y1 = Math.max(y1, seen.y + more)
    }
    for (let n = 0; n < 16; n++) look(n < 8 ? opening : closing, n & 7)
    const last = (value: number, most: number): number => Math.min(most - 1, Math.floor(value / BLOCK))
    for (let y = Math.max(0, Math.floor(y0 / BLOCK)); y <= last(y1, height); y++)
      data.fill(1, y * width + Math.max(0, Math.floor(x0 / BLOCK)), y * width + Math.max(-1, last(x1, width)) + 1)
  }
  return { data, width }
}

/** Lays the splats of all layers out, nearest first in the lists of their tiles. */
function laySplats(crew: Crew, frame: FrameScene, across: number, down: number) {
  const { heap } = crew
  const all = frame.layers.flatMap(({ drawables }, layer) =>
    drawables.filter((one): one is Splats => one.kind === 'splats').map(({ data }) => ({ data, layer })),
  )
  const count = all.reduce((sum, { data }) => sum + data.length / SPLAT_FLOATS, 0)
  if (count === 0) return { splats: 0, splatOffsets: 0, splatLists: 0 }
  const splats = heap.alloc(count * SPLAT_FLOATS * 4)
  let at = 0
  for (const { data, layer } of all) {
    heap.f32(splats + at * 64, data.length).set(data)
    const words = heap.i32(splats + at * 64, data.length)
    for (let n = 7; n < data.length; n += SPLAT_FLOATS) words[n] = layer
    // The colour's kind is given as a number.
    for (let n = 13; n < data.length; n += SPLAT_FLOATS) words[n] = data[n] ?? 0
    at += data.length / SPLAT_FLOATS
  }
  const [a, b, counts] = [heap.alloc(count * 8), heap.alloc(count * 8), heap.alloc(1024)] as const
  crew.run('splatKeys', { splats, keys: a }, count, 4096)
  crew.run('sortKeys', { a, b, count, counts }, 1)
  const splatOffsets = heap.alloc((across * down + 1) * 4)
  const total = heap.alloc(4)
  const bins = { splats, keys: a, count, across, down, offsets: splatOffsets, total }
  crew.run('binSplats', { ...bins, lists: 0 }, 1)
  const splatLists = heap.alloc(Math.max(1, heap.i32(total, 1)[0] ?? 0) * 4)
  crew.run('binSplats', { ...bins, lists: splatLists }, 1)
  return { splats, splatOffsets, splatLists }
}

/** Bits of the layers that a matte takes away: all that it holds out where it says nothing, none where none of them is there. */
function layerBits(cuts: readonly string[], layers: FrameScene['layers']): number {
  return layers.reduce((bits, { id }, n) => (cuts.includes(id) ? bits | (1 << n) : bits), 0)
}

/** Lays mattes on the heap, plane after plane. Their distances are along the view axis. */
function layMattes(crew: Crew, { mattes = [], camera, layers }: FrameScene) {
  const { heap } = crew
  const area = camera.width * camera.height
  const laid = mattes
    .map((one) => ({ ...one, bits: one.cuts ? layerBits(one.cuts, layers) : 0 }))
    .filter(({ cuts, bits }) => !cuts || bits !== 0)
  const at = heap.alloc(Math.max(1, laid.length) * area * 4)
  const matteTable = heap.alloc(Math.max(1, laid.length) * 16)
  laid.forEach(({ image, distance, soft = 0, bits, distances }, n) => {
    heap.f32(at + n * area * 4, area).set(image.data)
    const planes = distances ? heap.alloc(area * 4) : 0
    if (distances) heap.f32(planes, area).set(distances.data)
    heap.f32(matteTable + n * 16, 2).set([distance, soft])
    heap.i32(matteTable + n * 16 + 8, 2).set([bits, planes])
  })
  return { mattes: at, matteTable, matteCount: laid.length }
}

/** One tile of every four by four is tried where only the time is wanted, another one in each: what is drawn may lie in rows. */
const BLOCK_TILES = 4
export const TRIED = BLOCK_TILES * BLOCK_TILES
const isTried = (x: number, y: number): boolean => {
  const block = [Math.floor(x / BLOCK_TILES), Math.floor(y / BLOCK_TILES)] as const
  return (x % BLOCK_TILES) + BLOCK_TILES * (y % BLOCK_TILES) === Math.floor(TRIED * hash01(7, ...block))
}

/** Numbers of the tiles that are wanted. */
function tilesWanted({ part, trial }: FrameScene, across: number, down: number): number[] {
  return Array.from({ length: across * down }, (_, n) => n).filter((n) => {
    const [column, row] = [n % across, Math.floor(n / across)]
    if (trial && !isTried(column, row)) return false
    if (!part) return true
    const [x, y] = [column * TILE, row * TILE]
    return x < part.x + part.width && x + TILE > part.x && y < part.y + part.height && y + TILE > part.y
  })
}

/** Takes a slot's planes off the heap. */
function takeSlot(crew: Crew, slot: number, tile: number, across: number, layers: number): RenderedTile {
  const { heap } = crew
  const present = new Uint32Array(heap.i32(slot, Math.max(1, layers)).slice())
  const planes = slot + HEAD
  return {
    x: (tile % across) * TILE,
    y: Math.floor(tile / across) * TILE,
    present,
    own: heap.f32(planes, OWN_PLANES * AREA).slice(),
    layers: Array.from({ length: layers }, (_, n) =>
      present[n] === 0
        ? undefined
        : heap.f32(planes + (OWN_PLANES + n * LAYER_PLANES) * AREA * 4, LAYER_PLANES * AREA).slice(),
    ),
  }
}

/** Renders the wanted tiles of a laid frame. report: the share that is done. Throws Cancelled. */
export function renderTiles(
  crew: Crew,
  frame: FrameScene,
  laid: LaidScene,
  progress: Progress,
  report: (share: number) => void,
): RenderedTile[] {
  const { heap } = crew
  const { camera, quality, layers, shutter } = frame
  const across = Math.ceil(camera.width / TILE)
  const down = Math.ceil(camera.height / TILE)
  const busy = busyBlocks(frame, laid.things)
  const busyAt = heap.alloc(busy.data.length)
  heap.u8(busyAt, busy.data.length).set(busy.data)
  const splats = laySplats(crew, frame, across, down)
  const scratchBytes = Math.ceil((splats.splats ? SCRATCH_WITH_SPLATS : SCRATCH) / 64) * 64
  const slotBytes = HEAD + (OWN_PLANES + LAYER_PLANES * layers.length) * AREA * 4
  const wanted = tilesWanted(frame, across, down)
  const batch = Math.max(2 * crew.threads, Math.min(64, Math.floor(MOST_BATCH_BYTES / slotBytes)))
  const tilesAt = heap.alloc(batch * 4)
  const out = heap.alloc(batch * slotBytes)
  const scratch = heap.alloc(crew.threads * scratchBytes)
  const job = heap.alloc(JOB_BYTES)
  writeJob(heap, job, {
    scene: laid.scene,
    view: laid.view,
    few: quality.few,
    many: quality.many,
    most: quality.most,
    noise: quality.noise,
    bounces: Number(quality.bounces),
    marches: quality.marches,
    mostMarches: quality.mostMarches,
    step: quality.step,
    open: quality.blurs ? (shutter?.seconds ?? 0) : 0,
    salt: 0,
    scratch,
    scratchBytes,
    busy: busyAt,
    busyWidth: busy.width,
    tiles: tilesAt,
    tilesAcross: across,
    out,
    slotBytes,
    ...splats,
    ...layMattes(crew, frame),
  })
  const done: RenderedTile[] = []
  for (let first = 0; first < wanted.length; first += batch) {
    stopIfCancelled(progress)
    const own = wanted.slice(first, first + batch)
    heap.i32(tilesAt, own.length).set(own)
    crew.run('renderTiles', { job }, own.length, 1)
    own.forEach((tile, n) => done.push(takeSlot(crew, out + n * slotBytes, tile, across, layers.length)))
    report((first + own.length) / wanted.length)
  }
  return done
}
