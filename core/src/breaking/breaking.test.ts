import { describe, expect, it } from 'vitest'
import { scanMesh } from '../../testing/scans.ts'
import { boxBody, type Convex, clipConvex, isClosed, measureConvex } from '../data/index.ts'
import { normalise, type Vec3 } from '../math/index.ts'
import {
  bricksOf,
  type CutSettings,
  cellsOf,
  cutBody,
  cutMesh,
  INNER,
  isOutside,
  roomsBehind,
  seedsIn,
} from './index.ts'

const LOW: Vec3 = [-2, 0, -0.2]
const HIGH: Vec3 = [2, 2.5, 0.2]
const WHOLE = 4 * 2.5 * 0.4
const volumes = (bodies: readonly Convex[]): number => bodies.reduce((sum, body) => sum + measureConvex(body).volume, 0)
/** Whether a place lies inside a convex body. */
const inside = ({ corners, faces }: Convex, p: Vec3): boolean =>
  faces.every(({ ring }) => {
    const [a, b, c] = [0, 1, 2].map((k) => corners[ring[k] as number] as Vec3) as [Vec3, Vec3, Vec3]
    const [u, v] = [
      [b[0] - a[0], b[1] - a[1], b[2] - a[2]],
      [c[0] - a[0], c[1] - a[1], c[2] - a[2]],
    ] as [number[], number[]]
    const n = [0, 1, 2].map(
      (k) => (u[(k + 1) % 3] ?? 0) * (v[(k + 2) % 3] ?? 0) - (u[(k + 2) % 3] ?? 0) * (v[(k + 1) % 3] ?? 0),
    )
    return n.reduce((sum, part, k) => sum + part * ((p[k] as number) - (a[k] as number)), 0) <= 1e-12
  })

describe('a convex body', () => {
  it('has the volume, middle and areas of its box', () => {
    const { volume, middle, areas } = measureConvex(boxBody([1, 2, 3], [3, 5, 4]))
    expect(volume).toBeCloseTo(6, 12)
    expect(middle.map((v) => Number(v.toFixed(9)))).toEqual([2, 3.5, 3.5])
    expect(areas.map((v) => Number(v.toFixed(9)))).toEqual([3, 3, 2, 2, 6, 6])
  })
  it('is cut by a plane into two closed halves that make the whole, their cut faces alike', () => {
    const box = boxBody([0, 0, 0], [1, 1, 1])
    const normal = normalise([1, 2, -0.5])
    const offset = 0.7
    const one = clipConvex(box, normal, offset, 7)
    const other = clipConvex(box, [-normal[0], -normal[1], -normal[2]], -offset, 8)
    if (!one || !other) throw new Error('both are left')
    expect(isClosed(one) && isClosed(other)).toBe(true)
    expect(volumes([one, other])).toBeCloseTo(1, 12)
    const area = (body: Convex, beyond: number): number | undefined =>
      measureConvex(body).areas[body.faces.findIndex((face) => face.beyond === beyond)]
    expect(area(one, 7)).toBeCloseTo(area(other, 8) ?? 0, 12)
  })
  it('stays itself where the plane misses it or only touches, and is nothing beyond it', () => {
    const box = boxBody([0, 0, 0], [1, 1, 1])
    expect(clipConvex(box, [1, 0, 0], 1, 7)).toBe(box)
    expect(clipConvex(box, [1, 0, 0], 1 + 1e-12, 7)).toBe(box)
    expect(clipConvex(box, [1, 0, 0], 0, 7)).toBeUndefined()
    expect(clipConvex(box, [1, 0, 0], -3, 7)).toBeUndefined()
  })
  it('through its corners and edges is cut cleanly', () => {
    const half = clipConvex(boxBody([0, 0, 0], [1, 1, 1]), normalise([1, 1, 0]), Math.SQRT1_2, 7)
    if (!half) throw new Error('half is left')
    expect(isClosed(half)).toBe(true)
    expect(measureConvex(half).volume).toBeCloseTo(0.5, 12)
  })
})

describe('cells round seeds', () => {
  const seeds = seedsIn(LOW, HIGH, 200, 5, [{ at: [0, 1.8, 0], radius: 0.4 }])
  const cells = cellsOf({ low: LOW, high: HIGH }, seeds)
  const whole = cells.filter((cell) => cell !== undefined)
  it('fill the body, each closed, within a ten thousandth', () => {
    expect(whole).toHaveLength(200)
    expect(whole.every(isClosed)).toBe(true)
    expect(Math.abs(volumes(whole) / WHOLE - 1)).toBeLessThan(1e-9)
  })
  it('hold what is nearest to their seed, and nothing else', () => {
    for (let n = 0; n < 300; n++) {
      const p = seedsIn(LOW, HIGH, 300, 77)[n] as Vec3
      const away = seeds.map((s) => (s[0] - p[0]) ** 2 + (s[1] - p[1]) ** 2 + (s[2] - p[2]) ** 2)
      const nearest = away.indexOf(Math.min(...away))
      expect(inside(whole[nearest] as Convex, p)).toBe(true)
    }
  })
  it('share their faces: both sides name each other, with the same area', () => {
    cells.forEach((cell, i) => {
      const { areas } = measureConvex(cell as Convex)
      cell?.faces.forEach(({ beyond }, k) => {
        if (isOutside(beyond)) return
        const other = cells[beyond] as Convex
        const twin = other.faces.findIndex((face) => face.beyond === i)
        if ((areas[k] ?? 0) < 1e-6) return
        expect(Math.abs((measureConvex(other).areas[twin] ?? 0) - (areas[k] ?? 0))).toBeLessThan(1e-7)
      })
    })
  })
  it('are smaller near a strike, the same for the same seed, and the first stay with more of them', () => {
    const size = (near: boolean): number => {
      const all = whole.filter(
        (cell) =>
          Math.hypot(...measureConvex(cell).middle.map((v, a) => v - ([0, 1.8, 0][a] as number))) < 0.5 === near,
      )
      return volumes(all) / all.length
    }
    expect(size(true)).toBeLessThan(0.5 * size(false))
    const fine = [{ at: [0, 1.8, 0], radius: 0.4 }] as const
    expect(seedsIn(LOW, HIGH, 400, 5, fine).slice(0, 200)).toEqual(seeds)
    expect(seedsIn(LOW, HIGH, 200, 6, fine)).not.toEqual(seeds)
  })
  it('along a grain are long, and still fill the body', () => {
    const [low, high]: [Vec3, Vec3] = [
      [-1.5, 0, 0],
      [1.5, 0.2, 0.08],
    ]
    const long = cellsOf({ low, high }, seedsIn(low, high, 60, 3), { along: [1, 0, 0], times: 8 }).filter(
      (one) => one !== undefined,
    )
    expect(Math.abs(volumes(long) / (3 * 0.2 * 0.08) - 1)).toBeLessThan(1e-9)
    const ratios = long.map(({ corners }) => {
      const span = (a: 0 | 1 | 2): number =>
        Math.max(...corners.map((c) => c[a])) - Math.min(...corners.map((c) => c[a]))
      return span(0) / Math.max(span(1), span(2))
    })
    expect(ratios.reduce((a, b) => a + b) / ratios.length).toBeGreaterThan(3)
  })
  it('of one seed are the body, of none nothing, of two in one place one', () => {
    expect(volumes(cellsOf({ low: LOW, high: HIGH }, [[0, 1, 0]]) as Convex[])).toBeCloseTo(WHOLE, 12)
    expect(cellsOf({ low: LOW, high: HIGH }, [])).toEqual([])
    const twice = cellsOf({ low: LOW, high: HIGH }, [
      [0, 1, 0],
      [0, 1, 0],
    ])
    expect(twice.map((cell) => cell !== undefined)).toEqual([true, false])
  })
})

describe('a wall of bricks', () => {
  const bond = { length: 0.225, height: 0.075, shift: 0.5 }
  it('fills the wall in courses, every other one moved by half a brick', () => {
    const bricks = bricksOf(LOW, HIGH, bond, 1)
    expect(Math.abs(volumes(bricks.map(({ body }) => body)) / WHOLE - 1)).toBeLessThan(1e-9)
    const ends = (row: number): number[] =>
      bricks.flatMap(({ body }) => {
        const ys = body.corners.map(([, y]) => y)
        const course = Math.round(Math.min(...ys) / (2.5 / 33))
        return course === row ? [Math.max(...body.corners.map(([x]) => x))] : []
      })
    expect(ends(0)[0]).toBeCloseTo(-2 + 0.225, 9)
    expect(ends(1)[0]).toBeCloseTo(-2 + 0.1125, 9)
    // No end is a sliver.
    for (const { body } of bricks) {
      const xs = body.corners.map(([x]) => x)
      expect(Math.max(...xs) - Math.min(...xs)).toBeGreaterThan(0.02)
    }
  })
  it('is broken only where it is struck, its faces told as sides of the wall or inner ones', () => {
    const struck = bricksOf(LOW, HIGH, bond, 1, [{ at: [0, 1.8, 0], radius: 0.35 }])
    const lumps = new Map<number, number>()
    for (const { brick } of struck) lumps.set(brick, (lumps.get(brick) ?? 0) + 1)
    const broken = [...lumps].filter(([, count]) => count > 1)
    expect(broken.length).toBeGreaterThan(10)
    expect(broken.length).toBeLessThan(60)
    expect(Math.abs(volumes(struck.map(({ body }) => body)) / WHOLE - 1)).toBeLessThan(1e-9)
    const fronts = struck.flatMap(({ body }) => {
      const { areas } = measureConvex(body)
      return body.faces.flatMap(({ beyond }, k) => (beyond === -6 ? [areas[k] ?? 0] : []))
    })
    expect(fronts.reduce((a, b) => a + b)).toBeCloseTo(4 * 2.5, 6)
    expect(
      struck.some(({ body }) => body.faces.every(({ beyond }) => beyond === INNER || beyond === -5 || beyond === -6)),
    ).toBe(true)
  })
  it('takes larger bricks where there would be too many, and one where it is smaller than a brick', () => {
    expect(bricksOf(LOW, [400, 300, 0.2], bond, 1).length).toBeLessThan(24_000)
    expect(bricksOf([0, 0, 0], [0.1, 0.05, 0.1], bond, 1)).toHaveLength(1)
  })
})

describe('outlines drawn over what breaks', () => {
  const wall = boxBody([-2, 0, -0.15], [2, 2.5, 0.15])
  const eye: Vec3 = [0.5, 1.6, 6]
  // Not convex: a notch from above.
  const corners: Vec3[] = [
    [-1, 0.5, 0.15],
    [1, 0.5, 0.15],
    [1, 2, 0.15],
    [0, 1.2, 0.15],
    [-1, 2, 0.15],
  ]
  const bond = { length: 0.3, height: 0.1, shift: 0.5 }
  const settings = (whole: boolean, over: Partial<CutSettings> = {}): CutSettings => ({
    pattern: { way: 'bricks', axes: [0, 1, 2], bond },
    number: 60,
    seed: 3,
    fine: [],
    planes: [],
    regions: [{ rooms: roomsBehind(eye, corners), whole }],
    ...over,
  })
  /** Of its front face within the outline: what of the wall lies behind it is a little more. */
  const flat = 2 * 1.5 - 0.8
  it('leave one piece whole within, and cut all others off there', () => {
    const pieces = cutBody([wall], settings(true))
    expect(pieces.reduce((sum, { volume }) => sum + volume, 0)).toBeCloseTo(4 * 2.5 * 0.3, 6)
    const largest = Math.max(...pieces.map(({ volume }) => volume))
    expect(largest).toBeGreaterThan(flat * 0.3)
    expect(largest).toBeLessThan(flat * 0.3 * 1.12)
    const rest = pieces.filter(({ volume }) => volume < largest)
    expect(Math.max(...rest.map(({ volume }) => volume))).toBeLessThan(0.3 * 0.1 * 0.3 * 1.01)
  })
  it('cut along them, whichever way round they were drawn', () => {
    const [plain] = [cutBody([wall], settings(false, { regions: [] })).length]
    const pieces = cutBody([wall], settings(false))
    expect(pieces.length).toBeGreaterThan(plain + 20)
    expect(pieces.reduce((sum, { volume }) => sum + volume, 0)).toBeCloseTo(4 * 2.5 * 0.3, 6)
    const round = roomsBehind(eye, [...corners].reverse())
    const other = cutBody([wall], settings(false, { regions: [{ rooms: round, whole: false }] }))
    expect(other.length).toBe(pieces.length)
    expect(Math.max(...pieces.map(({ volume }) => volume))).toBeLessThan(0.3 * 0.1 * 0.3 * 1.01)
  })
  it('that miss it, or are a line, change nothing', () => {
    const aside: Vec3[] = corners.map(([x, y, z]) => [x + 30, y, z])
    for (const own of [aside, corners.slice(0, 2)]) {
      const regions = [{ rooms: roomsBehind(eye, own), whole: true }]
      expect(cutBody([wall], settings(true, { regions }))).toHaveLength(
        cutBody([wall], settings(true, { regions: [] })).length,
      )
    }
  })
  it('leave parts of a mesh whole too', async () => {
    const scan = scanMesh(30, 30)
    const lumps = { ...settings(true), pattern: { way: 'lumps' } as const }
    const regions = [
      {
        rooms: roomsBehind(
          [0, 0, 8],
          corners.map(([x, y]): Vec3 => [x, y - 1, 1]),
        ),
        whole: true,
      },
    ]
    const plain = await cutMesh(scan, { ...lumps, regions: [] })
    const { pieces, contacts } = await cutMesh(scan, { ...lumps, regions })
    const volume = (all: typeof pieces): number => all.reduce((sum, one) => sum + one.volume, 0)
    expect(volume(pieces) / volume(plain.pieces)).toBeCloseTo(1, 4)
    const largest = pieces.reduce((most, one) => (one.volume > most.volume ? one : most))
    expect(largest.bodies.length).toBeGreaterThan(5)
    expect(largest.volume).toBeGreaterThan(5 * Math.max(...plain.pieces.map((one) => one.volume)))
    expect(largest.fill).toBeLessThanOrEqual(1)
    expect(contacts.every(({ a, b }) => a !== b && a < pieces.length && b < pieces.length)).toBe(true)
    expect(contacts.filter(({ a, b }) => pieces[a] === largest || pieces[b] === largest).length).toBeGreaterThan(5)
  })
})
