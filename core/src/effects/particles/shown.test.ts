import { describe, expect, it } from 'vitest'
import { camera, look } from '../../../testing/particles.ts'
import { emptyParticles, type FloatImage, makeImage, projectPoint } from '../../data/index.ts'
import type { Vec3 } from '../../math/index.ts'
import { AT_HOME, type Splats } from '../../picture/index.ts'
import { addedAt, instancesAt, type PictureFrame } from '../../pipeline/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../../shot/index.ts'
import type { DrawContext, EffectInstance } from '../effect.ts'
import { aroundOf } from './around.ts'
import { drawParticles } from './draw.ts'
import { heavierFrames } from './drawKept.ts'
import { type ParticleLook, particleInstances } from './instances.ts'

// Particles shown again elsewhere, flat ones that turn, drops that show the plate, wet ground and eaves.

const context = (over: Partial<DrawContext> = {}): DrawContext => ({
  illuminance: 400,
  emitters: 8,
  camera,
  seconds: 1 / 24,
  ...over,
})
function shot(over: object = {}): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 320, height: 180, first: 1, last: 9, rate: [24, 1], encoding: 'srgb' }
  const made = makeShot('One', plate as Parameters<typeof makeShot>[1])
  made.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  made.items.sparks = makeItem('particles', { name: 'Sparks', order: 2, position: [0.5, 0, -4], ...over } as never)
  return made
}
const one = (at: Vec3, velocity: Vec3 = [0, 0, 0], spin = 0) => {
  const frame = emptyParticles(1)
  frame.positions.set(at)
  frame.velocities.set(velocity)
  frame.sizes[0] = 0.05
  frame.temperatures[0] = 288
  frame.spins[0] = spin
  return frame
}
const splats = (instance: EffectInstance<ParticleLook>, frames: unknown[], own = context()): number[][] => {
  const { data } = (drawParticles(instance, frames as never, own)[0] ?? { data: new Float32Array() }) as Splats
  return Array.from({ length: data.length / 16 }, (_, n) => [...data.subarray(16 * n, 16 * n + 16)])
}

describe('a kept run of particles shown again', () => {
  const again = (over: object = {}) => {
    const document = shot()
    document.items.again = makeItem('reuse', {
      name: 'Again',
      order: 3,
      of: 'sparks',
      position: [-1, 0, -6],
      scale: 4,
      ...over,
    } as never)
    const found = instancesAt(document, 5).find(({ item }) => item === 'again')
    return found as EffectInstance<ParticleLook> | undefined
  }
  it('stands where it is put, turned, as large and as fast as it is said', () => {
    const instance = again({ turn: 90, froude: true })
    if (!instance) throw new Error('it is shown')
    expect(instance.of).toBe('sparks')
    // 4 frames on at half the pace: 2 frames.
    expect(instance.frames).toEqual([{ frame: 3, weight: 1, ahead: 0 }])
    // 0.5 m up and 0.25 m to the right of its source; four times as far, turned to the far side.
    const shutter = { seconds: 1 / 24, camera: () => camera }
    const [splat = []] = splats(instance, [one([0.75, 0.5, -4], [0, 1, 0])], context({ shutter }))
    const seen = projectPoint(camera, [-1, 2, -7])
    expect((splat[0] ?? 0) / 2 + (splat[3] ?? 0) / 2).toBeCloseTo(seen?.x ?? 0, 3)
    expect((splat[1] ?? 0) / 2 + (splat[4] ?? 0) / 2).toBeCloseTo(seen?.y ?? 0, 3)
    // Four times the size at half the pace: twice the speed.
    expect((splat[1] ?? 0) - (splat[4] ?? 0)).toBeCloseTo((270 * 2) / 24 / 7, 3)
    // Four times as wide: 16 times the px.
    expect(splat[12]).toBeCloseTo(Math.PI * ((270 * 0.1) / 7) ** 2, 3)
  })
  it('is mirrored, comes later, and shows nothing before; rain and what is gone show nothing', () => {
    expect(again({ mirror: true, scale: 1 })?.place.mirror).toBe(true)
    expect(again({ shift: 6, scale: 1 })).toBeUndefined()
    expect(again({ of: 'gone' })).toBeUndefined()
    const document = shot({ way: 'rain' })
    document.items.again = makeItem('reuse', { name: 'Again', order: 3, of: 'sparks' } as never)
    expect(instancesAt(document, 5).map(({ item }) => item)).toEqual(['sparks'])
  })
  it('between two frames is drawn once, carried by its own velocity; two rounds of a loop both are', () => {
    const between = [
      { frame: 3, weight: 0.7, ahead: 0.3 / 24 },
      { frame: 4, weight: 0.3, ahead: -0.7 / 24 },
    ]
    expect(heavierFrames(between)).toMatchObject([{ n: 0, weight: 1, ahead: 0.3 / 24 }])
    const rounds = [
      { frame: 3, weight: 0.4, ahead: 0 },
      { frame: 8, weight: 0.6, ahead: 0 },
    ]
    expect(heavierFrames(rounds).map(({ n, weight }) => [n, weight])).toEqual([
      [1, 0.6],
      [0, 0.4],
    ])
    const instance = { item: 's', of: 's', frames: between, place: AT_HOME, look }
    const [splat = []] = splats(instance, [one([0, 1, -4], [1, 0, 0]), one([0, 1, -4])])
    expect(splat[0]).toBeCloseTo(160 + (270 * 0.3) / 24 / 4, 4)
  })
})

describe('flat ones and ash', () => {
  const instance = (over: Partial<ParticleLook>) => ({
    item: 's',
    of: 's',
    frames: [{ frame: 1, weight: 1, ahead: 0 }],
    place: AT_HOME,
    look: { ...look, ...over },
  })
  it('show less of themselves the more they turn edge on, and other brightness', () => {
    const [face = [], edge = []] = [0, 0.25].map(
      (spin) => splats(instance({ flat: true }), [one([0, 1, -4], [0, 0, 0], spin)])[0] ?? [],
    )
    expect((edge[12] ?? 0) / (face[12] ?? 1)).toBeCloseTo(0.15, 5)
    expect(edge[8]).not.toBeCloseTo(face[8] ?? 0, 2)
    // Bent, more of it is seen edge on, and less face on.
    const [openFace = [], openEdge = []] = [0, 0.25].map(
      (spin) => splats(instance({ flat: true, bends: 1 }), [one([0, 1, -4], [0, 0, 0], spin)])[0] ?? [],
    )
    expect(openEdge[12] ?? 0).toBeGreaterThan(2 * (edge[12] ?? 0))
    expect(openFace[12] ?? 0).toBeLessThan(face[12] ?? 0)
    const [ball = []] = splats(instance({}), [one([0, 1, -4], [0, 0, 0], 0.25)])
    expect(ball[12]).toBeCloseTo(face[12] ?? 0, 6)
  })
  it('glow on for a while at their rim, redder and weaker, then not at all', () => {
    const at = (age: number): number[][] => {
      const frame = one([0, 1, -4])
      frame.ages[0] = age
      return splats(instance({ afterglow: 0.5, life: 4 }), [frame])
    }
    const [young, older] = [at(0.1), at(1.6)].map((all) => all[1] ?? [])
    expect(young?.[8] ?? 0).toBeGreaterThan(3 * (older?.[8] ?? 0))
    expect((young?.[8] ?? 0) / (young?.[9] ?? 1)).toBeLessThan((older?.[8] ?? 0) / (older?.[9] ?? 1))
    expect(young?.[11]).toBe(0)
    expect(at(2.1)).toHaveLength(1)
  })
})

/** A plate that is bright above its middle and dark below. */
const plate = (): FloatImage => {
  const image = makeImage(64, 36, 3)
  image.data.forEach((_, n) => (image.data[n] = Math.floor(n / 3 / 64) < 18 ? 0.8 : 0.1))
  return image
}
const rain = (over: object = {}, change?: (document: ShotDocument) => void) => {
  const document = shot({ way: 'rain', intensity: 20, least: 1.8, far: 7, splashes: true, ...over })
  change?.(document)
  const [instance] = particleInstances(document, 'sparks', 7, {})
  if (!instance) throw new Error('it is shown')
  return instance
}

describe('drops in a plate', () => {
  it('see above them what is bright, and below them what is dark', () => {
    const around = aroundOf(plate())
    const { above, below } = around.at(0.5, 0.5)
    expect(above[0]).toBeCloseTo(0.8, 5)
    expect(below[0]).toBeCloseTo(0.1, 5)
    expect(around.at(0, -3)).toEqual(around.at(0, 0))
  })
  it('show it: near ones by halves, far ones both at once, and hide as much as they show', () => {
    const instance = rain({ refracts: 100, splashes: false, brightness: 3 })
    const all = splats(instance, [], context({ plate: plate() }))
    expect(all.every((splat) => splat[11] === 1)).toBe(true)
    const colours = new Set(all.map((splat) => (splat[8] ?? 0).toFixed(2)))
    expect(colours).toContain('0.45')
    const near = rain({ refracts: 100, splashes: false, near: 0.2, far: 1 })
    const halves = splats(near, [], context({ plate: plate() })).map((splat) => (splat[8] ?? 0).toFixed(2))
    expect(halves).toContain('0.80')
    expect(halves).toContain('0.10')
    // Without any they are as bright as they are said to be.
    const plain = splats(rain({ splashes: false, lays: 'add', brightness: 3 }), [], context({ plate: plate() }))
    expect(plain.every((splat) => splat[11] === 0 && Math.abs((splat[8] ?? 0) - 3 * 0.8) < 1e-5)).toBe(true)
  })
})
describe('wet ground and eaves', () => {
  const painted = { s: { order: 1, on: 'ground', radius: 1, soft: 0, points: [[0, 0, -5]] } }
  const puddle = (document: ShotDocument): void => {
    document.items.wet = makeItem('matte', { name: 'Puddle', order: 3, stands: 'surface', painted } as never)
  }
  it('has rings where a matte is painted, and nowhere else', () => {
    const dry = splats(rain({}, puddle), [])
    const wet = splats(rain({ puddles: 'wet' }, puddle), [])
    expect(wet.length).toBeGreaterThan(dry.length + 14)
    const rings = wet.slice(dry.length)
    for (const [x0 = 0, y0 = 0, z0 = 0] of rings) {
      // Back to the ground.
      const place = [((x0 - 160) / 270) * z0, 1 - ((y0 - 90) / 270) * z0, -z0]
      expect(Math.abs(place[1] ?? 9)).toBeLessThan(0.01)
      expect(Math.hypot(place[0] ?? 9, (place[2] ?? 9) + 5)).toBeLessThan(1 + 0.25)
    }
    expect(splats(rain({ puddles: 'gone' }, puddle), [])).toHaveLength(dry.length)
  })
  it('drops fall off the edges of the roof that is chosen, and stop at the ground', () => {
    const roof = (document: ShotDocument): void => {
      document.items.roof = makeItem('box', {
        name: 'Roof',
        order: 3,
        position: [0, 1.6, -5],
        width: 2,
        depth: 1,
        height: 0.2,
      } as never)
    }
    const [dry, dripping] = [rain({}, roof), rain({ drips: 'roof' }, roof)].map((own) => splats(own, []))
    const drops = dripping?.slice(dry?.length) ?? []
    expect(drops.length).toBeGreaterThan(10)
    for (const [x0 = 0, y0 = 0, z0 = 0] of drops) {
      const [x, y, z] = [((x0 - 160) / 270) * z0, 1 - ((y0 - 90) / 270) * z0, -z0]
      expect(y).toBeLessThan(1.8)
      expect(y).toBeGreaterThan(-1e-3)
      const off = Math.min(Math.abs(Math.abs(x) - 1), Math.abs(Math.abs(z + 5) - 0.5))
      expect(off).toBeLessThan(1e-3)
    }
  })
})

describe('shadows of particles', () => {
  const ground = { centre: [0, 0, -4], half: [10, 10], turn: [0, 0, 0, 1] } as const
  const table = { centre: [0, 0.5, -4], half: [0.3, 0.3], turn: [0, 0, 0, 1] } as const
  const own = (over: Partial<ParticleLook> = {}) => ({
    item: 's',
    of: 's',
    frames: [{ frame: 1, weight: 1, ahead: 0 }],
    place: AT_HOME,
    look: { ...look, shadow: 1, tops: [ground], ...over },
  })
  const sun = { direction: [0.6, 0.8, 0], share: 0.7 } as const
  const shades = (at: Vec3, over?: Partial<ParticleLook>, light: DrawContext['sun'] = sun) =>
    splats(own(over), [one(at)], context({ sun: light })).slice(1)
  it('fall where the sun’s ray meets the ground, as dark as the sun is strong, softer the farther they fall', () => {
    const [[x, y, , , , , kernel = 0, , red, , , hides, fills = 0] = [], ...more] = shades([0.3, 0.4, -4])
    expect(more).toEqual([])
    const foot = projectPoint(camera, [0, 0.002, -4])
    expect([x, y]).toEqual([expect.closeTo(foot?.x ?? 0, 2), expect.closeTo(foot?.y ?? 0, 2)])
    expect([red, hides]).toEqual([0, 1])
    // As much as its disc covers of the ground, seen at a slant, by the sun's share.
    const facing = 1 / Math.hypot(4, 1)
    const { depth = 1 } = foot ?? {}
    expect(fills / (Math.PI * ((270 * 0.025) / depth) ** 2 * 0.7 * facing)).toBeCloseTo(1, 2)
    const [[, , , , , , wide = 0] = []] = shades([9, 12, -4], { tops: [{ ...ground, half: [99, 99] }] })
    expect(wide).toBeGreaterThan(kernel)
    expect(shades([0.3, 0.4, -4], { shadow: 0.5 })[0]?.[12]).toBeCloseTo(fills / 2, 4)
  })
  it('darken what they lie on, also without a sun, and nothing where they only give light', () => {
    const contact = shades([0, 0.02, -4], {}, { direction: [0, 1, 0], share: 0 })
    expect(contact).toHaveLength(1)
    expect(contact[0]?.[11]).toBe(1)
    expect(shades([0, 0.5, -4], {}, { direction: [0, 1, 0], share: 0 })).toEqual([])
    expect(shades([0, 0.02, -4], { over: false })).toEqual([])
    expect(shades([0, 0.02, -4], { tops: [] })).toEqual([])
  })
  it('lie on the highest top below them', () => {
    const straight = { direction: [0, 1, 0], share: 1 } as const
    const [on = []] = shades([0, 0.9, -4], { tops: [ground, table] }, straight)
    expect(on[1]).toBeCloseTo(projectPoint(camera, [0, 0.502, -4])?.y ?? 0, 3)
    const [under = []] = shades([0, 0.4, -4], { tops: [ground, table] }, straight)
    expect(under[1]).toBeCloseTo(projectPoint(camera, [0, 0.002, -4])?.y ?? 0, 3)
  })
})

describe('rain in a plate where it rains already', () => {
  const drawn = (added?: DrawContext['added']): number[][] =>
    splats(rain({ falls: 'before added', splashes: false }), [], context(added ? { added } : {}))
  it('is drawn only before what is added, on its side of it', () => {
    expect(drawn()).toEqual([])
    expect(drawn(() => Infinity)).toEqual([])
    // Something stands 4 m away in the right half.
    const half = drawn((x) => (x > 0.5 ? 4 : Infinity))
    expect(half.length).toBeGreaterThan(10)
    for (const [x0 = 0, , z0 = 0, x1 = 0, , z1 = 0] of half) {
      expect((x0 + x1) / 2).toBeGreaterThan(160)
      expect((z0 + z1) / 2).toBeLessThan(4)
    }
    expect(drawn(() => 99).length).toBe(splats(rain({ splashes: false }), []).length)
    // Rings lie in the plate's own puddles, which have theirs.
    const painted = { s: { order: 1, on: 'ground', radius: 1, soft: 0, points: [[0, 0, -5]] } }
    const wet = rain({ falls: 'before added', puddles: 'wet', splashes: false }, (document) => {
      document.items.wet = makeItem('matte', { name: 'Puddle', order: 3, stands: 'surface', painted } as never)
    })
    expect(splats(wet, [])).toEqual([])
  })
  it('knows what is added from the shot: a box that is seen, not the set of the plate', () => {
    const document = shot({ way: 'rain', falls: 'before added' })
    const at = { frame: 5, camera, instances: [] } as unknown as PictureFrame
    expect(addedAt(shot({ way: 'rain' }), at, () => undefined)).toBeUndefined()
    const empty = addedAt(document, at, () => undefined)
    expect(empty?.(0.5, 0.5)).toBe(Infinity)
    document.items.crate = makeItem('box', {
      name: 'Crate',
      order: 3,
      position: [0, 0, -5],
      width: 1,
      height: 2,
      depth: 1,
      carries: 'surface',
    } as never)
    const added = addedAt(document, at, () => undefined)
    expect(added?.(0.5, 0.5)).toBeCloseTo(4.5, 2)
    expect(added?.(0.05, 0.5)).toBe(Infinity)
  })
})
