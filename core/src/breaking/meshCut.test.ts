import { beforeAll, describe, expect, it } from 'vitest'
import { scanMesh } from '../../testing/scans.ts'
import { boxMesh, type SurfaceMesh } from '../data/index.ts'
import { cross, dot, subtract, type Vec3 } from '../math/index.ts'
import { type Cut, type CutSettings, checkSolid, cutMesh, LAID_OPEN, openEdges, roughMesh, weld } from './index.ts'

const scan = scanMesh(40, 40)
const lumps: CutSettings = { pattern: { way: 'lumps' }, number: 40, seed: 7, fine: [], planes: [] }
const cornersOf = ({ positions, indices }: SurfaceMesh, t: number): [Vec3, Vec3, Vec3] =>
  [0, 1, 2].map((k) => {
    const n = 3 * (indices[3 * t + k] ?? 0)
    return [positions[n] ?? 0, positions[n + 1] ?? 0, positions[n + 2] ?? 0]
  }) as unknown as [Vec3, Vec3, Vec3]
function measure(mesh: SurfaceMesh, wanted: (part: number) => boolean = () => true): { volume: number; area: number } {
  let [volume, area] = [0, 0]
  for (let t = 0; t < mesh.indices.length / 3; t++) {
    const [a, b, c] = cornersOf(mesh, t)
    volume += dot(a, cross(b, c)) / 6
    const out = cross(subtract(b, a), subtract(c, a))
    if (wanted(mesh.parts?.[t] ?? 0)) area += Math.sqrt(dot(out, out)) / 2
  }
  return { volume, area }
}
const sum = (values: readonly number[]): number => values.reduce((all, one) => all + one, 0)
const meshesOf = ({ pieces }: Cut): SurfaceMesh[] => pieces.flatMap(({ mesh }) => mesh ?? [])

describe('a mesh that is cut', () => {
  let cut: Cut
  beforeAll(async () => {
    cut = await cutMesh(scan, lumps)
  })
  it('comes apart into closed pieces that fill it', () => {
    const meshes = meshesOf(cut)
    expect(meshes.length).toBeGreaterThan(20)
    for (const mesh of meshes) expect(openEdges(weld(mesh))).toBeUndefined()
    const whole = measure(scan).volume
    expect(Math.abs(sum(meshes.map((mesh) => measure(mesh).volume)) / whole - 1)).toBeLessThan(1e-4)
    expect(Math.abs(sum(cut.pieces.map(({ volume }) => volume)) / whole - 1)).toBeLessThan(1e-4)
  })
  it('keeps its outside, and what its corners carry', () => {
    const outside = sum(meshesOf(cut).map((mesh) => measure(mesh, (part) => part !== LAID_OPEN).area))
    expect(outside / measure(scan).area).toBeCloseTo(1, 4)
    // How far down a corner lies says its v, but where the seam runs.
    for (const mesh of meshesOf(cut).slice(0, 8))
      for (let t = 0; t < mesh.indices.length / 3; t++) {
        if (mesh.parts?.[t] === LAID_OPEN) continue
        const [at] = cornersOf(mesh, t)
        const v = mesh.uvs?.[2 * (mesh.indices[3 * t] ?? 0) + 1] ?? -1
        const down = Math.acos(at[1] / Math.sqrt(dot(at, at))) / Math.PI
        expect(Math.abs(v - down)).toBeLessThan(0.02)
      }
  })
  it('touches where it was laid open: half of all inner faces', () => {
    const inner = sum(meshesOf(cut).map((mesh) => measure(mesh, (part) => part === LAID_OPEN).area))
    expect(sum(cut.contacts.map(({ area }) => area)) / (inner / 2)).toBeCloseTo(1, 3)
  })
  it('is the same turned inside out, and once more', async () => {
    const inward = {
      ...scan,
      indices: scan.indices.map((_, n, all) => all[n % 3 === 1 ? n + 1 : n % 3 === 2 ? n - 1 : n] ?? 0),
    }
    const again = await cutMesh(inward, lumps)
    expect(again.pieces.map(({ volume }) => volume)).toEqual(cut.pieces.map(({ volume }) => volume))
  })
  it('has rough faces inside that stay within their height, and an outside as it was', () => {
    const [mesh] = meshesOf(cut)
    if (!mesh) throw new TypeError('no piece')
    const rough = roughMesh(mesh, { height: 0.02, step: 0.1, seed: 3 })
    const outside = (own: SurfaceMesh): number => measure(own, (part) => part !== LAID_OPEN).area
    expect(outside(rough)).toBeCloseTo(outside(mesh), 6)
    expect(rough.indices.length).toBeGreaterThan(mesh.indices.length)
    const [own, was] = [measure(rough), measure(mesh)]
    expect(Math.abs(own.volume - was.volume)).toBeGreaterThan(1e-6)
    expect(Math.abs(own.volume - was.volume)).toBeLessThan(0.02 * was.area)
    expect(roughMesh(mesh, { height: 0, step: 0.1, seed: 3 }).positions.length).toBeGreaterThan(0)
  })
})

describe('a mesh that is no solid', () => {
  it('is refused with where it is open', async () => {
    const open = { ...scan, indices: scan.indices.slice(3) }
    await expect(cutMesh(open, lumps)).rejects.toThrow(/open: 3 edges .* the first at/)
    expect(openEdges(weld(open))?.count).toBe(3)
  })
  it('is refused with where it goes through itself', () => {
    const [one, other] = [
      boxMesh([0, 0, 0], [1, 1, 1], [0, 0, 0, 1]),
      boxMesh([1.5, 0.1, 0.2], [1, 1, 1], [0, 0, 0, 1]),
    ]
    const both = {
      positions: Float32Array.from([...one.positions, ...other.positions]),
      indices: Uint32Array.from([...one.indices, ...other.indices.map((n) => n + one.positions.length / 3)]),
    }
    expect(() => checkSolid(both)).toThrow(/goes through itself at/)
    expect(() => checkSolid(one)).not.toThrow()
    expect(() => checkSolid(scan)).not.toThrow()
  })
  it('has a volume', async () => {
    const flat = boxMesh([0, 0, 0], [1, 0, 1], [0, 0, 0, 1])
    await expect(cutMesh(flat, lumps)).rejects.toMatchObject({ code: expect.stringMatching(/^(cut-empty|mesh-)/) })
  })
})
