import type { Vec3 } from '@lantern/core/math'
import { describe, expect, it } from 'vitest'
import { yardCrew } from '../crew.ts'
import { type Brick, bond } from './brick.ts'
import { type ChartSpec, MESH_STRIDE, newMesh, planar, type Skin, skinOf } from './builder.ts'
import { uploadScene } from './memory.ts'
import { yardParts } from './parts.ts'
import { ARCHES, CRATES, DRUM_SIZE, inArch, KILN } from './places.ts'
import { box, placed, tube } from './shapes.ts'
import { duskSky, rainSky, skyPicture } from './sky.ts'

const parts = yardParts({ water: -0.02, film: 0 }, 0.2)
const named = (name: string): ChartSpec[] => parts.charts.filter((chart) => chart.name === name)
const skinAt = (chart: ChartSpec, i: number, j: number): Skin => {
  const skin = skinOf(0, 0, 0)
  chart.paint(i, j, skin)
  return skin
}
const dot = (a: Vec3, b: Vec3): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]

describe('the yard', () => {
  it('has sizes as they are in life', () => {
    expect(ARCHES[1].height).toBe(2.1)
    expect(DRUM_SIZE.radius * 2).toBeCloseTo(0.58, 2)
    expect(KILN.to - KILN.from).toBe(13)
    for (const { size } of CRATES) for (const edge of size) expect(edge).toBeGreaterThan(0.4)
    for (const { size } of CRATES) for (const edge of size) expect(edge).toBeLessThan(1.1)
    for (const name of [
      'cobbles',
      'kiln',
      'reveal',
      'kiln inside',
      'bricked-up door',
      'iron door',
      'crate front',
      'chimney front',
      'shed roof',
      'yard wall',
    ])
      expect(named(name).length, name).toBeGreaterThan(0)
  })
  it('reflects as stones, bricks, wood and iron do: albedo from 0.01 to 0.6, shares within 0 and 1, on every chart', () => {
    for (const chart of parts.charts)
      for (let n = 0; n < 60; n++) {
        const { r, g, b, rough, film, hollow } = skinAt(chart, (n * 7919) % chart.columns, (n * 104729) % chart.rows)
        for (const part of [r, g, b]) {
          expect(part, chart.name).toBeGreaterThan(0.005)
          expect(part, chart.name).toBeLessThanOrEqual(0.6)
        }
        for (const share of [rough, film, hollow]) {
          expect(share, chart.name).toBeGreaterThanOrEqual(0)
          expect(share, chart.name).toBeLessThanOrEqual(1)
        }
      }
  })
  it('has meshes of sound numbers with unit normals, whose triangles name their vertices', () => {
    const { vertices, triangles } = parts.mesh
    const count = vertices.length / MESH_STRIDE
    // Counted, not asserted one by one: there are hundreds of thousands.
    const wrong = { notFinite: 0, notUnit: 0, colour: 0 }
    for (let n = 0; n < count; n += 13) {
      const [, , , nx = 0, ny = 0, nz = 0, ...colour] = vertices.slice(n * MESH_STRIDE, (n + 1) * MESH_STRIDE)
      const rgb = colour.slice(0, 3)
      if (!vertices.slice(n * MESH_STRIDE, (n + 1) * MESH_STRIDE).every(Number.isFinite)) wrong.notFinite++
      if (Math.abs(Math.hypot(nx, ny, nz) - 1) > 5e-4) wrong.notUnit++
      if (!(Math.min(...rgb) > 0 && Math.max(...rgb) < 0.6)) wrong.colour++
    }
    expect(wrong).toEqual({ notFinite: 0, notUnit: 0, colour: 0 })
    expect(triangles.length % 3).toBe(0)
    expect(triangles.reduce((most, n) => Math.max(most, n), 0)).toBeLessThan(count)
  })
  it('keeps still water level, dark and mirroring, and dry stones dull', () => {
    const ground = named('cobbles')[0] as ChartSpec
    let [wet, dry, wrong] = [0, 0, 0]
    for (let j = 0; j < ground.rows; j++)
      for (let i = 0; i < ground.columns; i++) {
        const skin = skinAt(ground, i, j)
        if (ground.flat?.(i, j)) {
          wet++
          const level = Math.abs((ground.height[j * ground.columns + i] ?? 0) + 0.02) < 1e-6
          if (!level || skin.film !== 1 || skin.rough >= 0.1) wrong++
        } else if (skin.film < 0.05) {
          dry++
          if (skin.rough <= 0.25) wrong++
        }
      }
    expect(wrong).toBe(0)
    expect(wet).toBeGreaterThan(20)
    expect(dry).toBeGreaterThan(wet)
    const rained = yardParts({ water: -0.02, film: 0.85 }, 0.2).charts.find(
      (chart) => chart.name === 'cobbles',
    ) as ChartSpec
    let wetter = 0
    for (let n = 0; n < 200; n++)
      if (
        skinAt(rained, (n * 37) % rained.columns, (n * 53) % rained.rows).film >
        skinAt(ground, (n * 37) % ground.columns, (n * 53) % ground.rows).film
      )
        wetter++
    expect(wetter).toBeGreaterThan(80)
  })
  it('opens the kiln at its arches and nowhere else', () => {
    const wall = named('kiln')[0] as ChartSpec
    for (const arch of ARCHES) {
      expect(wall.there?.(arch.x - KILN.from, KILN.height - 1)).toBe(false)
      expect(wall.there?.(arch.x - KILN.from, KILN.height - arch.height - 0.1)).toBe(true)
      expect(inArch(arch, arch.x, arch.height - 0.01)).toBe(true)
      expect(inArch(arch, arch.x, arch.height + 0.01)).toBe(false)
    }
    expect(wall.there?.(0.5, 3)).toBe(true)
  })
  it('is laid so that its charts show their outsides', () => {
    for (const chart of parts.charts) {
      const [u, v] = [(chart.columns * chart.texel) / 2, (chart.rows * chart.texel) / 2]
      expect(Math.hypot(...chart.out(u, v)), chart.name).toBeCloseTo(1, 6)
      const e = 0.01
      const [p, a, b] = [chart.at(u, v), chart.at(u + e, v), chart.at(u, v + e)]
      const along: Vec3 = [a[0] - p[0], a[1] - p[1], a[2] - p[2]]
      const down: Vec3 = [b[0] - p[0], b[1] - p[1], b[2] - p[2]]
      // At right angles, but for what tapers or bends.
      expect(Math.abs(dot(chart.out(u, v), along)) / e, chart.name).toBeLessThan(0.15)
      expect(Math.abs(dot(chart.out(u, v), down)) / e, chart.name).toBeLessThan(0.15)
    }
  })
})

describe('brickwork', () => {
  const at = (u: number, v: number): Brick => {
    const brick: Brick = { edge: 0, key: 0, header: false }
    bond(u, v, brick)
    return brick
  }
  it('covers the wall with bricks of 200 to 240 mm between joints, a course of headers in six, joints that break', () => {
    const lengths: number[] = []
    const joints: number[][] = []
    for (let course = 0; course < 12; course++) {
      let [key, from] = [at(0, course * 0.075 + 0.037).key, 0]
      const row: number[] = []
      for (let u = 0; u < 4; u += 0.001) {
        const brick = at(u, course * 0.075 + 0.037)
        expect(brick.edge).toBeGreaterThanOrEqual(-0.003)
        expect(brick.edge).toBeLessThan(0.04)
        if (brick.key === key) continue
        if (from > 0 && !brick.header) lengths.push(u - from)
        row.push(u)
        ;[key, from] = [brick.key, u]
      }
      joints.push(row)
    }
    expect(Math.min(...lengths)).toBeGreaterThan(0.2)
    expect(Math.max(...lengths)).toBeLessThan(0.25)
    expect(lengths.reduce((sum, x) => sum + x, 0) / lengths.length).toBeCloseTo(0.225, 2)
    expect([0, 1, 2, 3, 4, 5].map((course) => at(1, course * 0.075 + 0.037).header)).toEqual([
      false,
      false,
      false,
      false,
      false,
      true,
    ])
    // No upright joint runs on through two courses of stretchers for most of its length.
    const near = (joints[1] ?? []).filter((u) => (joints[2] ?? []).some((other) => Math.abs(other - u) < 0.03))
    expect(near.length).toBeLessThan(0.4 * (joints[1] ?? []).length)
  })
})

describe('laying', () => {
  it('makes two triangles of each step of a chart that is there, and of a mesh its own', () => {
    const crew = yardCrew(1)
    const chart: ChartSpec = {
      name: 'one',
      columns: 24,
      rows: 12,
      texel: 0.1,
      step: 4,
      ...planar([0, 0, 0], [1, 0, 0], [0, 0, 1]),
      height: new Float32Array(288),
      paint: (_, __, skin) => Object.assign(skin, skinOf(0.5, 0.25, 0.125)),
      there: (u) => u < 1.6,
    }
    const mesh = newMesh()
    box(mesh, placed([5, 0, 0]), [0.2, 0.2, 0.2], () => skinOf(0.3, 0.3, 0.3), 1)
    const laid = uploadScene(crew, { charts: [chart], mesh })
    expect(laid.triangleCount).toBe(4 * 3 * 2 + 12)
    expect(laid.list[0]).toEqual({ index: 0, width: 24, height: 12, levels: 4 })
    const [width, , levels] = crew.heap.i32(laid.charts, 3)
    expect([width, levels]).toEqual([24, 4])
    const texel = crew.heap.i32(laid.charts, 32)[12] ?? 0
    const codes = new Uint16Array(crew.memory.buffer, texel, 12)
    expect([9, 10, 11].map((n) => ((codes[n] ?? 0) / 65535) ** 2)).toEqual([
      expect.closeTo(0.5, 4),
      expect.closeTo(0.25, 4),
      expect.closeTo(0.125, 4),
    ])
    expect([...new Int8Array(crew.memory.buffer, texel + 24, 3)]).toEqual([0, 127, 0])
    expect(new Uint8Array(crew.memory.buffer, texel + 22 * 32 + 30, 1)[0]).toBe(0)
  })
  it('bends tubes along their path and closes boxes', () => {
    const mesh = newMesh()
    tube(
      mesh,
      [
        [0, 0, 0],
        [0, 1, 0],
        [0, 2, 0.5],
      ],
      [0.1, 0.2, 0.1],
      12,
      () => skinOf(0.1, 0.1, 0.1),
    )
    const radii = [0, 1].map((row) => {
      const at = row * 13 * MESH_STRIDE
      return Math.hypot(mesh.vertices[at] ?? 0, mesh.vertices[at + 2] ?? 0)
    })
    expect(radii[0]).toBeCloseTo(0.1, 6)
    expect(radii[1]).toBeGreaterThan(0.15)
    const cube = newMesh()
    box(cube, placed([0, 0, 0], 0.4, 0.2), [1, 2, 3], () => skinOf(0.1, 0.1, 0.1), 0.5)
    // Signed volume over the faces, each turned to its normal.
    let volume = 0
    for (let n = 0; n < cube.triangles.length; n += 3) {
      const [a, b, c] = [0, 1, 2].map((k) =>
        cube.vertices.slice((cube.triangles[n + k] ?? 0) * MESH_STRIDE, (cube.triangles[n + k] ?? 0) * MESH_STRIDE + 6),
      ) as [number[], number[], number[]]
      const u: Vec3 = [(b[0] ?? 0) - (a[0] ?? 0), (b[1] ?? 0) - (a[1] ?? 0), (b[2] ?? 0) - (a[2] ?? 0)]
      const w: Vec3 = [(c[0] ?? 0) - (a[0] ?? 0), (c[1] ?? 0) - (a[1] ?? 0), (c[2] ?? 0) - (a[2] ?? 0)]
      const cross: Vec3 = [u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]]
      const sign = Math.sign(dot(cross, [a[3] ?? 0, a[4] ?? 0, a[5] ?? 0]))
      volume += (sign * dot([a[0] ?? 0, a[1] ?? 0, a[2] ?? 0], cross)) / 6
    }
    expect(volume).toBeCloseTo(6, 6)
  })
})

describe('the sky', () => {
  it('is warm and bright towards the sun, cool overhead, and nowhere dark or endless', () => {
    const { look, sun } = duskSky()
    const [at, over] = [look(...sun), look(0.01, 1, 0.01)]
    expect(at[0]).toBeGreaterThan(1.5 * at[2])
    expect(over[2]).toBeGreaterThan(1.2 * over[0])
    expect(at[1]).toBeGreaterThan(2 * over[1])
    for (const sky of [duskSky(), rainSky()])
      for (const value of skyPicture(sky, 64)) {
        expect(value).toBeGreaterThan(0.02)
        expect(value).toBeLessThan(8)
      }
  })
  it('of rain is grey and has no sun', () => {
    const { look, sunLight } = rainSky()
    const [r, , b] = look(0.3, 0.6, -0.4)
    expect(Math.abs(b / r - 1)).toBeLessThan(0.25)
    expect(sunLight).toEqual([0, 0, 0])
  })
})
