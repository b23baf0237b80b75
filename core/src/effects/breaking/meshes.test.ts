import { beforeAll, describe, expect, it } from 'vitest'
import { makeFrames, settingsOf, wallShot } from '../../../testing/breaks.ts'
import { scanMesh } from '../../../testing/scans.ts'
import type { BrokenFrame } from '../../data/index.ts'
import { readBrokenFrame, writeBrokenFrame } from '../../formats/index.ts'
import { wornMaterials } from '../../pipeline/index.ts'
import { thingKeys } from '../../pipeline/things.ts'
import { meshBounds } from '../../set/index.ts'
import { makeItem, type ShotDocument } from '../../shot/index.ts'
import { breakingEffect } from './index.ts'
import { breakingInstances } from './instances.ts'
import { BreakSimulation } from './simulate.ts'

/** A scanned ball of half its file's size on the ground. */
function scanShot(over: Record<string, unknown> = {}): ShotDocument {
  const shot = wallShot({
    strikes: { one: { name: 'One', frame: 5, at: [0, 0.6, 0.5], direction: [0, 0, -1], radius: 0.5, energy: 400 } },
  })
  shot.items.wall = makeItem('thing', {
    name: 'Boulder',
    order: 2,
    scale: 0.5,
    mesh: {
      blob: WHOLE,
      standIn: LIGHT,
      file: 'boulder.glb',
      triangles: 3120,
      ...meshBounds(source),
      animations: [],
    },
    ...over,
  } as never)
  return shot
}
const source = scanMesh(40, 40)
const [WHOLE, LIGHT] = ['a'.repeat(64), 'b'.repeat(64)]
const asset = {
  parts: [{ node: 0, material: 0, positions: source.positions, indices: source.indices, uvs: source.uvs }],
  nodes: [{ parent: -1, translation: [0, 0, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }],
  materials: [],
  pictures: [],
  animations: [],
}
const shaded = wornMaterials(() => ({ asset: asset as never, pictures: [] }), 'final')

describe('a taken-in mesh that breaks', () => {
  const shot = scanShot()
  const frames: BrokenFrame[] = []
  beforeAll(async () => {
    const settings = settingsOf(shot)
    const own = { ...source, positions: source.positions.map((value) => value * (settings.mesh?.scale ?? 1)) }
    const simulation = await BreakSimulation.open(settings, undefined, own)
    makeFrames(simulation, 16, () => frames.push(simulation.keep(frames.length === 0)))
    simulation.close()
  })
  it('is named by its file, as large as it stands there', () => {
    expect(settingsOf(shot).mesh).toEqual({ blob: WHOLE, scale: 0.5, planes: [] })
    const [run] = breakingEffect.resolve(shot, 'break', { inputs: {} } as never)
    const [larger] = breakingEffect.resolve(scanShot({ scale: 0.6 }), 'break', { inputs: {} } as never)
    expect(run?.key).not.toBe(larger?.key)
  })
  it('stands until it is struck, then its pieces fly and none falls through the ground', () => {
    expect([...(frames[3]?.states ?? [])].every((state) => state === 0)).toBe(true)
    const last = frames.at(-1)
    expect([...(last?.states ?? [])].filter((state) => state !== 0).length).toBeGreaterThan(5)
    for (let n = 0; n < (last?.count ?? 0); n++) expect(last?.places[3 * n + 1]).toBeGreaterThan(-0.8)
  })
  it('keeps its triangles in its first frame', () => {
    const [first] = frames
    if (!first) throw new TypeError('no frame')
    const read = readBrokenFrame(writeBrokenFrame(first))
    expect(read.meshes).toHaveLength(first.count)
    expect(read.meshes?.map(({ parts, uvs }) => [parts, uvs])).toEqual(
      first.meshes?.map(({ parts, uvs }) => [parts, uvs]),
    )
  })
  it('gives way to its pieces, which have its own materials, and an inside', () => {
    const keys = (frame: number): number => thingKeys(shot, { opening: frame, closing: frame }, 'look', {}).length
    expect([keys(4), keys(5)]).toEqual([1, 0])
    const [instance] = breakingInstances(shot, 'break', 14, {})
    if (!instance) throw new TypeError('it is shown')
    const kept = instance.frames.map(({ frame }) => frames[frame - 1] as BrokenFrame)
    const context = { illuminance: 400, emitters: 4, camera: { position: [0, 1, 5] }, seconds: 1 / 24 }
    const drawn = breakingEffect.draw(instance, kept, { ...context, worn: shaded } as never)
    const things = drawn.flatMap((one) => (one.kind === 'thing' ? [one] : []))
    expect(drawn).toHaveLength(frames[0]?.count ?? 0)
    for (const { mesh, materials } of things) {
      const last = materials.length - 1
      expect([...(mesh.parts ?? [])].every((part) => part <= last)).toBe(true)
      expect([...(mesh.parts ?? [])].some((part) => part === last)).toBe(true)
    }
    // With the plate on it, it has that instead.
    expect(breakingEffect.frozen(scanShot({ carries: 'frozen', frozen: 2 }), 'break', 9, {})?.frame).toBe(2)
    expect(breakingEffect.frozen(shot, 'break', 9, {})).toBeUndefined()
  })
})
