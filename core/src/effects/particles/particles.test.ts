import { describe, expect, it } from 'vitest'
import { camera, look } from '../../../testing/particles.ts'
import { makeCrew } from '../../base/index.ts'
import { emptyParticles } from '../../data/index.ts'
import { plainDeflate, readParticleFrame, writeParticleFrame } from '../../formats/index.ts'
import { AT_HOME, renderPicture, type Splats } from '../../picture/index.ts'
import { applyPatch, makeItem, makeShot, type ShotDocument } from '../../shot/index.ts'
import type { EffectContext, MadeFrame, Run, StepBaker } from '../effect.ts'
import {
  decodeParticleState,
  drawParticles,
  PARTICLE_PRESETS,
  type ParticleLook,
  type ParticlesItem,
  particleInstances,
  particlesEffect,
  resolveParticles,
} from './index.ts'

const plate = { asset: 'a', file: 'f', width: 320, height: 180, first: 1, last: 24, rate: [24, 1], encoding: 'srgb' }
function shot(over: Partial<ParticlesItem> = {}): ShotDocument {
  const made = makeShot('One', plate as Parameters<typeof makeShot>[1])
  made.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  made.items.sparks = makeItem('particles', {
    name: 'Sparks',
    order: 2,
    position: [0, 1, -4],
    rate: 400,
    hot: 1200,
    ...over,
  })
  return made
}
const runOf = (document: ShotDocument, context: EffectContext = {}): Run => {
  const [run] = resolveParticles(document, 'sparks', context)
  if (!run) throw new Error('there is a run')
  return run
}
/** Makes so many frames of a run; from: a kept state. */
async function made(run: Run, count: number, from?: ReturnType<StepBaker['state']>) {
  if (run.bake.way !== 'steps') throw new Error('it goes by steps')
  const baker = await run.bake.prepare({ crew: makeCrew(1), deflate: plainDeflate } as never, from)
  const frames: MadeFrame[] = []
  for (let n = 0; n < count; n++) {
    const steps = await baker.advance([])
    let step = steps.next()
    while (!step.done) step = steps.next()
    frames.push(baker.encode())
  }
  return { frames, state: baker.state() }
}

describe('a run of particles', () => {
  it('goes on from a kept state bit for bit', async () => {
    const run = runOf(shot())
    const whole = await made(run, 12)
    const half = await made(run, 6)
    if (run.bake.way !== 'steps') throw new Error('it goes by steps')
    const reader = run.bake.readState(half.state.done, JSON.parse(JSON.stringify(half.state.small)))
    for (const [n, part] of reader.parts.entries()) part.set(half.state.parts[n] ?? new Uint8Array())
    const rest = await made(run, 6, reader.state)
    expect(rest.frames.at(-1)?.bytes).toEqual(whole.frames.at(-1)?.bytes)
    expect(readParticleFrame(whole.frames[11]?.bytes ?? new Uint8Array()).count).toBeGreaterThan(100)
    expect(decodeParticleState(half.state).count).toBe(half.state.parts[1]?.length)
  })
  it('has a key per frame that only what comes before decides', () => {
    const keys = (over: Partial<ParticlesItem>) => runOf(shot(over)).frameKeys
    const motion = {
      curve: 'straight',
      keys: [1, 12, 24].map((frame, n) => ({ frame, position: [n === 2 ? 1 : 0, 1, -4], turn: 0, tilt: 0, roll: 0 })),
    }
    const [still, moved] = [keys({}), keys({ motion } as never)]
    expect(moved.get(12)).toBe(still.get(12))
    expect(moved.get(20)).not.toBe(still.get(20))
    expect(keys({ seed: 2 }).get(1)).not.toBe(still.get(1))
    // How it looks makes no other particles.
    expect(keys({ glow: 3, colour: [1, 0, 0] }).get(24)).toBe(still.get(24))
  })
  it('says what its source lacks, and refuses what needs too much memory', () => {
    const fails = (over: Partial<ParticlesItem>): string => {
      try {
        resolveParticles(shot(over), 'sparks', {})
        return ''
      } catch (error) {
        return String(error)
      }
    }
    expect(fails({ source: 'gas' })).toContain('none is chosen')
    expect(fails({ source: 'line' })).toContain('none is drawn')
    expect(fails({ source: 'piece', piece: 'gone' })).toContain('is gone')
    expect(fails({ source: 'gas', gas: 'gone' })).toContain('is gone')
    const much = runOf(shot({ rate: 1_000_000, life: 500, runUp: 240 }))
    expect(() => much.checkMemory(2 ** 34)).toThrow(/particles at once/)
    expect(() => runOf(shot()).checkMemory(2 ** 30)).not.toThrow()
    expect(() => makeItem('particles', { name: 'P', order: 1, size: -2 })).toThrow()
    expect(() => makeItem('particles', { name: 'P', order: 1, rate: Number.NaN })).toThrow()
  })
  it('takes frames of its gas where there are any', () => {
    const gas: Run = { ...runOf(shot()), key: 'gas-key', first: 5, last: 9, frameKeys: new Map([[5, 'a']]) }
    const document = shot({ source: 'gas', gas: 'fire' })
    document.items.fire = makeItem('gas', { name: 'Fire', order: 3 })
    const run = runOf(document, { result: () => gas })
    expect(run.inputs[0]?.key).toBe('gas-key')
    expect(run.needs(7)).toEqual([{ input: 0, frames: [7] }])
    expect(run.needs(2)).toEqual([])
  })
  it('takes frames of the particles that it comes from, and says where those are gone', () => {
    const others: Run = { ...runOf(shot()), key: 'others-key', first: 3, last: 9 }
    const document = shot({ source: 'particles', others: 'first' })
    document.items.first = makeItem('particles', { name: 'First', order: 3 })
    const run = runOf(document, { result: () => others })
    expect(run.inputs.map(({ key }) => key)).toEqual(['others-key'])
    expect(run.needs(7)).toEqual([{ input: 0, frames: [7] }])
    document.items.first = makeItem('particles', { name: 'First', order: 3, way: 'rain' })
    expect(() => runOf(document)).toThrow(/only fall/)
    expect(() => runOf(shot({ source: 'particles' }))).toThrow(/none are chosen/)
  })
  it('is none where it only falls', () => {
    expect(resolveParticles(shot({ way: 'rain' }), 'sparks', {})).toEqual([])
    expect(particlesEffect.bakes(shot({ way: 'rain' }).items.sparks as never)).toBe(false)
    const [instance] = particleInstances(shot({ way: 'rain' }), 'sparks', 3, {})
    expect(instance?.frames).toEqual([])
    expect(instance?.look.tops).toHaveLength(1)
  })
})

const one = (
  over: Partial<Record<'at' | 'velocity', [number, number, number]>> & {
    size?: number
    kelvin?: number
    age?: number
  } = {},
) => {
  const frame = emptyParticles(1)
  frame.positions.set(over.at ?? [0, 1, -4])
  frame.velocities.set(over.velocity ?? [0, 0, 0])
  frame.sizes[0] = over.size ?? 0.05
  frame.temperatures[0] = over.kelvin ?? 288
  frame.ages[0] = over.age ?? 0
  return frame
}
const drawn = (own: ParticleLook, frame: ReturnType<typeof one>, open = 0): readonly unknown[] =>
  drawParticles(
    { item: 's', of: 's', frames: [{ frame: 1, weight: 1, ahead: 0 }], place: AT_HOME, look: own },
    [frame],
    {
      illuminance: 400,
      emitters: 8,
      camera,
      seconds: 1 / 24,
      shutter: { seconds: open, camera: () => camera },
    },
  )
const splat = (drawables: readonly unknown[]): number[] => [...((drawables[0] as Splats | undefined)?.data ?? [])]
const light = { sunDirection: [0, 1, 0], sunShare: 0, sunColour: [1, 1, 1], skyColour: [1, 1, 1] } as const
const sums = (drawables: readonly unknown[]) => {
  const picture = renderPicture(makeCrew(1), {
    pieces: [],
    layers: [{ id: 's', drawables: drawables as never }],
    camera,
    light,
    quality: {
      few: 1,
      many: 4,
      most: 4,
      noise: 1,
      bounces: false,
      marches: 1,
      mostMarches: 1,
      step: 1,
      blurs: false,
      lightWork: 1,
      lightStride: 4,
      orders: 1,
    },
  })
  const [layer] = picture.layers
  const total = (values: Float32Array | undefined, step = 1): number =>
    (values ?? new Float32Array()).reduce((sum, v, n) => (n % step === 0 ? sum + v : sum), 0)
  return {
    alpha: total(layer?.alpha?.data),
    emission: total(layer?.emission?.data, 3),
    colour: total(layer?.colour?.data, 3),
    layer,
  }
}

describe('particles in the picture', () => {
  it('cover as much as their size says, and give their light, within a per cent', () => {
    // 5 cm at 4 m: 3.4 px across.
    const area = Math.PI * ((270 * 0.025) / 4) ** 2
    const still = sums(drawn(look, one()))
    expect(still.alpha / area).toBeCloseTo(1, 2)
    expect(still.colour / (0.5 * area)).toBeCloseTo(1, 2)
    const added = sums(drawn({ ...look, over: false }, one()))
    expect(added.alpha).toBe(0)
    expect(added.emission / (0.5 * area)).toBeCloseTo(1, 2)
  })
  it('are drawn out over the open shutter by as much as they go', () => {
    const [x0 = 0, , , x1 = 0] = splat(drawn(look, one({ velocity: [6, 0, 0], size: 0.005 }), 1 / 48))
    expect(x1 - x0).toBeCloseTo((6 / 48 / 4) * 270, 3)
    const { layer } = sums(drawn(look, one({ velocity: [6, 0, 0], size: 0.02 }), 1 / 48))
    const row = 90 - (layer?.y ?? 0)
    const seen = Array.from(
      { length: layer?.width ?? 0 },
      (_, x) => layer?.alpha?.data[row * (layer?.width ?? 0) + x] ?? 0,
    )
    const most = Math.max(...seen)
    const wide = seen.filter((v) => v > most / 2).length
    expect(Math.abs(wide - (6 / 48 / 4) * 270)).toBeLessThan(1.5)
  })
  it('glow as hot as they are, fade at the end of their life, and light what is near on wish', () => {
    const [, , , , , , , , cold] = splat(drawn(look, one()))
    expect(cold).toBe(0.5)
    const warm = splat(drawn(look, one({ kelvin: 1300 })))
    const hot = splat(drawn(look, one({ kelvin: 1600 })))
    expect(hot[8] ?? 0).toBeGreaterThan(3 * (warm[8] ?? 0))
    expect(hot[13]).toBe(1)
    // Red and orange, never green or blue.
    for (const [r = 0, g = 0, b = 0] of [warm.slice(8, 11), hot.slice(8, 11)]) {
      expect(r).toBeGreaterThan(2 * g)
      expect(g).toBeGreaterThan(b)
    }
    const fades = { ...look, fades: 0.5 }
    expect((splat(drawn(fades, one({ age: 1.5 })))[12] ?? 0) / (splat(drawn(fades, one()))[12] ?? 1)).toBeCloseTo(
      0.5,
      5,
    )
    const lit = drawn({ ...look, lights: 3 }, one({ kelvin: 1600 }))
    expect(lit.map((drawable) => (drawable as { kind: string }).kind)).toEqual(['splats', 'lamp'])
  })
  it('leaves out what is behind the camera', () => {
    expect(drawn(look, one({ at: [0, 1, 3] }))).toEqual([])
  })
  it('draws rain by its settings, the same every time', () => {
    const [instance] = particleInstances(shot({ way: 'rain', intensity: 20, far: 10 }), 'sparks', 7, {})
    if (!instance) throw new Error('it is shown')
    const context = {
      illuminance: 400,
      emitters: 8,
      camera,
      seconds: 1 / 24,
      shutter: { seconds: 1 / 48, camera: () => camera },
    }
    const [a, b] = [drawParticles(instance, [], context), drawParticles(instance, [], context)]
    expect(splat(a).length).toBeGreaterThan(16 * 500)
    expect(splat(a)).toEqual(splat(b))
  })
})

describe('presets of particles', () => {
  it.each(PARTICLE_PRESETS.map((preset) => [preset.name, preset] as const))(
    '%s is placed and resolves',
    (_, preset) => {
      const before = shot()
      before.items.fire = makeItem('gas', { name: 'Fire', order: 3, position: [0, 0, -4] })
      before.items.hole = makeItem('crater', { name: 'Hole', order: 4, position: [0, 0, -4] })
      const after = applyPatch(before, preset.place(before, 'made', { position: [0.2, 0, -4], frame: 5 }))
      const item = after.items.made as ParticlesItem
      expect(item.name).toMatch(new RegExp(`^${preset.name}`))
      if (['sparks', 'spits', 'embers'].includes(preset.id)) expect([item.source, item.gas]).toEqual(['gas', 'fire'])
      const runs = resolveParticles(after, 'made', { result: () => undefined })
      expect(runs).toHaveLength(item.way === 'computed' ? 1 : 0)
    },
  )
  it('come from the place itself where no fire is near', () => {
    const [sparks] = PARTICLE_PRESETS
    const after = applyPatch(shot(), sparks?.place(shot(), 'made', { position: [3, 0, -4], frame: 5 }))
    expect(after.items.made).toMatchObject({ source: 'disc', position: [3, 0, -4], gas: '' })
  })
})

describe('particles that were taken in', () => {
  const blob = (n: number): string => n.toString(16).padStart(64, '0')
  const taken = {
    file: 'p.csv',
    frames: [
      { frame: 12, blob: blob(1) },
      { frame: 14, blob: blob(2) },
    ],
    at: 3,
  }
  it('are kept as they came, on the frames on which they are shown; a frame left out has none', async () => {
    const run = runOf(shot({ way: 'taken in', taken }))
    expect([run.first, run.last]).toEqual([3, 5])
    if (run.bake.way !== 'frames') throw new Error('each frame by itself')
    const files = new Map([[blob(1), writeParticleFrame(one({ velocity: [0, 3, 0] }))]])
    const baker = await run.bake.prepare({
      blob: async (key: string) => files.get(key),
      deflate: plainDeflate,
    } as never)
    const made = await baker.frame(3, [])
    expect(made.figures).toMatchObject({ count: 1, meanSpeed: 3 })
    expect(readParticleFrame(made.bytes).positions).toEqual(one().positions)
    expect((await baker.frame(4, [])).figures).toMatchObject({ count: 0 })
    const frames = (document: ShotDocument, frame: number) => particleInstances(document, 'sparks', frame, {}).length
    expect([2, 3, 5, 6].map((frame) => frames(shot({ way: 'taken in', taken }), frame))).toEqual([0, 1, 1, 0])
  })
  it('say what is missing, and where they lie outside the plate', () => {
    expect(() => runOf(shot({ way: 'taken in' }))).toThrow(/none are/)
    expect(() => runOf(shot({ way: 'taken in', taken: { ...taken, at: 500 } }))).toThrow(/lies within the plate/)
  })
})
