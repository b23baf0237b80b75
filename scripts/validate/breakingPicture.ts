import { readFileSync } from 'node:fs'
import type { Crew } from '../../core/src/base/index.ts'
import { dugHeight, type FloatImage, projectPoint } from '../../core/src/data/index.ts'
import { BreakSimulation, breakSettings, isBreaking } from '../../core/src/effects/breaking/index.ts'
import { craterEffect, craterInstances } from '../../core/src/effects/crater/index.ts'
import { readCameraFile } from '../../core/src/formats/index.ts'
import { add, rotate, type Vec3 } from '../../core/src/math/index.ts'
import {
  composeFrame,
  lightOfPlate,
  pictureFrame,
  plateImage,
  renderPicture,
  stackSettings,
} from '../../core/src/pipeline/index.ts'
import { dugOf } from '../../core/src/set/index.ts'
import { makeItem, makeShot, PLAIN_LAYER, type ShotDocument } from '../../core/src/shot/index.ts'
import { makeFrames } from '../../core/testing/breaks.ts'
import { movieFrame } from './movieFrame.ts'
import { atMost, type Row } from './row.ts'

// The yard's own plate with pieces at rest on it, and with a hole in the ground: what must not be seen.

const [WIDE, TALL, FIRST] = [1280, 720, 1001] as const
const FRAME = 1051

/** The yard with the masonry over its door, and the exact camera. */
function yard() {
  const plate = {
    asset: 'a',
    file: 'f',
    width: WIDE,
    height: TALL,
    first: FIRST,
    last: 1120,
    rate: [24, 1] as [number, number],
    encoding: 'rec709' as const,
  }
  const shot = makeShot('Yard', plate)
  const { patch } = JSON.parse(readFileSync('demo/shots/kiln-yard.json', 'utf8')) as {
    patch: { items: Record<string, { kind: never }>; light: object }
  }
  Object.assign(shot.light, patch.light)
  for (const id of ['cobbles', 'kiln', 'door-arch', 'arch-breaks'])
    shot.items[id] = makeItem(patch.items[id]?.kind as never, patch.items[id] as never)
  const { frames } = readCameraFile(readFileSync('demo/exact/yard-walk-camera.gltf'), 'yard.gltf', {
    ...plate,
    rate: 24,
  })
  return { shot, cameras: (n: number) => frames.find(({ frame }) => frame === n)?.camera }
}

const plateOf = (crew: Crew, shot: ShotDocument, frame: number): FloatImage =>
  lightOfPlate(
    crew,
    plateImage(movieFrame('demo/plates/yard-walk.mp4', frame - FIRST, WIDE, TALL), WIDE, TALL, 'rec709'),
    shot.sit,
    'rec709',
  )
const NO_GRAIN = { floor: [0, 0, 0], slope: [0, 0, 0], spread: 0 } as const

/** Noise of a picture by its second differences, over a part: r g b mean. Immerkaer 1996. */
function grainOf({ data, width, channels }: FloatImage, [x0, y0, x1, y1]: readonly number[]): number {
  let [sum, count] = [0, 0]
  const at = (x: number, y: number): number => data[(y * width + x) * channels + 1] ?? 0
  for (let y = (y0 ?? 0) + 1; y < (y1 ?? 0) - 1; y++)
    for (let x = (x0 ?? 0) + 1; x < (x1 ?? 0) - 1; x++) {
      const own =
        at(x - 1, y - 1) +
        at(x + 1, y - 1) +
        at(x - 1, y + 1) +
        at(x + 1, y + 1) +
        4 * at(x, y) -
        2 * (at(x, y - 1) + at(x, y + 1) + at(x - 1, y) + at(x + 1, y))
      sum += Math.abs(own)
      count++
    }
  return (Math.sqrt(Math.PI / 2) * sum) / (6 * count)
}

export async function restRows(crew: Crew): Promise<Row[]> {
  const { shot, cameras } = yard()
  const item = shot.items['arch-breaks']
  if (!isBreaking(item)) throw new TypeError('the arch breaks')
  const simulation = await BreakSimulation.open(breakSettings(shot, item))
  makeFrames(simulation, 1)
  const whole = simulation.keep(true)
  simulation.close()
  // All of its pieces are drawn, where they stand, on the frame whose plate they have on them.
  const rest = { ...whole, states: whole.states.map(() => 2) }
  const strikes = Object.fromEntries(Object.entries(item.strikes).map(([id, one]) => [id, { ...one, frame: FRAME }]))
  shot.items['arch-breaks'] = { ...item, frozen: FRAME, strikes, behind: 'plate' }
  // What has the plate on it is as soft as the plate already.
  shot.sit.layers['arch-breaks'] = { ...PLAIN_LAYER, softness: 0 }
  const at = pictureFrame(shot, cameras, FRAME)
  const plate = plateOf(crew, shot, FRAME)
  const picture = renderPicture(crew, shot, at, () => rest, 'final', { plates: () => plate, plate })
  const out = composeFrame(crew, plate, picture, stackSettings(shot, NO_GRAIN as never), WIDE, FRAME)
  const layer = picture.layers.find(({ id }) => id === 'arch-breaks')
  let [sum, count] = [0, 0]
  const box = [Infinity, Infinity, 0, 0]
  for (let y = 0; layer && y < layer.height; y++)
    for (let x = 0; x < layer.width; x++) {
      if ((layer.alpha?.data[y * layer.width + x] ?? 0) < 0.99) continue
      const [px, py] = [x + layer.x, y + layer.y]
      box[0] = Math.min(box[0] as number, px)
      box[1] = Math.min(box[1] as number, py)
      box[2] = Math.max(box[2] as number, px)
      box[3] = Math.max(box[3] as number, py)
      const n = py * WIDE + px
      const off = (out.data[n * out.channels + 1] ?? 0) - (plate.data[n * 3 + 1] ?? 0)
      sum += off * off
      count++
    }
  const rms = Math.sqrt(sum / Math.max(1, count))
  return [
    atMost(
      'breaking, all pieces at rest on the plate: rms difference over its grain',
      'the plate itself',
      1.2,
      rms / grainOf(plate, box),
    ),
    ...flatRows(crew),
    surfaceRow(),
    slideRow(crew),
  ]
}

/** The yard with a hole where the ground lies bare. */
function holeYard() {
  const made = yard()
  for (const id of ['door-arch', 'arch-breaks']) delete made.shot.items[id]
  made.shot.items.hole = makeItem('crater', {
    name: 'Hole',
    order: 9,
    position: [...HOLE],
    width: 1,
    depth: 0.2,
    rim: 0.04,
  })
  return made
}
const HOLE: Vec3 = [0.4, 0, 5]

/** How far the surface that is drawn lies off the crater's own heights, px of the picture, at the middles of its triangles. */
function surfaceRow(): Row {
  const { shot, cameras } = holeYard()
  const camera = cameras(FRAME)
  const dug = dugOf(shot.items.hole as never, FRAME)
  const [instance] = craterInstances(shot, 'hole', FRAME, {})
  if (!camera || !dug || !instance) throw new TypeError('a hole and its camera')
  const drawn = craterEffect.draw(instance, [], { camera, illuminance: 400, emitters: 1, seconds: 1 / 24 } as never)
  const offs = drawn.flatMap((one) => {
    if (one.kind !== 'thing') return []
    const { positions, indices } = one.mesh
    return Array.from({ length: indices.length / 3 }, (_, t) => {
      const sum = [0, 1, 2].map((a) =>
        [0, 1, 2].reduce((all, k) => all + (positions[3 * (indices[3 * t + k] ?? 0) + a] ?? 0) / 3, 0),
      ) as unknown as Vec3
      const at = add(one.opening.place, rotate(one.opening.rotation, sum))
      const exact: Vec3 = [at[0], dugHeight(dug, at[0], at[2]), at[2]]
      const [p, q] = [projectPoint(camera, at), projectPoint(camera, exact)]
      return p && q ? Math.hypot(p.x - q.x, p.y - q.y) : 0
    })
  })
  offs.sort((a, b) => a - b)
  return atMost(
    `crater, drawn surface off its own heights, px at 1280x720, 99 of 100 of ${offs.length.toLocaleString('en')} triangles`,
    'its heights',
    0.5,
    offs[Math.floor(0.99 * offs.length)] ?? Infinity,
  )
}

/** Frames in which its edge is looked for, and ways out from its middle. */
const SLIDES = [1052, 1064, 1076, 1088, 1100]
const WAYS = 12
/** How far its soft edge wanders over the ground while the camera moves, px. */
function slideRow(crew: Crew): Row {
  const { shot, cameras } = holeYard()
  const dug = dugOf(shot.items.hole as never, FRAME)
  const found = SLIDES.map((frame) => {
    const at = pictureFrame(shot, cameras, frame)
    const camera = at.camera
    const picture = renderPicture(crew, shot, at, () => undefined, 'final', { plate: plateOf(crew, shot, frame) })
    const layer = picture.layers.find(({ id }) => id === 'hole')
    const share = (x: number, y: number): number => {
      const [u, v] = [x - 0.5 - (layer?.x ?? 0), y - 0.5 - (layer?.y ?? 0)]
      const [i, j] = [Math.floor(u), Math.floor(v)]
      const one = (a: number, b: number): number =>
        layer && a >= 0 && b >= 0 && a < layer.width && b < layer.height
          ? (layer.alpha?.data[b * layer.width + a] ?? 0)
          : 0
      const mixed = (b: number): number => one(i, b) + (one(i + 1, b) - one(i, b)) * (u - i)
      return mixed(j) + (mixed(j + 1) - mixed(j)) * (v - j)
    }
    return Array.from({ length: WAYS }, (_, n) => {
      const angle = (2 * Math.PI * n) / WAYS
      const placeAt = (r: number): Vec3 => {
        const [x, z] = [HOLE[0] + r * Math.cos(angle), HOLE[2] + r * Math.sin(angle)]
        return [x, dug ? dugHeight(dug, x, z) : 0, z]
      }
      // From outside in, to where half of it is there.
      for (let r = 1.6; r > 0.3; r -= 0.002) {
        const seen = projectPoint(camera, placeAt(r))
        const next = projectPoint(camera, placeAt(r + 0.01))
        if (seen && next && share(seen.x, seen.y) > 0.5)
          return { r, px: Math.hypot(next.x - seen.x, next.y - seen.y) / 0.01 }
      }
      return undefined
    })
  })
  const offs = Array.from({ length: WAYS }, (_, n) => found.flatMap((all) => all[n] ?? [])).flatMap((own) => {
    const mean = own.reduce((sum, { r }) => sum + r, 0) / own.length
    return own.length === SLIDES.length ? own.map(({ r, px }) => Math.abs(r - mean) * px) : []
  })
  return atMost(
    `crater, its edge on the moving plate: mean slide over ${SLIDES.length} frames, px (${offs.length} places)`,
    'the ground, exact camera',
    0.3,
    offs.length > 0 ? offs.reduce((sum, off) => sum + off, 0) / offs.length : Infinity,
  )
}

/** Pixels outside a crater that its shadow does not reach are the plate's own. */
function flatRows(crew: Crew): Row[] {
  const { shot, cameras } = holeYard()
  const plate = plateOf(crew, shot, FRAME)
  const at = pictureFrame(shot, cameras, FRAME)
  const picture = renderPicture(crew, shot, at, () => undefined, 'final', { plate })
  const out = composeFrame(crew, plate, picture, stackSettings(shot, NO_GRAIN as never), WIDE, FRAME)
  const layer = picture.layers.find(({ id }) => id === 'hole')
  let [other, outside] = [0, 0]
  for (let y = 0; y < TALL; y++)
    for (let x = 0; x < WIDE; x++) {
      const [lx, ly] = [x - (layer?.x ?? 0), y - (layer?.y ?? 0)]
      const within = layer && lx >= 0 && ly >= 0 && lx < layer.width && ly < layer.height
      const k = within ? ly * layer.width + lx : -1
      const touched =
        within &&
        ((layer.alpha?.data[k] ?? 0) > 0 ||
          (layer.sun?.data[k] ?? 1) < 1 ||
          (layer.sky?.data[k] ?? 1) < 1 ||
          (layer.contact?.data[k] ?? 0) > 0)
      if (touched) continue
      outside++
      const n = y * WIDE + x
      if ([0, 1, 2].some((c) => out.data[n * out.channels + c] !== plate.data[n * 3 + c])) other++
    }
  return [
    atMost(
      `crater, of ${outside.toLocaleString('en')} pixels that it neither covers nor shades those that differ from the plate`,
      'none',
      0,
      other,
    ),
  ]
}
