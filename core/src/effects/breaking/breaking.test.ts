import { describe, expect, it } from 'vitest'
import { makeFrames, openBreak, settingsOf, wallShot } from '../../../testing/breaks.ts'
import { HELD } from '../../data/index.ts'
import { readBrokenFrame, writeBrokenFrame } from '../../formats/index.ts'
import { carriedKeys } from '../../pipeline/things.ts'
import { makeItem } from '../../shot/index.ts'
import { decodeBreakState, encodeBreakState } from './bake.ts'
import { breakingEffect, breakingInstances, resolveBreaking } from './index.ts'
import { cutPieces } from './settings.ts'
import { blowsOf } from './strikes.ts'

const print = (frame: object): string =>
  JSON.stringify(frame, (_, value: unknown) => (value instanceof Float32Array ? [...value] : value))

describe('something that breaks', () => {
  it('is whole until it is struck, then flies off with the energy of the strike, and comes down', async () => {
    const simulation = await openBreak(wallShot())
    const energies: number[] = []
    makeFrames(simulation, 4, ({ energy }) => energies.push(energy))
    const before = simulation.keep(false)
    expect(energies).toEqual([0, 0, 0, 0])
    expect([...before.states].every((state) => state === HELD)).toBe(true)
    makeFrames(simulation, 1, ({ given, missed, free }) => {
      expect(given).toBe(800)
      expect(missed).toEqual([])
      expect(free).toBeGreaterThan(5)
    })
    // The strike drives away from the camera.
    const struck = simulation.keep(false)
    const way = [...struck.states.keys()].filter((n) => struck.states[n] !== HELD)
    const mean = way.reduce((sum, n) => sum + (struck.velocities[3 * n + 2] ?? 0), 0) / way.length
    expect(mean).toBeLessThan(-0.5)
    let last = Infinity
    makeFrames(simulation, 60, ({ fastest }) => (last = fastest))
    expect(last).toBeLessThan(1)
    const down = simulation.keep(false)
    expect(
      Math.min(...[...down.places.keys()].filter((n) => n % 3 === 1).map((n) => down.places[n] ?? 0)),
    ).toBeGreaterThan(-2)
    simulation.close()
  })

  it('gives pieces no more energy than the strike and their fall have', async () => {
    const simulation = await openBreak(wallShot({ bounce: 0 }))
    const { density } = settingsOf(wallShot())
    let worst = 0
    makeFrames(simulation, 30, ({ energy, given }) => {
      const frame = simulation.keep(false)
      const fallen = simulation.pieces.reduce((sum, { volume, middle }, n) => {
        const at = (k: number): number => frame.turns[4 * n + k] ?? 0
        const [x, y, z, w] = [at(0), at(1), at(2), at(3)]
        const height =
          2 * (x * y + w * z) * middle[0] +
          (1 - 2 * (x * x + z * z)) * middle[1] +
          2 * (y * z - w * x) * middle[2] +
          (frame.places[3 * n + 1] ?? 0)
        return sum + volume * density * 9.81 * (middle[1] - height)
      }, 0)
      worst = Math.max(worst, energy - given - fallen)
    })
    expect(worst).toBeLessThan(0.02 * 800)
    simulation.close()
  })

  it('goes on from a kept state bit for bit', async () => {
    const whole = await openBreak(wallShot({ strength: 40 }))
    makeFrames(whole, 12)
    const state = encodeBreakState(whole.state)
    makeFrames(whole, 6)
    const again = await openBreak(wallShot({ strength: 40 }), decodeBreakState(state))
    expect(again.done).toBe(12)
    makeFrames(again, 6)
    expect(print(again.keep(true))).toBe(print(whole.keep(true)))
    again.close()
    whole.close()
  })

  it('tells of a strike that hits nothing, and nothing moves', async () => {
    const away = { one: { name: 'Far', frame: 3, at: [9, 1, 9], radius: 0.2, energy: 500 } }
    const simulation = await openBreak(wallShot({ strikes: away }))
    const missed: string[] = []
    let moving = 0
    makeFrames(simulation, 6, (figures) => {
      missed.push(...figures.missed)
      moving += figures.free
    })
    expect(missed).toEqual(['Far'])
    expect(moving).toBe(0)
    simulation.close()
  })

  it('struck on its way takes its speed along', async () => {
    const motion = {
      keys: [
        { frame: 1, position: [0, 3, 0] },
        { frame: 41, position: [10, 3, 0] },
      ],
      curve: 'straight',
    }
    const simulation = await openBreak(
      wallShot(
        {
          strikes: {
            one: { name: 'One', frame: 5, at: [1, 3.8, 0.15], direction: [0, 0, -1], radius: 0.5, energy: 1 },
          },
        },
        { motion },
      ),
    )
    makeFrames(simulation, 6, ({ free, pieces }, n) => expect(free).toBe(n < 4 ? 0 : pieces))
    const { velocities, count } = simulation.keep(false)
    const mean = [...Array(count).keys()].reduce((sum, n) => sum + (velocities[3 * n] ?? 0), 0) / count
    expect(mean).toBeCloseTo((10 / 40) * 24, 1)
    simulation.close()
  })

  it('gives off dust by the faces that part, and none while it stands', async () => {
    const simulation = await openBreak(wallShot())
    const dust: number[] = []
    makeFrames(simulation, 6, ({ dust: kg }) => dust.push(kg))
    expect(dust.slice(0, 4)).toEqual([0, 0, 0, 0])
    expect(dust[4]).toBeGreaterThan(0.05)
    const twice = await openBreak(wallShot({ dust: 200 }))
    const more: number[] = []
    makeFrames(twice, 5, ({ dust: kg }) => more.push(kg))
    expect((more[4] ?? 0) / (dust[4] ?? 1)).toBeCloseTo(2, 3)
    simulation.close()
    twice.close()
  })
})

describe('what is computed of it', () => {
  const keysOf = (shot: ReturnType<typeof wallShot>): ReadonlyMap<number, string> | undefined =>
    resolveBreaking(shot, 'break', {})[0]?.frameKeys
  const strike = { name: 'One', frame: 5, at: [0, 1, 0.15], direction: [0, 0, -1], radius: 0.5, energy: 800 }

  it('is stale from the moment on that a strike moved from or to', () => {
    const [a, b] = [keysOf(wallShot()), keysOf(wallShot({ strikes: { one: { ...strike, frame: 9 } } }))]
    const same = [...(a ?? [])].filter(([frame, key]) => b?.get(frame) === key).map(([frame]) => frame)
    expect(same).toEqual([1, 2, 3, 4])
    const harder = keysOf(wallShot({ strikes: { one: { ...strike, energy: 900 } } }))
    expect(harder?.get(4)).toBe(a?.get(4))
    expect(harder?.get(5)).not.toBe(a?.get(5))
    // Its look is no part of it.
    expect(keysOf(wallShot({ insideColour: [1, 0, 0], roughness: 40 }))).toEqual(a)
  })
  it('counts what goes by from the first strike on', () => {
    const passing = (to: number): ReadonlyMap<number, string> | undefined => {
      const shot = wallShot()
      const keys = [
        { frame: 1, position: [-3, 0, 1] },
        { frame: 30, position: [to, 0, 1] },
      ]
      shot.items.cart = makeItem('box', {
        name: 'Cart',
        order: 9,
        width: 0.5,
        motion: { keys, curve: 'straight' },
      } as never)
      expect(settingsOf(shot).movers).toHaveLength(1)
      return keysOf(shot)
    }
    const [slow, fast] = [passing(2), passing(3)]
    const same = [...(slow ?? [])].filter(([frame, key]) => fast?.get(frame) === key).map(([frame]) => frame)
    expect(same).toEqual([1, 2, 3, 4])
  })
  it('says what it lacks', () => {
    const lacking = (over: object, items: object = {}): void => {
      const shot = wallShot(over as never)
      Object.assign(shot.items, items)
      resolveBreaking(shot, 'break', {})
    }
    expect(() => lacking({ piece: '' })).toThrow(/none is chosen/)
    expect(() => lacking({ piece: 'gone' })).toThrow(/is gone/)
    expect(() => lacking({ piece: 'ground' })).toThrow(/can’t be cut/)
    expect(() => lacking({ strikes: {} })).toThrow(/Nothing strikes/)
  })
  it('is a thing that hits on its way, with its energy', () => {
    const motion = {
      keys: [
        { frame: 1, position: [0, 0.5, 4] },
        { frame: 21, position: [0, 0.5, -4] },
      ],
      curve: 'straight',
    }
    const shot = wallShot({ strikes: { one: { name: 'Cart', by: 'ram', mass: 100, radius: 0.2 } } })
    shot.items.ram = makeItem('box', { name: 'Ram', order: 9, width: 0.4, height: 0.4, depth: 0.4, motion } as never)
    const [blow] = blowsOf(shot, shot.items.break as never)
    const speed = (8 / 20) * 24
    expect(blow?.energy).toBeCloseTo(0.5 * 100 * speed * speed, 3)
    expect(blow?.direction).toEqual([0, 0, -1])
    // Its front, 0.2 m ahead of it, comes to the wall's at 0.15 m.
    const met = 1 + ((4 - 0.35) / 8) * 20
    expect(Math.abs((blow?.frame ?? 0) - met)).toBeLessThan(1.3)
  })
})

describe('in the picture', () => {
  it('shows nothing before the first strike, then what is held and what moves', async () => {
    const shot = wallShot()
    expect(breakingInstances(shot, 'break', 4, {})).toEqual([])
    expect(breakingEffect.opens(shot, 'break', 4, {})).toBeUndefined()
    const [instance] = breakingInstances(shot, 'break', 8, {})
    if (!instance) throw new Error('it is shown')
    expect(instance.frames.map(({ frame }) => frame)).toEqual([1, 8])
    expect(breakingEffect.opens(shot, 'break', 8, {})?.replaces).toBe('wall')
    expect(breakingEffect.frozen(shot, 'break', 8, {})?.frame).toBe(4)
    const simulation = await openBreak(shot)
    const kept: Uint8Array[] = []
    makeFrames(simulation, 8, () => kept.push(writeBrokenFrame(simulation.keep(simulation.done === 1))))
    const frames = instance.frames.map(({ frame }) => readBrokenFrame(kept[frame - 1] as Uint8Array))
    const camera = {
      position: [0, 1, 5],
      rotation: [0, 0, 0, 1],
      focalPx: 300,
      centre: [160, 90],
      k1: 0,
      k2: 0,
      width: 320,
      height: 180,
    }
    const drawn = breakingEffect.draw(instance, frames, {
      illuminance: 400,
      emitters: 4,
      camera,
      seconds: 1 / 24,
    } as never)
    const now = frames[1]
    const free = [...(now?.states ?? [])].filter((state) => state !== HELD).length
    const things = drawn.filter(({ kind }) => kind === 'thing')
    expect(drawn.filter(({ kind }) => kind === 'set')).toHaveLength(1)
    expect(things.length).toBeGreaterThanOrEqual(free)
    expect(things.length).toBeLessThanOrEqual(free + 2)
    simulation.close()
  })
  it('takes the place of a crate that has the plate on it and flies, with that plate on its pieces', () => {
    const motion = {
      keys: [
        { frame: 1, position: [0, 2, 0] },
        { frame: 21, position: [4, 2, 0] },
      ],
      curve: 'straight',
    }
    const shot = wallShot({}, { carries: 'frozen', frozen: 3, motion, width: 0.8, height: 0.8, depth: 0.8 })
    const frozen = breakingEffect.frozen(shot, 'break', 20, {})
    // As it was fitted to the plate, not where it is by then.
    expect(frozen).toMatchObject({ frame: 3, pose: { place: [0, 0, 0] } })
    expect(breakingEffect.opens(shot, 'break', 20, {})?.hole).toEqual([])
    const drawn = (frame: number): string[] =>
      carriedKeys(shot, frame, { opening: frame, closing: frame }, 'look', {}).map(
        (one) => (one as { layer: string }).layer,
      )
    expect(drawn(4)).toEqual(['wall'])
    expect(drawn(8)).toEqual([])
  })
  it('takes marks along that lie on it, each part with its piece', async () => {
    const shot = wallShot()
    const camera = { position: [0, 1, 5], rotation: [0, 0, 0, 1], focalPx: 300, centre: [160, 90], k1: 0, k2: 0 }
    shot.items.mark = makeItem('marks', {
      name: 'Scorch',
      order: 4,
      position: [0, 1, 0.15],
      width: 1.2,
      height: 1.2,
      camera: { ...camera, width: 320, height: 180 },
      stamped: 1,
    } as never)
    const simulation = await openBreak(shot)
    const frames: ReturnType<typeof simulation.keep>[] = []
    makeFrames(simulation, 14, () => frames.push(simulation.keep(frames.length === 0)))
    const [instance] = breakingInstances(shot, 'break', 14, {})
    if (!instance) throw new Error('it is shown')
    const kept = instance.frames.map(({ frame }) => frames[frame - 1] as never)
    const drawn = breakingEffect.draw(instance, kept, {
      illuminance: 400,
      emitters: 4,
      camera,
      seconds: 1 / 24,
    } as never)
    const marks = drawn.flatMap((one) => (one.kind === 'thing' && one.key.startsWith('mark/') ? [one] : []))
    expect(marks.length).toBeGreaterThan(5)
    const area = (mesh: { positions: Float32Array; indices: Uint32Array }): number => {
      let sum = 0
      for (let t = 0; t < mesh.indices.length; t += 3) {
        const [a, b, c] = [0, 1, 2].map((k) => {
          const n = 3 * (mesh.indices[t + k] ?? 0)
          return [mesh.positions[n] ?? 0, mesh.positions[n + 1] ?? 0] as const
        }) as [readonly [number, number], readonly [number, number], readonly [number, number]]
        sum += Math.abs((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])) / 2
      }
      return sum
    }
    // Together they are the whole mark, within a thread of its edge.
    expect(marks.reduce((sum, { mesh }) => sum + area(mesh), 0)).toBeCloseTo(1.2 * 1.2, 1)
    // Those of pieces that were let go have left.
    const moved = marks.filter(({ opening }) => Math.hypot(...opening.place) > 0.05)
    expect(moved.length).toBeGreaterThan(2)
    expect(moved.length).toBeLessThan(marks.length)
    simulation.close()
  })
  it('is shown again elsewhere: turned, mirrored, later', async () => {
    const shot = wallShot()
    shot.items.again = makeItem('reuse', {
      name: 'Again',
      order: 9,
      of: 'break',
      position: [5, 0, 0],
      shift: 4,
      mirror: true,
    } as never)
    expect(breakingInstances(shot, 'again', 4, {})).toEqual([])
    const [instance] = breakingInstances(shot, 'again', 12, {})
    if (!instance) throw new Error('it is shown')
    expect(instance.frames.map(({ frame }) => frame)).toEqual([1, 8])
    const simulation = await openBreak(shot)
    const frames: ReturnType<typeof simulation.keep>[] = []
    makeFrames(simulation, 8, () => frames.push(simulation.keep(frames.length === 0)))
    const camera = { position: [0, 1, 5] }
    const at = (which: typeof instance) =>
      breakingEffect
        .draw(
          which,
          which.frames.map(({ frame }) => frames[frame - 1] as never),
          { illuminance: 400, emitters: 4, camera, seconds: 1 / 24 } as never,
        )
        .filter((one) => one.kind === 'thing')
    // All of its pieces are drawn, held ones too; right is left, about where it stands.
    const things = at(instance)
    expect(things).toHaveLength(simulation.pieces.length)
    const low = (mesh: { positions: Float32Array }): number => Math.min(...mesh.positions.filter((_, n) => n % 3 === 0))
    const [first] = things
    const own = simulation.pieces[0]?.bodies.flatMap(({ corners }) => corners.map(([x]) => -x)) ?? []
    expect(low(first?.mesh ?? { positions: new Float32Array() })).toBeCloseTo(Math.min(...own), 1)
    simulation.close()
  })
  it('keeps a frame as it is, and refuses damaged bytes', async () => {
    const simulation = await openBreak(wallShot())
    makeFrames(simulation, 7)
    const frame = simulation.keep(true)
    const bytes = writeBrokenFrame(frame)
    const read = readBrokenFrame(bytes)
    expect([...read.turns]).toEqual([...frame.turns])
    expect(read.dust.count).toBe(frame.dust.count)
    expect(read.pieces?.map((bodies) => bodies.map(({ faces }) => faces))).toEqual(
      frame.pieces?.map((bodies) => bodies.map(({ faces }) => faces)),
    )
    expect(() => readBrokenFrame(bytes.slice(0, bytes.length - 9))).toThrow(/damaged/)
    expect(() => readBrokenFrame(new Uint8Array(40))).toThrow(/damaged/)
    simulation.close()
  })
  it('cuts forms whose parts touch into pieces that fill them', () => {
    const shot = wallShot({ pattern: 'bricks' })
    const corners = [
      [-1, 0],
      [-1, -2],
      [1, -2],
      [1, 0],
      [0.5, 0],
      [0.5, -1],
      [-0.5, -1],
      [-0.5, 0],
    ]
    shot.items.wall = makeItem('form', {
      name: 'Gate',
      order: 2,
      shape: 'outline',
      corners,
      height: 0.3,
      tilt: 90,
    } as never)
    const pieces = cutPieces(settingsOf(shot))
    const volume = pieces.reduce((sum, one) => sum + one.volume, 0)
    expect(Math.abs(volume / ((4 - 1) * 0.3) - 1)).toBeLessThan(1e-4)
    expect(Math.max(...pieces.map(({ bodies }) => bodies.length))).toBeGreaterThan(1)
  })
})
