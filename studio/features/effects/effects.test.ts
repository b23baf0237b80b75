import { type Camera, projectPoint } from '@lantern/core/data'
import type { GasItem } from '@lantern/core/effects/gas'
import { panTiltRoll } from '@lantern/core/math'
import { applyPatch, makeItem, makeShot, type ShotDocument } from '@lantern/core/shot'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { type Tool, useShot } from '../shot/shotStore.ts'
import { drawsBy, finishDrawing, footHit, placeAt, placed, presetOf } from './placing.ts'
import { followers, newSignal, removal } from './signals.ts'

const camera: Camera = {
  position: [0, 1.6, 0],
  rotation: panTiltRoll(0, -0.1, 0),
  focalPx: 1000,
  centre: [640, 360],
  k1: 0,
  k2: 0,
  width: 1280,
  height: 720,
}
const pixel = (at: readonly [number, number, number]): [number, number] => {
  const seen = projectPoint(camera, at)
  if (!seen) throw new Error('behind the camera')
  return [seen.x, seen.y]
}
let document: ShotDocument
/** An open shot whose edits are applied at once, without a server. */
const open = (): void =>
  useShot.setState({
    shot: { id: 1, name: 'One', head: 1, document, canUndo: false, canRedo: false },
    frame: 1010,
    chosen: '',
    tool: 'choose',
    station: 'Set',
    message: undefined,
    status: undefined,
    edit: (patch) => {
      document = applyPatch(document, patch)
      useShot.setState((old) => ({ shot: old.shot && { ...old.shot, document } }))
    },
  })
const gases = (): GasItem[] => Object.values(document.items).filter((item) => item.kind === 'gas')
const state = () => useShot.getState()

beforeEach(() => {
  document = makeShot('One', {
    asset: 'a',
    file: 'f',
    width: 1280,
    height: 720,
    first: 1001,
    last: 1048,
    rate: [24, 1],
    encoding: 'srgb',
  })
  document.items.ground = makeItem('ground', { name: 'Ground', order: 1, size: 40 })
  document.items.wall = makeItem('box', {
    name: 'Wall',
    order: 2,
    position: [2, 0, -8],
    width: 2,
    height: 2,
    depth: 0.5,
  })
  vi.stubGlobal('localStorage', { getItem: () => null, setItem: () => undefined })
  open()
})
afterEach(() => vi.unstubAllGlobals())

describe('placing', () => {
  it('knows how each tool draws', () => {
    const tools: [Tool, ReturnType<typeof drawsBy>][] = [
      ['fire', 'click'],
      ['preset-drum', 'click'],
      ['preset-ground', 'line'],
      ['preset-steam', 'area'],
      ['line', 'line'],
      ['area', 'area'],
      ['add-force', 'click'],
      ['choose', undefined],
      ['preset-nothing', undefined],
    ]
    for (const [tool, way] of tools) expect(drawsBy(tool), tool).toBe(way)
    expect(presetOf('preset-drum')?.name).toBe('Oil-drum fire')
  })
  it('puts a fire where the ground was clicked, chooses it and goes to Effects', () => {
    placeAt(camera, 'fire', pixel([-1, 0, -6]))
    const [fire] = gases()
    expect(fire?.name).toBe('Fire 1')
    expect(fire?.position.map((v) => Math.round(v * 100))).toEqual([-100, 0, -600])
    expect(document.items[state().chosen]).toEqual(fire)
    expect([state().tool, state().station]).toEqual(['choose', 'Effects'])
    placeAt(camera, 'fire', pixel([0, 0, -5]))
    expect(gases().map(({ name }) => name)).toEqual(['Fire 1', 'Fire 2'])
  })
  it('says so above the horizon, and changes nothing', () => {
    const before = document
    placeAt(camera, 'fire', [640, 20])
    expect(state().message?.text).toMatch(/above the horizon/)
    expect(document).toBe(before)
  })
  it('gives a kind its own sizes, numbers its second, and a burst its signal from this frame on', () => {
    placeAt(camera, 'preset-drum', pixel([-1, 0, -6]))
    placeAt(camera, 'preset-drum', pixel([0, 0, -6]))
    expect(gases().map(({ name, diameter, heat }) => [name, diameter, heat])).toEqual([
      ['Oil-drum fire', 0.57, 250],
      ['Oil-drum fire 2', 0.57, 250],
    ])
    placeAt(camera, 'preset-burst', pixel([0, 0, -5]))
    const burst = gases().at(-1)
    const [signal] = Object.values(document.signals)
    expect(signal?.source).toMatchObject({
      kind: 'keys',
      keys: [{ frame: 1010, value: 0 }, { frame: 1011 }, { frame: 1016 }, { frame: 1022, value: 0 }],
    })
    // A box stands on its place, and what it follows is the signal of its own.
    expect(burst?.position[1]).toBeCloseTo(0.95, 6)
    expect(Object.keys(burst?.follows ?? {}).sort()).toEqual(['heat', 'speed'])
    expect(burst?.follows?.heat?.signal).toBe(Object.keys(document.signals)[0])
  })
  it('burns the piece that was clicked, and asks for one where there is none', () => {
    placeAt(camera, 'preset-wall', pixel([2, 1, -7.75]))
    expect(gases()[0]).toMatchObject({ shape: 'piece', piece: 'wall' })
    delete document.items.ground
    open()
    placeAt(camera, 'preset-wall', pixel([-2, 0, -6]))
    expect(state().message?.text).toMatch(/Click a piece of the set/)
    expect(gases()).toHaveLength(1)
  })
  it('lets a source feed the gas that is chosen, else the first', () => {
    placeAt(camera, 'fire', pixel([0, 0, -5]))
    placeAt(camera, 'fire', pixel([1, 0, -5]))
    const second = state().chosen
    placeAt(camera, 'add-source', pixel([0.5, 0, -5]))
    expect(document.items[state().chosen]).toMatchObject({ kind: 'source', feeds: second })
    state().set({ chosen: '' })
    placeAt(camera, 'add-reuse', pixel([-0.5, 0, -5]))
    expect(document.items[state().chosen]).toMatchObject({ kind: 'reuse', name: 'Fire 1 again' })
  })
})

describe('drawing point by point', () => {
  it('lays a line along the ground, counted from its first point', () => {
    finishDrawing(camera, 'preset-ground', [pixel([-1, 0, -6]), pixel([1, 0, -6]), pixel([1, 0, -4])])
    const [fire] = gases()
    expect(fire?.shape).toBe('line')
    expect(fire?.line?.map((at) => at.map((v) => Math.round(v * 10) / 10 + 0))).toEqual([
      [0, 0, 0],
      [2, 0, 0],
      [2, 0, 2],
    ])
    expect(fire?.position[0]).toBeCloseTo(-1, 2)
  })
  it('refuses a line of one point, a line into the sky, an area of two corners', () => {
    finishDrawing(camera, 'preset-ground', [pixel([-1, 0, -6])])
    expect(state().message?.text).toMatch(/two points/)
    finishDrawing(camera, 'preset-ground', [pixel([-1, 0, -6]), [640, 10]])
    expect(state().message?.text).toMatch(/above the horizon/)
    finishDrawing(camera, 'preset-steam', [
      [10, 500],
      [90, 500],
    ])
    expect(state().message?.text).toMatch(/three corners/)
    expect(gases()).toHaveLength(0)
  })
  it('adds a second area of the same frame to the first, and begins anew on another', () => {
    placeAt(camera, 'fire', pixel([0, 0, -5]))
    const corners = (x: number): [number, number][] => [
      [x, 500],
      [x + 80, 500],
      [x + 40, 600],
    ]
    finishDrawing(camera, 'area', corners(300))
    finishDrawing(camera, 'area', corners(500))
    expect(gases()[0]?.drawn?.shapes).toHaveLength(2)
    state().set({ frame: 1020 })
    finishDrawing(camera, 'area', corners(700))
    expect(gases()[0]?.drawn).toEqual({ frame: 1020, shapes: [corners(700)] })
  })
})

describe('moving a thing', () => {
  it('changes its place, or its key at this frame when it has a motion', () => {
    const still = makeItem('gas', { name: 'F', order: 1, position: [0, 0, 0] })
    expect(placed(still, { position: [1, 0, 0] }, 1010)).toEqual({ position: [1, 0, 0] })
    const moving = makeItem('gas', {
      name: 'F',
      order: 1,
      motion: {
        keys: [
          { frame: 1001, position: [0, 0, 0] },
          { frame: 1021, position: [4, 0, 0], turn: 90 },
        ],
        curve: 'straight',
      },
    })
    const { motion } = placed(moving, { position: [1, 2, 0] }, 1011) as { motion: NonNullable<GasItem['motion']> }
    expect(motion.keys.map(({ frame }) => frame)).toEqual([1001, 1011, 1021])
    // What was not changed keeps what the motion has there.
    expect(motion.keys[1]).toMatchObject({ position: [1, 2, 0], turn: 45 })
    const again = placed({ ...moving, motion: { ...motion, curve: 'straight' } } as GasItem, { turn: 10 }, 1011) as {
      motion: typeof motion
    }
    expect(again.motion.keys).toHaveLength(3)
    expect(again.motion.keys[1]).toMatchObject({ position: [1, 2, 0], turn: 10 })
  })
  it('is taken by its foot within reach', () => {
    const item = makeItem('gas', { name: 'F', order: 1, position: [0, 0, -5] })
    const [x, y] = pixel([0, 0, -5])
    expect([footHit(camera, item, [x + 5, y], 8), footHit(camera, item, [x + 9, y], 8)]).toEqual([true, false])
    expect(footHit(camera, { ...item, position: [0, 0, 5] }, [x, y], 1e4)).toBe(false)
  })
})

describe('signals', () => {
  it('are made with a name of their own and a key at this frame', () => {
    const first = newSignal(document, 'Keys', 1010)
    expect(first.signal).toMatchObject({ name: 'Keys', source: { kind: 'keys', keys: [{ frame: 1010, value: 1 }] } })
    document.signals[first.id] = first.signal
    expect(newSignal(document, 'Keys', 1010).signal.name).toBe('Keys 2')
  })
  it('let go of all that follows them when they are removed: gases, layers, lights, and nothing else', () => {
    const follow = (signal: string) => ({ signal, gain: 2, offset: 0, smoothing: 0, delay: 0 })
    const key = { kind: 'keys' as const, curve: 'smooth' as const, keys: [{ frame: 1001, value: 1 }] }
    document = applyPatch(document, {
      signals: { a: { name: 'A', source: key }, b: { name: 'B', source: key } },
      items: {
        fire: { ...makeItem('gas', { name: 'Fire', order: 3 }), follows: { heat: follow('a'), smoke: follow('b') } },
      },
      sit: { follows: { 'fire.amount': follow('a') } },
      light: { follows: { level: follow('b') } },
    })
    expect(followers(document, 'a')).toEqual([
      { name: 'Fire', path: ['items', 'fire'], key: 'heat' },
      { name: 'Layers', path: ['sit'], key: 'fire.amount' },
    ])
    const after = applyPatch(document, removal(document, 'a'))
    expect(Object.keys(after.signals)).toEqual(['b'])
    expect(followers(after, 'a')).toEqual([])
    expect(followers(after, 'b')).toEqual(followers(document, 'b'))
    expect(followers(document, 'b')).toHaveLength(2)
  })
})
