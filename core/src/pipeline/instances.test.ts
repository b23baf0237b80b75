import { describe, expect, it } from 'vitest'
import {
  checkRoom,
  GAS_PRESETS,
  gasFrameKeys,
  gasRecipe,
  gasRoom,
  gasSchema,
  gasSettings,
  type ReuseItem,
  reuseFrames,
  roughWork,
  speedForSize,
} from '../effects/gas/index.ts'
import { aboutAxis, rotate, type Vec3 } from '../math/index.ts'
import { placeInGas, placeInWorld } from '../picture/index.ts'
import { applyPatch, makeItem, makeShot, type ShotDocument } from '../shot/index.ts'
import { cameraSpeed, figureOf, instancesAt, settledShot } from './index.ts'

const RATE = 24
const made = (over: object = {}): ShotDocument => {
  const shot = makeShot('One', {
    asset: 'a',
    file: 'f',
    width: 320,
    height: 180,
    first: 1001,
    last: 1100,
    rate: [RATE, 1],
    encoding: 'srgb',
  })
  shot.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  shot.items.fire = makeItem('gas', { name: 'Fire', order: 2, position: [1, 0, -5], reach: 3, ...over })
  return shot
}
const reuse = (over: object = {}): ReuseItem =>
  makeItem('reuse', { name: 'Again', order: 3, of: 'fire', position: [-2, 0, -4], ...over }) as ReuseItem

describe('a kept run that is shown again', () => {
  it('is shown at its own pace, later by its shift, and not before it begins or after its end', () => {
    const one = reuse({ shift: 10, froude: false })
    expect(reuseFrames(one, 10, 1001, 1100, RATE)).toEqual([{ frame: 1001, weight: 1, ahead: 0 }])
    expect(reuseFrames(one, 34, 1001, 1100, RATE)).toEqual([{ frame: 1025, weight: 1, ahead: 0 }])
    expect(reuseFrames(one, 9, 1001, 1100, RATE)).toEqual([])
    expect(reuseFrames(one, 110, 1001, 1100, RATE)).toEqual([])
  })
  it('goes by Froude’s law where it is larger: four times the size, half the pace, each frame carried to its moment', () => {
    const frames = reuseFrames(reuse({ scale: 4 }), 21, 1001, 1100, RATE)
    expect(frames.map(({ frame }) => frame)).toEqual([1011, 1012])
    expect(frames.map(({ weight }) => weight)).toEqual([0.5, 0.5])
    expect(frames[0]?.ahead).toBeCloseTo(0.5 / RATE, 9)
    expect(frames[1]?.ahead).toBeCloseTo(-0.5 / RATE, 9)
  })
  it('loops without an end: its shares add up to 1, and a round later it is where it was', () => {
    const one = reuse({ loop: true, loopFrom: 20, loopLength: 30, loopBlend: 8, froude: false })
    for (const since of [0, 3, 29, 30, 31, 37, 38, 95, 1000, 12345])
      expect(reuseFrames(one, since, 1001, 1100, RATE).reduce((sum, { weight }) => sum + weight, 0)).toBeCloseTo(1, 9)
    expect(reuseFrames(one, 33 + 60, 1001, 1100, RATE)).toEqual(reuseFrames(one, 33, 1001, 1100, RATE))
    // Just after the turn nearly all of it is still the end that goes on, so that nothing leaps.
    const turn = reuseFrames(one, 30, 1001, 1100, RATE)
    expect(turn).toEqual([{ frame: 1051, weight: 1, ahead: 0 }])
    expect(reuseFrames(one, 29, 1001, 1100, RATE)[0]?.frame).toBe(1050)
  })
  it('stands where it was put: the source’s place there, turned and mirrored about it', () => {
    const shot = made()
    shot.items.again = reuse({ turn: 90, scale: 2, mirror: true })
    const showing = instancesAt(shot, 1050).find(({ item }) => item === 'again')
    if (!showing) throw new Error('it is shown')
    const source = placeInWorld(showing.place, [1, 0, -5])
    ;[-2, 0, -4].forEach((v, n) => expect(source[n]).toBeCloseTo(v, 9))
    // What lay a metre to the right of the source lies, mirrored, to its left, twice as far, turned a quarter.
    const right = placeInWorld(showing.place, [2, 0, -5])
    const expected = rotate(aboutAxis([0, 1, 0], Math.PI / 2), [-2, 0, 0]).map(
      (v, n) => v + ([-2, 0, -4][n] ?? 0),
    ) as unknown as Vec3
    right.forEach((v, n) => expect(v).toBeCloseTo(expected[n] ?? 9, 9))
    const back = placeInGas(showing.place, right)
    ;[2, 0, -5].forEach((v, n) => expect(back[n]).toBeCloseTo(v, 9))
  })
  it('is left out where its gas is gone, and shows a hidden gas', () => {
    const shot = made()
    shot.items.again = reuse()
    shot.items.fire = { ...shot.items.fire, shown: false } as ShotDocument['items'][string]
    expect(instancesAt(shot, 1001).map(({ item }) => item)).toEqual(['again'])
    delete shot.items.fire
    expect(instancesAt(shot, 1001)).toEqual([])
  })
})

describe('keys of a run’s frames', () => {
  const keyed = (value: number, frame = 1060): ShotDocument => {
    const shot = made({ follows: { heat: { signal: 'power' } } })
    shot.signals.power = {
      name: 'Power',
      shown: true,
      source: {
        kind: 'keys',
        curve: 'straight',
        keys: [
          { frame: 1001, value: 400 },
          { frame: 1050, value: 400 },
          { frame, value },
        ],
      },
    }
    return applyPatch(shot, {})
  }
  const keys = (shot: ShotDocument): string[] => [...gasFrameKeys(gasRecipe(shot, 'fire', 'full'), 1001, 1100).values()]
  it('agree up to the frame where something differs, and nowhere after', () => {
    const [a, b] = [keys(keyed(500)), keys(keyed(700))]
    const parted = a.findIndex((key, n) => key !== b[n])
    expect(parted).toBe(50)
    for (let n = parted; n < a.length; n++) expect(a[n]).not.toBe(b[n])
    expect(new Set(a).size).toBe(a.length)
  })
  it('agree nowhere where the cell differs, everywhere where only a name does', () => {
    expect(keys(made({ cell: 50 }))[0]).not.toBe(keys(made({ cell: 40 }))[0])
    expect(keys(made({ name: 'Other' } as object))).toEqual(keys(made()))
  })
})

describe('what a gas may need', () => {
  it('is said with what would fit, before anything starts', () => {
    const settings = gasSettings(made({ cell: 10, reach: 8 }), 'fire', 'full')
    const room = gasRoom(settings, 3.6 * 2 ** 30)
    expect(room.cells).toBeGreaterThan(100e6)
    expect(() => checkRoom('Fire', settings, 3.6 * 2 ** 30)).toThrow(
      /“Fire” may come to .* million cells of 10 mm, .* GiB/,
    )
    const fits = gasSettings(made({ cell: Math.ceil(room.cellThatFits * 1000), reach: 8 }), 'fire', 'full')
    expect(() => checkRoom('Fire', fits, 3.6 * 2 ** 30)).not.toThrow()
  })
  it('is refused where a source lacks what its shape asks for', () => {
    for (const [shape, message] of [
      ['line', /none is drawn/],
      ['piece', /none is chosen/],
      ['area', /none is drawn/],
      ['points', /no table/],
    ] as const)
      expect(() => gasSettings(made({ shape }), 'fire', 'full')).toThrow(message)
    expect(() =>
      gasSettings(
        made({
          shape: 'area',
          drawn: {
            frame: 1001,
            shapes: [
              [
                [1, 1],
                [2, 1],
                [2, 2],
              ],
            ],
          },
        }),
        'fire',
        'full',
      ),
    ).toThrow(/no camera/)
    expect(() => gasSettings(made(), 'nobody', 'full')).toThrow(/not a gas/)
    expect(() => gasSettings(made({ part: { low: [50, 0, 0], high: [51, 1, 1] } }), 'fire', 'full')).toThrow(
      /holds nothing of it/,
    )
  })
  it('is held still by a wind of its motion, and shown along it', () => {
    const motion = {
      keys: [
        { frame: 1001, position: [0, 1, 0] as [number, number, number], turn: 0, tilt: 0, roll: 0 },
        { frame: 1025, position: [12, 1, 0] as [number, number, number], turn: 0, tilt: 0, roll: 0 },
      ],
      curve: 'straight' as const,
    }
    const shot = made({ held: true, motion })
    const settings = gasSettings(shot, 'fire', 'full')
    expect(settings.sceneInputs[12]?.wind[0]).toBeCloseTo(-12, 6)
    expect(settings.sceneInputs.every(({ sources }) => sources[0]?.centre[0] === 0)).toBe(true)
    expect(instancesAt(shot, 1013)[0]?.place.shift[0]).toBeCloseTo(6, 6)
    // Free, it moves through still air.
    const free = gasSettings(made({ motion }), 'fire', 'full')
    expect(free.sceneInputs[12]?.sources[0]?.centre[0]).toBeCloseTo(6, 6)
    for (const part of free.sceneInputs[12]?.wind ?? [1]) expect(part).toBeCloseTo(0, 9)
  })
})

describe('kinds', () => {
  it.each(GAS_PRESETS.map((kind) => [kind.name, kind] as const))(
    '%s is a gas like any other, with settings that a run takes',
    (_, kind) => {
      const shot = made()
      shot.camera = { ...shot.camera, kind: 'typed' }
      shot.items.wall = makeItem('box', { name: 'Wall', order: 5, position: [0, 0, -7] })
      shot.items.falls = makeItem('breaking', { name: 'Falls', order: 6, piece: 'wall' })
      const camera = {
        position: [0, 1.6, 2] as const,
        rotation: [0, 0, 0, 1] as const,
        focalPx: 300,
        centre: [160, 90] as const,
        k1: 0,
        k2: 0,
        width: 320,
        height: 180,
      }
      const patched = applyPatch(
        shot,
        kind.place(shot, `${kind.id}-1`, {
          position: [0, 0, -4],
          frame: 1010,
          line: [
            [0, 0, 0],
            [1, 0, 0.5],
          ],
          piece: 'wall',
          drawn: {
            frame: 1010,
            shapes: [
              [
                [100, 130],
                [220, 130],
                [220, 170],
                [100, 170],
              ],
            ],
          },
        }),
      )
      const settings = gasSettings(patched, `${kind.id}-1`, 'full', { camera: () => camera })
      expect(settings.sources.length).toBe(1)
      expect(() => checkRoom(kind.name, settings, 3.6 * 2 ** 30)).not.toThrow()
      const strongest = Math.max(
        ...settings.sceneInputs.map(({ sources }) => (sources[0]?.heat ?? 0) + (sources[0]?.smoke ?? 0)),
      )
      // A break tells its dust frame by frame.
      if (kind.settings.shape === 'break') expect(strongest).toBe(0)
      else expect(strongest).toBeGreaterThan(0)
      if (kind.burst) {
        expect(settings.sceneInputs[0]?.sources[0]).toMatchObject({ heat: 0, smoke: 0 })
        expect(settings.sceneInputs.at(-1)?.sources[0]).toMatchObject({ heat: 0, smoke: 0 })
      }
    },
  )
  it('placed twice have names of their own', () => {
    const shot = made()
    const [kind] = GAS_PRESETS
    if (!kind) throw new Error('there are kinds')
    const twice = applyPatch(
      applyPatch(shot, kind.place(shot, 'a', { position: [0, 0, -4], frame: 1001 })),
      kind.place(applyPatch(shot, kind.place(shot, 'a', { position: [0, 0, -4], frame: 1001 })), 'b', {
        position: [1, 0, -4],
        frame: 1001,
      }),
    )
    expect([twice.items.a?.name, twice.items.b?.name]).toEqual([kind.name, `${kind.name} 2`])
  })
})

describe('the document at one frame', () => {
  it('has values in place of signals, places in place of motions', () => {
    const shot = made({ follows: { heat: { signal: 'power', gain: 2, offset: 10 } } })
    shot.signals.power = {
      name: 'Power',
      shown: true,
      source: {
        kind: 'keys',
        curve: 'straight',
        keys: [
          { frame: 1001, value: 0 },
          { frame: 1011, value: 100 },
        ],
      },
    }
    shot.sit.follows = { 'layers.fire.amount': { signal: 'power', gain: 0.01, offset: 0, smoothing: 0, delay: 5 } }
    shot.items.beam = makeItem('box', {
      name: 'Beam',
      order: 4,
      motion: {
        keys: [
          { frame: 1001, position: [0, 2, 0] },
          { frame: 1011, position: [0, 0, 0], roll: 90 },
        ],
        curve: 'straight',
      },
    })
    const now = settledShot(applyPatch(shot, {}), 1006, {})
    expect(now.items.fire).toMatchObject({ heat: 110 })
    expect(now.items.beam).toMatchObject({ position: [0, 1, 0], roll: 45 })
    expect(now.sit.layers.fire?.amount).toBeCloseTo(0, 9)
    expect(now.signals).toEqual({})
    expect(settledShot(applyPatch(shot, {}), 1011, {}).sit.layers.fire?.amount).toBeCloseTo(0.5, 9)
  })
})

describe('figures', () => {
  const table = new Map([
    [1, { heatKw: 100, light: 20, height: 1.5, flame: 0.2, centre: [1, 2, 3] }],
    [2, { heatKw: 120 }],
  ])
  it('are told by name, none where a frame is not kept', () => {
    const fire = makeItem('gas', { name: 'Fire', order: 1 })
    const of = (name: string, frame = 1): number | undefined => figureOf(fire, table, name, frame, RATE)
    expect([of('heat'), of('light'), of('height'), of('flame'), of('right'), of('near')]).toEqual([
      100, 20, 1.5, 0.2, 1, 3,
    ])
    expect([of('heat', 2), of('height', 2), of('heat', 3)]).toEqual([120, undefined, undefined])
    // What has no figures, and a name that is none of its own.
    expect([of('weight'), figureOf(makeItem('box', { name: 'B', order: 1 }), table, 'heat', 1, RATE)]).toEqual([
      undefined,
      undefined,
    ])
  })
  it('the pulse is read off the hot gas close over the source', () => {
    const fire = makeItem('gas', { name: 'Fire', order: 1 })
    const pulsing = new Map(
      Array.from({ length: 120 }, (_, n) => [n, { baseBuoyancy: 1 + 0.3 * Math.sin((2 * Math.PI * 2 * n) / RATE) }]),
    )
    expect(figureOf(fire, pulsing, 'pulse', 60, RATE)).toBeCloseTo(2, 1)
    expect(figureOf(fire, new Map([[1, { heatKw: 3 }]]), 'pulse', 1, RATE)).toBeUndefined()
  })
  it('camera speed is way over time, from the frames beside', () => {
    const camera = (frame: number) => ({
      position: [0.02 * frame, 0, 0] as const,
      rotation: [0, 0, 0, 1] as const,
      focalPx: 1,
      centre: [0, 0] as const,
      k1: 0,
      k2: 0,
      width: 1,
      height: 1,
    })
    expect(cameraSpeed(camera, 5, { first: 1, last: 9, rate: [24, 1] })).toBeCloseTo(0.48, 9)
    expect(cameraSpeed(camera, 1, { first: 1, last: 9, rate: [24, 1] })).toBeCloseTo(0.48, 9)
    expect(cameraSpeed(() => undefined, 1, { first: 1, last: 9, rate: [24, 1] })).toBeUndefined()
  })
  it('rough work: sixteen times for half the cell, more for what is faster or reaches further, and never none', () => {
    const gas = (over: object) =>
      gasSchema.parse({ kind: 'gas', name: 'G', order: 1, heat: 250, reach: 3, rise: 4, cell: 40, ...over })
    const work = (over: object): number => roughWork(gas(over), 24)
    expect(work({ cell: 20 }) / work({})).toBeCloseTo(16, 6)
    expect(work({ heat: 8000 }) / work({})).toBeCloseTo(2, 6)
    expect(work({ heat: 250, per: 'a square metre', diameter: 1 })).toBeCloseTo(work({}), 6)
    expect(work({ reach: 6 })).toBeGreaterThan(3.9 * work({}))
    expect(work({ heat: 0, speed: 0, cell: 500 })).toBeGreaterThan(0)
    expect(work({ cell: 2, reach: 100 })).toBe(work({ cell: 2, reach: 50 }))
  })
  it('speed for size: the laws of its diameter and heat, beside what was measured', () => {
    // The heat of all its rings comes and goes twice as often as they leave it.
    const heatKw = Array.from({ length: 96 }, (_, n) => 785 * (1 + 0.2 * Math.sin((2 * Math.PI * 3 * n) / 24)))
    const baseBuoyancy = heatKw.map((_, n) => 1 + 0.2 * Math.sin((2 * Math.PI * 1.5 * n) / 24))
    const fit = speedForSize(
      { shape: 'disc', diameter: 1, deep: 0, heat: 785, per: 'in all' },
      { heatKw, axialFlameLength: heatKw.map((_, n) => (n % 2 ? 2 : 2.4)), baseBuoyancy },
      24,
    )
    expect(fit?.pulse.law).toBeCloseTo(1.5, 9)
    expect(fit?.pulse.found).toBeCloseTo(1.5, 1)
    expect(fit?.height.law).toBeCloseTo(2.36, 2)
    expect(fit?.height.found).toBeCloseTo(2.2, 9)
    // Not burning yet: the laws of what it is set to.
    const lit = speedForSize(
      { shape: 'disc', diameter: 1, deep: 0, heat: 1000, per: 'a square metre' },
      { heatKw: [0, 3], axialFlameLength: [0, 0], baseBuoyancy: [0, 0] },
      24,
    )
    expect(lit?.pulse.law).toBeCloseTo(1.5, 9)
    expect(lit?.height.law).toBeCloseTo(2.36, 2)
    expect(lit?.height.found).toBeUndefined()
    expect(
      speedForSize(
        { shape: 'line', diameter: 1, deep: 0, heat: 785, per: 'in all' },
        { heatKw: [], axialFlameLength: [], baseBuoyancy: [] },
        24,
      ),
    ).toBeUndefined()
    expect(
      speedForSize(
        { shape: 'disc', diameter: 1, deep: 0, heat: 0, per: 'in all' },
        { heatKw: [], axialFlameLength: [], baseBuoyancy: [] },
        24,
      ),
    ).toBeUndefined()
  })
})
