import { random } from '@lantern/core/base'
import type { Vec3 } from '@lantern/core/math'
import { describe, expect, it } from 'vitest'
import { yardCrew } from '../crew.ts'
import { type ChartSpec, newMesh, type Parts, planar, skinOf, vertex } from './builder.ts'
import { meshTriangles, uploadTree, uploadVertices } from './memory.ts'
import type { Sky } from './sky.ts'
import { heldYard, lightMesh, lightYard, uploadYard, type YardScene } from './yardScene.ts'

// The drawing kernels against plain twins and against light that is known in closed form.
const MISS = 1e30

/** Nearest hit by trying every triangle (Möller & Trumbore 1997). */
function nearest(corners: Float32Array, from: Vec3, along: Vec3): number {
  let best = MISS
  for (let n = 0; n < corners.length; n += 9) {
    const at = (k: number): Vec3 => [corners[n + k * 3] ?? 0, corners[n + k * 3 + 1] ?? 0, corners[n + k * 3 + 2] ?? 0]
    const minus = (a: Vec3, b: Vec3): Vec3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
    const cross = (a: Vec3, b: Vec3): Vec3 => [
      a[1] * b[2] - a[2] * b[1],
      a[2] * b[0] - a[0] * b[2],
      a[0] * b[1] - a[1] * b[0],
    ]
    const dot = (a: Vec3, b: Vec3): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
    const [a, u, v] = [at(0), minus(at(1), at(0)), minus(at(2), at(0))]
    const p = cross(along, v)
    const det = dot(u, p)
    if (Math.abs(det) < 1e-14) continue
    const t = minus(from, a)
    const s = dot(t, p) / det
    const q = cross(t, u)
    const r = dot(along, q) / det
    const d = dot(v, q) / det
    if (s >= 0 && r >= 0 && s + r <= 1 && d > 1e-4 && d < best) best = d
  }
  return best
}

const plain = (
  white: number,
  sunLight: [number, number, number] = [0, 0, 0],
  sun: [number, number, number] = [0, 1, 0],
): Sky => ({ sun, spread: 0.02, sunLight, look: () => [white, white, white], air: { colour: [0, 0, 0], loss: 0 } })

/** A level square of `edge` metres at a height, of one albedo. */
const square = (edge: number, y: number, albedo: number, texels = 32): ChartSpec => ({
  name: 'square',
  columns: texels,
  rows: texels,
  texel: edge / texels,
  step: 4,
  ...planar([-edge / 2, y, -edge / 2], [1, 0, 0], [0, 0, 1]),
  height: new Float32Array(texels * texels),
  paint: (_, __, skin) => Object.assign(skin, skinOf(albedo, albedo, albedo)),
})
const alone = (charts: ChartSpec[]): Parts => ({ charts, mesh: newMesh() })

/** Light sent out by the middle texel of a chart: sky, sun, flame (red). */
function sent(crew: ReturnType<typeof yardCrew>, scene: YardScene, chart: number): [number, number, number] {
  const words = crew.heap.i32(scene.charts + chart * 128, 32)
  const [width, height, data] = [words[0] ?? 0, words[1] ?? 0, words[12] ?? 0]
  const at = data + ((height >> 1) * width + (width >> 1)) * 32
  const values = new Uint16Array(crew.memory.buffer, at, 9)
  return [0, 3, 6].map((n) => 16 * ((values[n] ?? 0) / 65535) ** 2) as [number, number, number]
}
function lit(charts: ChartSpec[], sky: Sky, flame = false, threads = 1) {
  const crew = yardCrew(threads)
  const base = crew.heap.alloc(64)
  const scene = uploadYard(crew, alone(charts), sky, 64, flame)
  lightYard(crew, scene, { rays: 256, coarseRays: 64, passes: 4, flame })
  return { crew, scene, base }
}

describe('the tree of triangles', () => {
  it('finds what trying every triangle finds, first hit or nearest', () => {
    const crew = yardCrew(1)
    const draw = random(7)
    const mesh = newMesh()
    for (let n = 0; n < 700; n++) {
      const at: Vec3 = [draw.next() * 4 - 2, draw.next() * 4 - 2, draw.next() * 4 - 2]
      for (let k = 0; k < 3; k++)
        mesh.triangles.push(
          vertex(
            mesh,
            [at[0] + 0.5 * draw.next(), at[1] + 0.5 * draw.next(), at[2] + 0.5 * draw.next()],
            [0, 1, 0],
            skinOf(0.5, 0.5, 0.5),
          ),
        )
    }
    const tail = meshTriangles(mesh)
    const corners = tail.corners.slice()
    const tree = uploadTree(crew, tail)
    const stack = crew.heap.alloc(1024)
    const out = crew.heap.alloc(4)
    let hits = 0
    for (let n = 0; n < 400; n++) {
      const from: Vec3 = [draw.next() * 8 - 4, draw.next() * 8 - 4, draw.next() * 8 - 4]
      const way: Vec3 = n % 7 === 0 ? [0, 0, n % 2 ? 1 : -1] : [draw.next() - 0.5, draw.next() - 0.5, draw.next() - 0.5]
      const length = Math.hypot(...way)
      const along: Vec3 = [way[0] / length, way[1] / length, way[2] / length]
      const want = nearest(corners, from, along)
      for (const any of [0, 1]) {
        crew.run('castOne', [tree.nodes, tree.triangles, stack, out, ...from, ...along, any], 1)
        const got = crew.heap.f32(out, 1)[0] ?? 0
        if (want === MISS) expect(got).toBeGreaterThan(1e29)
        else if (any) expect(got).toBeGreaterThanOrEqual(want - 1e-4)
        else expect(Math.abs(got - want)).toBeLessThan(1e-4 * Math.max(1, want))
      }
      if (want < MISS) hits++
    }
    expect(hits).toBeGreaterThan(30)
  })
})

describe('light', () => {
  it('of an even sky is sent back by an open surface as its albedo', () => {
    for (const albedo of [0.1, 0.5]) {
      const { crew, scene } = lit([square(2, 0, albedo)], plain(1))
      expect(sent(crew, scene, 0)[0]).toBeCloseTo(albedo, 3)
    }
  })
  it('goes on between surfaces: two wide facing plates with an even glow at the rim send less than in the open, white ones more than black ones', () => {
    const roof = (albedo: number): ChartSpec => ({
      ...square(6, 1, albedo),
      ...planar([-3, 1, 3], [1, 0, 0], [0, 0, -1]),
    })
    const [dark, light] = [0.05, 0.8].map((albedo) => {
      const { crew, scene } = lit([square(6, 0, 0.5), roof(albedo)], plain(1))
      return sent(crew, scene, 0)[0]
    }) as [number, number]
    expect(dark).toBeLessThan(0.2)
    expect(light).toBeGreaterThan(1.5 * dark)
    expect(light).toBeLessThan(0.5)
  })
  it('of the sun falls with the cosine, and a roof keeps it off', () => {
    const send = (sun: [number, number, number], charts: ChartSpec[]): number => {
      const { crew, scene } = lit(charts, plain(0, [1, 1, 1], sun))
      return sent(crew, scene, 0)[1]
    }
    const low = Math.PI / 6
    expect(send([0, 1, 0], [square(2, 0, 0.5)])).toBeCloseTo(0.5, 2)
    expect(send([Math.cos(low), Math.sin(low), 0], [square(2, 0, 0.5)])).toBeCloseTo(0.25, 2)
    expect(send([0, 1, 0], [square(2, 0, 0.5), square(4, 1, 0.001)])).toBeLessThan(0.001)
  })
  it('of the flame falls with the square of the distance', () => {
    const under = (away: number): number => {
      const { crew, scene } = lit(
        [{ ...square(0.4, 0, 0.5), ...planar([3.35 - 0.2, 0.9 - away, 2.7 - 0.2], [1, 0, 0], [0, 0, 1]) }],
        plain(0),
        true,
      )
      return sent(crew, scene, 0)[2]
    }
    // Far off the flame's length no longer matters.
    expect(under(12) / under(6)).toBeGreaterThan(0.25)
    expect(under(12) / under(6)).toBeLessThan(0.29)
    expect(under(12)).toBeCloseTo((0.5 * 0.95) / 12.4 ** 2, 3)
  })
  it('falls on vertices as on texels', () => {
    const { crew, scene } = lit([square(2, -5, 0.3)], plain(0.7))
    const mesh = newMesh()
    vertex(mesh, [0, 3, 0], [0, 1, 0], skinOf(0.2, 0.2, 0.2))
    const { pointer, count } = uploadVertices(crew, mesh)
    lightMesh(crew, scene, pointer, count, 64, false)
    expect(crew.heap.f32(pointer, 32)[11]).toBeCloseTo(0.7, 3)
  })
  it('is put back from a copy of the heap and is the same on a fresh crew', () => {
    const charts = [square(2, 0, 0.4), square(1, 0.5, 0.2)]
    const [one, two] = [lit(charts, plain(1, [0.4, 0.4, 0.4])), lit(charts, plain(1, [0.4, 0.4, 0.4]))]
    expect(sent(one.crew, one.scene, 0)).toEqual(sent(two.crew, two.scene, 0))
    const bytes = one.crew.heap.u8(one.base, one.crew.heap.mark() - one.base).slice()
    const crew = yardCrew(1)
    const base = crew.heap.alloc(64)
    expect(base).toBe(one.base)
    crew.heap.alloc(bytes.length)
    crew.heap.u8(base, bytes.length).set(bytes)
    expect(sent(crew, heldYard(crew, one.scene), 1)).toEqual(sent(one.crew, one.scene, 1))
  })
})
