import { describe, expect, it } from 'vitest'
import { encodeBase64 } from '../../base/index.ts'
import { FLYING, type ParticleFrame, STUCK } from '../../data/index.ts'
import { plainDeflate, readParticleFrame, writeParticleFrame } from '../../formats/index.ts'
import { frameRate } from '../../settings/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../../shot/index.ts'
import { breakingEffect } from '../breaking/index.ts'
import { decodeDebrisState, encodeDebrisState } from './bake.ts'
import { DebrisSimulation } from './debris.ts'
import { drawKept } from './drawKept.ts'
import { particleInstances } from './instances.ts'
import { particleSettings } from './resolve.ts'

/** Bits of 6 cm that are poured into a heap on the ground. */
function pourShot(over: Record<string, unknown> = {}): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 320, height: 180, first: 1, last: 60, rate: [24, 1], encoding: 'srgb' }
  const shot = makeShot('Pour', plate as Parameters<typeof makeShot>[1])
  shot.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  shot.items.bits = makeItem('particles', {
    name: 'Bits',
    order: 2,
    way: 'computed',
    source: 'disc',
    diameter: 0.24,
    position: [0, 0.8, 0],
    emits: 'all along',
    rate: 60,
    speed: 0.3,
    life: 60,
    lifeSpread: 0,
    size: 60,
    sizeSpread: 10,
    density: 1900,
    bits: 'chips',
    among: true,
    meets: 'bounce',
    restitution: 5,
    friction: 80,
    ends: 20,
    ...over,
  } as never)
  return shot
}
const settingsOf = (shot: ShotDocument) => particleSettings(shot, 'bits')
const open = (shot: ShotDocument, state?: Parameters<typeof DebrisSimulation.open>[2]) =>
  DebrisSimulation.open(settingsOf(shot), frameRate(shot.plate), state)
function make(simulation: DebrisSimulation, count: number): ParticleFrame {
  for (let n = 0; n < count; n++) for (const _ of simulation.steps()) void _
  return simulation.keep()
}

describe('debris that meets itself', () => {
  it('piles up, and comes to rest, where bits alone would lie in one another', async () => {
    const simulation = await open(pourShot())
    const frame = make(simulation, 56)
    expect(frame.count).toBeGreaterThan(30)
    const heights = Array.from({ length: frame.count }, (_, n) => frame.positions[3 * n + 1] ?? 0)
    expect(Math.max(...heights)).toBeGreaterThan(0.06)
    expect(Math.min(...heights)).toBeGreaterThan(0)
    const rest = [...frame.states].filter((state) => state === STUCK).length
    expect(rest / frame.count).toBeGreaterThan(0.6)
    // No two middles are in one place.
    let least = Infinity
    for (let a = 0; a < frame.count; a++)
      for (let b = 0; b < a; b++) {
        const away = [0, 1, 2].map((k) => (frame.positions[3 * a + k] ?? 0) - (frame.positions[3 * b + k] ?? 0))
        least = Math.min(least, Math.sqrt(away.reduce((sum, v) => sum + v * v, 0)))
      }
    expect(least).toBeGreaterThan(0.012)
    simulation.close()
  })
  it('goes on from a kept state bit for bit, and keeps how bits are turned', async () => {
    const [one, two] = [await open(pourShot()), await open(pourShot())]
    make(one, 24)
    make(two, 12)
    const state = decodeDebrisState(encodeDebrisState(two.state))
    const on = await open(pourShot(), state)
    const [a, b] = [one.keep(), make(on, 12)]
    expect(b.positions).toEqual(a.positions)
    expect(b.turns).toEqual(a.turns)
    const read = readParticleFrame(writeParticleFrame(a, plainDeflate))
    expect(read.turns?.length).toBe(4 * a.count)
    expect(Math.abs((read.turns?.[5] ?? 0) - (a.turns?.[5] ?? 0))).toBeLessThan(1e-3)
    const { turns: _, ...plain } = a
    expect(readParticleFrame(writeParticleFrame(plain)).turns).toBeUndefined()
    for (const each of [one, two, on]) each.close()
  })
  it('ends with its life, and gives room to others', async () => {
    const simulation = await open(pourShot({ life: 0.4 }))
    const frame = make(simulation, 20)
    expect(frame.count).toBeGreaterThan(5)
    expect(Math.max(...frame.ages)).toBeLessThan(0.45)
    expect([...frame.states]).toContain(FLYING)
    simulation.close()
  })
  it('is at most so many at once, and says so', async () => {
    const simulation = await open(pourShot({ emits: 'once', number: 2100, diameter: 6 }))
    expect(() => make(simulation, 30)).toThrow(/2,000 bits/)
    simulation.close()
  })
  it('is drawn as it is turned, of a taken-in mesh too', async () => {
    const shot = pourShot()
    const simulation = await open(shot)
    const frame = make(simulation, 20)
    const draw = (own: ShotDocument, extra: object = {}) => {
      const [instance] = particleInstances(own, 'bits', 20, {})
      if (!instance) throw new TypeError('it is shown')
      return drawKept(instance, [frame], { illuminance: 400, emitters: 4, seconds: 1 / 24, ...extra } as never)
    }
    const [first] = draw(shot)
    expect(first?.kind === 'thing' && first.opening.rotation[0]).toBeCloseTo(frame.turns?.[0] ?? 9, 6)
    const hash = 'c'.repeat(64)
    const mesh = {
      blob: hash,
      standIn: hash,
      file: 'a.glb',
      triangles: 1,
      animations: [],
      low: [0, 0, 0],
      high: [2, 1, 1],
    }
    const own = pourShot({ bits: 'mesh', bitMesh: 'tile' })
    own.items.tile = makeItem('thing', { name: 'Tile', order: 3, shown: false, mesh } as never)
    expect(settingsOf(own).among).toEqual({ bits: 'mesh', half: [0.5, 0.25, 0.25] })
    const triangle = { positions: Float32Array.from([0, 0, 0, 2, 0, 0, 0, 1, 1]), indices: Uint32Array.from([0, 1, 2]) }
    const [tile] = draw(own, { taken: () => triangle, worn: () => [] })
    expect(tile?.kind === 'thing' && [...tile.mesh.positions]).toEqual([
      -0.5, -0.25, -0.25, 0.5, -0.25, -0.25, -0.5, 0.25, 0.25,
    ])
    expect(draw(own, {})).toEqual([])
    expect(() => settingsOf(pourShot({ bits: 'mesh' }))).toThrow(/none is chosen/)
    simulation.close()
  })
  it('is discs with a picture on both faces, or pieces of what breaks', async () => {
    const simulation = await open(pourShot({ bits: 'discs', number: 20 }))
    const frame = make(simulation, 8)
    simulation.close()
    const draw = (own: ShotDocument, extra: object = {}) => {
      const [instance] = particleInstances(own, 'bits', 8, {})
      if (!instance) throw new TypeError('it is shown')
      const drawn = drawKept(instance, [frame], { illuminance: 400, emitters: 4, seconds: 1 / 24, ...extra } as never)
      return drawn.flatMap((one) => (one.kind === 'thing' ? [one] : []))
    }
    const values = encodeBase64(Uint8Array.from({ length: 4 * 4 * 4 }, (_, n) => n))
    const [disc] = draw(pourShot({ bits: 'discs', bitPicture: { file: 'lid.png', width: 4, height: 4, values } }))
    expect(disc?.materials[0]?.baseMap).toMatchObject({ width: 4, height: 4 })
    expect(disc?.materials[0]?.baseMap?.data[5]).toBe(5)
    const across = [...(disc?.mesh.positions ?? [])].filter((_, n) => n % 3 === 0)
    expect(Math.max(...across) - Math.min(...across)).toBeCloseTo(1, 6)
    const shot = pourShot({ bits: 'pieces', bitPieces: 'break' })
    shot.items.wall = makeItem('box', { name: 'Wall', order: 3, width: 2, height: 1, depth: 0.2 } as never)
    shot.items.break = makeItem('breaking', { name: 'Break', order: 4, piece: 'wall', number: 12 } as never)
    const shapes = (id: string) => breakingEffect.shapes(shot, id)
    expect(shapes('break').length).toBeGreaterThan(8)
    for (const { positions } of shapes('break')) {
      const spans = [0, 1, 2].map((a) => {
        const own = [...positions].filter((_, n) => n % 3 === a)
        return Math.max(...own) - Math.min(...own)
      })
      expect(Math.max(...spans)).toBeCloseTo(1, 5)
    }
    const pieces = draw(shot, { shapes })
    expect(new Set(pieces.map(({ mesh }) => mesh)).size).toBeGreaterThan(2)
    for (const { mesh } of pieces) expect(shapes('break')).toContain(mesh)
    // Of what is no such thing they are made ones.
    expect(draw(pourShot({ bits: 'pieces' }), { shapes: () => [] })).toHaveLength(frame.count)
  })
})
