import type { Crew } from '../../core/src/base/index.ts'
import {
  type CutPattern,
  contactsOf,
  cutBody,
  cutMesh,
  Holding,
  LAID_OPEN,
  openEdges,
  weld,
} from '../../core/src/breaking/index.ts'
import {
  bodiesOfParts,
  boxBody,
  type Convex,
  dugHeight,
  dugVolumes,
  isClosed,
  type Mesh,
  measureConvex,
  planesOf,
  type Solid,
} from '../../core/src/data/index.ts'
import { craterEffect } from '../../core/src/effects/crater/index.ts'
import { particlesSchema } from '../../core/src/effects/particles/schema.ts'
import { meanOfExp, thrownOf } from '../../core/src/effects/particles/thrown.ts'
import { cos, cross, dot, sin, subtract, type Vec3 } from '../../core/src/math/index.ts'
import { type RigidBodySettings, RigidSimulation } from '../../core/src/rigid/index.ts'
import { type CraterItem, dugOf, formParts, formSchema } from '../../core/src/set/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../../core/src/shot/index.ts'
import { makeFrames, openBreak, wallShot } from '../../core/testing/breaks.ts'
import { scanMesh } from '../../core/testing/scans.ts'
import { restRows } from './breakingPicture.ts'
import { atLeast, atMost, type Row, within } from './row.ts'

// What breaks against closed forms, what is conserved, and measured craters.

const G = 9.81
const RATE = 24
const GROUND: Solid = { kind: 'halfspace', point: [0, 0, 0], normal: [0, 1, 0] }

const LOW: Vec3 = [-1.1, 0, -0.17]
const HIGH: Vec3 = [1.1, 1.5, 0.17]
/** The masonry over the kiln's door. */
function arch(): Convex[] {
  const round = Array.from({ length: 13 }, (_, k): [number, number] => {
    const angle = (Math.PI * k) / 12
    return [0.65 * cos(angle), -(0.65 * sin(angle))]
  })
  const corners = [[-1.1, 0], [-1.1, -1.45], [1.1, -1.45], [1.1, 0], ...round]
  const item = formSchema.parse({ kind: 'form', name: 'Arch', order: 1, shape: 'outline', height: 0.34, corners })
  return bodiesOfParts(formParts(item))
}
const PATTERNS: readonly [string, CutPattern][] = [
  ['lumps', { way: 'lumps' }],
  ['bricks', { way: 'bricks', bond: { length: 0.225, height: 0.075, shift: 0.5 }, axes: [0, 1, 2] }],
  ['splinters', { way: 'splinters', axis: 0, times: 8 }],
  ['slabs', { way: 'slabs' }],
  ['radial', { way: 'radial', centre: [0, 0.8, 0] }],
]
const volumeOf = (bodies: readonly Convex[]): number => bodies.reduce((sum, one) => sum + measureConvex(one).volume, 0)

function cutRows(): Row[] {
  return PATTERNS.flatMap(([name, pattern]) =>
    (['wall', 'arch'] as const).map((what) => {
      const parts = what === 'wall' ? [boxBody(LOW, HIGH)] : arch()
      const fine = [{ at: [0.3, 0.9, 0] as Vec3, radius: 0.4 }]
      const own = what === 'arch' && pattern.way === 'bricks' ? { ...pattern, axes: [0, 2, 1] as const } : pattern
      const pieces = cutBody(parts, { pattern: own, number: 300, seed: 5, fine, planes: [] })
      const bodies = pieces.flatMap((one) => [...one.bodies])
      const error = bodies.every(isClosed) ? Math.abs(volumeOf(bodies) / volumeOf(parts) - 1) : Infinity
      return atMost(`breaking, ${name} of the ${what}: volumes, all closed`, 'the whole', 1e-4, error)
    }),
  )
}

/** A scanned ball of 19,800 triangles. */
async function scanRows(): Promise<Row[]> {
  const scan = scanMesh()
  const { pieces, contacts } = await cutMesh(scan, {
    pattern: { way: 'lumps' },
    number: 500,
    seed: 7,
    fine: [],
    planes: [],
  })
  const meshes = pieces.flatMap(({ mesh }) => mesh ?? [])
  const open = meshes.filter((mesh) => openEdges(weld(mesh))).length
  const volume = (mesh: Mesh): number => {
    let six = 0
    const corner = (n: number): Vec3 => {
      const k = 3 * (mesh.indices[n] ?? 0)
      return [mesh.positions[k] ?? 0, mesh.positions[k + 1] ?? 0, mesh.positions[k + 2] ?? 0]
    }
    for (let t = 0; t < mesh.indices.length; t += 3) six += dot(corner(t), cross(corner(t + 1), corner(t + 2)))
    return six / 6
  }
  const whole = meshes.reduce((sum, mesh) => sum + volume(mesh), 0)
  let inner = 0
  for (const { positions, indices, parts } of meshes)
    parts?.forEach((part, t) => {
      if (part !== LAID_OPEN) return
      const [a, b, c] = [0, 1, 2].map((k) => {
        const n = 3 * (indices[3 * t + k] ?? 0)
        return [positions[n] ?? 0, positions[n + 1] ?? 0, positions[n + 2] ?? 0] as Vec3
      }) as [Vec3, Vec3, Vec3]
      const out = cross(subtract(b, a), subtract(c, a))
      inner += Math.sqrt(dot(out, out)) / 4
    })
  const touching = contacts.reduce((sum, { area }) => sum + area, 0)
  return [
    atMost(`breaking, a scan of 19,800 triangles in ${pieces.length}: open pieces`, 'none', 0, open),
    atMost('breaking, the same: volumes', 'the whole', 1e-4, Math.abs(whole / volume(scan) - 1)),
    atMost(
      'breaking, the same: what touches, against half of what was laid open',
      'the same',
      1e-3,
      Math.abs(touching / inner - 1),
    ),
  ]
}

function overlapRow(): Row {
  const parts = arch()
  const pieces = cutBody(parts, { pattern: { way: 'lumps' }, number: 300, seed: 5, fine: [], planes: [] })
  const planes = pieces.flatMap(({ bodies }) => bodies.map(planesOf))
  let twice = 0
  let seed = 12345
  const dice = (): number => ((seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0), seed / 4294967296)
  for (let n = 0; n < 20_000; n++) {
    const at: Vec3 = [2.2 * dice() - 1.1, 0.34 * dice(), -1.45 * dice()]
    const inside = planes.filter((own) => own.every(({ normal, offset }) => dot(normal, at) < offset - 1e-7)).length
    if (inside > 1) twice++
  }
  return atMost('breaking, places within two pieces of the arch before it is struck, of 20,000', 'none', 0, twice)
}

const cube = (place: Vec3, over: Partial<RigidBodySettings> = {}, half: Vec3 = [0.1, 0.1, 0.1]): RigidBodySettings => ({
  hulls: [Float32Array.from(boxBody([-half[0], -half[1], -half[2]], half).corners.flat())],
  place,
  rotation: [0, 0, 0, 1],
  density: 1900,
  friction: 0.6,
  restitution: 0,
  held: false,
  ...over,
})
const opened = (bodies: RigidBodySettings[], solids: readonly Solid[] = [GROUND], substeps = 4) =>
  RigidSimulation.open({ gravity: G, rate: RATE, substeps, solids, bodies })
const run = (simulation: RigidSimulation, frames: number, each?: (n: number) => void): void => {
  for (let n = 0; n < frames; n++) {
    for (const _ of simulation.frame()) void _
    each?.(n)
  }
}

async function motionRows(): Promise<Row[]> {
  const fall = await opened([cube([0, 30, 0])])
  run(fall, 2 * RATE)
  const fallen = 30 - fall.pose(0).place[1]
  const slide = await opened([cube([0, 0.1, 0], {}, [0.4, 0.1, 0.4])])
  run(slide, 6)
  const [from] = slide.pose(0).place
  slide.release(0, [3, 0, 0])
  run(slide, 2 * RATE)
  const slid = slide.pose(0).place[0] - from
  const round = Float32Array.from(
    Array.from({ length: 400 }, (_, n) => {
      const y = 1 - (2 * (n + 0.5)) / 400
      const r = Math.sqrt(1 - y * y)
      return [0.05 * r * cos(n * 2.399963), 0.05 * y, 0.05 * r * sin(n * 2.399963)]
    }).flat(),
  )
  const ball = await opened([{ ...cube([0, 2.05, 0], { restitution: 0.7 }), hulls: [round] }], [GROUND], 16)
  let [met, highest] = [false, 0]
  run(ball, 2 * RATE, () => {
    const { place, velocity } = ball.pose(0)
    met ||= velocity[1] > 0
    if (met) highest = Math.max(highest, place[1] - 0.05)
  })
  const pair = await opened([cube([0, 5, 0]), cube([1, 5, 0])])
  pair.release(0, [6, 0, 0])
  run(pair, 12)
  const speeds = [0, 1].map((n) => pair.pose(n).velocity[0])
  const rows = [
    within('breaking, free fall over 2 s, m', 'g t^2 / 2', (G * 4) / 2, fallen, 0.005),
    within('breaking, slide of a block from 3 m/s, m', 'v^2 / (2 mu g)', 9 / (2 * 0.6 * G), slid, 0.03),
    within('breaking, height after a bounce at 0.7 from 2 m, m', 'e^2 h', 0.49 * 2, highest, 0.05),
    within(
      'breaking, momentum after one cube hits another, m/s',
      'as before',
      6,
      (speeds[0] ?? 0) + (speeds[1] ?? 0),
      0.02,
    ),
  ]
  for (const one of [fall, slide, ball, pair]) one.close()
  return rows
}

async function heapRows(): Promise<Row[]> {
  const simulation = await openBreak(
    wallShot({ number: 150, strikes: { one: { name: 'One', frame: 2, at: [0, 0.8, 0.15], radius: 3, energy: 900 } } }),
  )
  let [depths, speed]: [number[], number] = [[], Infinity]
  makeFrames(simulation, 5 * RATE + 2, (_, n) => {
    if (n !== 5 * RATE + 1) return
    const frame = simulation.keep(false)
    depths = simulation.contactDepths()
    const all = Array.from({ length: frame.count }, (_unused, k) =>
      Math.hypot(...[0, 1, 2].map((a) => frame.velocities[3 * k + a] ?? 0)),
    )
    speed = all.reduce((sum, one) => sum + one, 0) / all.length
  })
  simulation.close()
  const touching = depths.filter((depth) => depth > -0.001)
  const deep = touching.filter((depth) => depth > 0.003).length / Math.max(1, touching.length)
  return [
    atMost('breaking, heap of 150 lumps: contacts deeper than 3 mm, %', 'hardly any', 6, 100 * deep),
    atMost('breaking, the same: the deepest, mm', 'none deep', 25, 1000 * Math.max(0, ...depths)),
    atMost('breaking, the same: mean speed at 5 s, mm/s', 'at rest', 1, 1000 * speed),
  ]
}

async function throughRow(): Promise<Row> {
  const wall: Solid = { kind: 'box', centre: [0, 10, -3], half: [60, 60, 0.1], rotation: [0, 0, 0, 1] }
  const bodies = Array.from({ length: 24 }, (_, n) =>
    cube([(n % 6) - 2.5, 0.6 + 0.5 * Math.floor(n / 6), 0], {}, [0.06, 0.06, 0.06]),
  )
  const simulation = await opened(bodies, [GROUND, wall])
  bodies.forEach((_, n) => simulation.release(n, n % 2 ? [0, 0, -60] : [0, -60, -20]))
  let through = 0
  run(simulation, RATE)
  bodies.forEach((_, n) => {
    const [, y, z] = simulation.pose(n).place
    if (y < -0.05 || z < -3.1) through++
  })
  simulation.close()
  return atMost('breaking, of 24 cubes at 60 m/s through ground or a wall of 0.2 m', 'none', 0, through)
}

async function energyRow(): Promise<Row> {
  const simulation = await openBreak(wallShot({ bounce: 0, number: 80 }))
  let [worst, greatest] = [0, 0]
  makeFrames(simulation, 2 * RATE, ({ energy, given }) => {
    const frame = simulation.keep(false)
    const fallen = simulation.pieces.reduce((sum, { volume, middle }, n) => {
      const [x = 0, y = 0, z = 0, w = 1] = [0, 1, 2, 3].map((k) => frame.turns[4 * n + k])
      const height =
        2 * (x * y + w * z) * middle[0] +
        (1 - 2 * (x * x + z * z)) * middle[1] +
        2 * (y * z - w * x) * middle[2] +
        (frame.places[3 * n + 1] ?? 0)
      return sum + volume * 1900 * G * (middle[1] - height)
    }, 0)
    greatest = Math.max(greatest, energy)
    worst = Math.max(worst, energy - given - fallen)
  })
  simulation.close()
  return atMost(
    'breaking, energy beyond what strikes and falling give, % of the greatest',
    'none',
    2,
    (100 * worst) / greatest,
  )
}

/** Wedges of a half ring. */
function voussoirs(count: number): Convex[] {
  const corner = (n: number, radius: number, z: number): Vec3 => {
    const angle = (Math.PI * n) / count
    return [radius * cos(angle), radius * sin(angle), z]
  }
  const rings = [
    [2, 3, 1, 0],
    [5, 7, 6, 4],
    [1, 5, 4, 0],
    [6, 7, 3, 2],
    [4, 6, 2, 0],
    [3, 7, 5, 1],
  ]
  return Array.from(
    { length: count },
    (_, n): Convex => ({
      corners: [0, 1].flatMap((k) => [1, 1.25].flatMap((radius) => [0, 0.3].map((z) => corner(n + k, radius, z)))),
      faces: rings.map((ring, k) => ({ beyond: -1 - k, ring })),
    }),
  )
}

function archRows(): Row[] {
  const stones = voussoirs(40)
  const pieces = stones.map((body) => {
    const { volume, middle } = measureConvex(body)
    return { mass: volume * 1900, middle }
  })
  const held = new Holding({
    pieces,
    contacts: contactsOf(stones),
    roots: [0, 39],
    strength: 50_000,
    friction: 0.6,
    gravity: G,
  })
  const gone = new Uint8Array(40)
  // One round a frame, as long as a run of 10 s.
  for (let n = 0; n < 10 * RATE; n++) if (held.round(gone) === 0) break
  const stands = held.loose(gone).length
  const balance = held.balance(gone)
  gone[19] = 1
  gone[20] = 1
  for (let n = 0; n < 10 * RATE; n++) if (held.round(gone) === 0) break
  return [
    within('breaking, weight that reaches the feet of an arch of 40 stones', 'all of it', 1, balance, 0.001),
    atMost('breaking, of 40 stones on mortar of 50 kPa that fall in 10 s', 'none', 0, stands),
    atLeast('breaking, of its 38 others without the key stones', 'it comes down', 20, held.loose(gone).length),
  ]
}

function yard(): ShotDocument {
  const shot = makeShot('Crater', {
    asset: 'a',
    file: 'f',
    width: 1280,
    height: 720,
    first: 1,
    last: 24,
    rate: [24, 1],
    encoding: 'srgb',
  })
  shot.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  return shot
}

function craterRows(): Row[] {
  const shot = yard()
  const [preset] = craterEffect.presets
  const at = { position: [0, 0, 0] as [number, number, number], frame: 1 }
  const made = preset?.place(shot, 'hole', at) as { items: { hole: CraterItem } }
  const item = { ...made.items.hole, opens: 0 }
  // Of what is computed, without what is rough: the floor, and the crest at any side of it.
  const smooth = dugOf({ ...item, rough: 0, irregular: 0 }, 1)
  const heights = Array.from({ length: 4001 }, (_, n) => (smooth ? dugHeight(smooth, (n / 4000) * item.width, 0) : 0))
  const [floor, crest] = [Math.min(...heights), Math.max(...heights)]
  const dug = dugOf(item, 1)
  const { hole, heap } = dug ? dugVolumes(dug, 600) : { hole: 0, heap: 0 }
  const other: ShotDocument = { ...shot, items: { ...shot.items, hole: item } }
  const bits = particlesSchema.parse({
    kind: 'particles',
    name: 'Bits',
    order: 3,
    source: 'crater',
    crater: 'hole',
    size: 25,
  })
  const { births, diameter } = thrownOf(other, bits)
  const each = (Math.PI / 6) * diameter ** 3 * meanOfExp(3 * (bits.sizeSpread / 100))
  return [
    within('crater, depth from rim to floor over width', 'Pike 1977', 0.196, (crest - floor) / item.width, 0.1),
    within('crater, rim over width', 'Pike 1977', 0.036, crest / item.width, 0.1),
    within('crater, thrown out and heaped against dug, m^3', 'dug', hole, heap + births.number * each, 0.02),
  ]
}

export async function breakingRows(crew: Crew): Promise<Row[]> {
  return [
    ...cutRows(),
    overlapRow(),
    ...(await scanRows()),
    ...(await motionRows()),
    ...(await heapRows()),
    await throughRow(),
    await energyRow(),
    ...archRows(),
    ...craterRows(),
    ...(await restRows(crew)),
  ]
}
