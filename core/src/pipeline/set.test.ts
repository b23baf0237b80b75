import { describe, expect, it } from 'vitest'
import { distanceTo } from '../data/index.ts'
import { cellOf, type GasItem, gasSettings } from '../effects/gas/index.ts'
import { rotate } from '../math/index.ts'
import { type BoxItem, stoppingAt } from '../set/index.ts'
import { itemsInOrder } from '../settings/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../shot/index.ts'
import { cameraAt, codeWidth, instancesAt, plateImage, plateLight, resizeImage, scenePieces } from './index.ts'

const shot = (): ShotDocument => {
  const made = makeShot('One', {
    asset: 'a',
    file: 'f',
    width: 1280,
    height: 720,
    first: 1001,
    last: 1010,
    rate: [24, 1],
    encoding: 'srgb',
  })
  made.items.ground = makeItem('ground', { name: 'Ground', order: 2 })
  made.items.wall = makeItem('box', {
    name: 'Wall',
    order: 1,
    position: [0, 0, -4],
    width: 4,
    height: 2,
    depth: 0.2,
    turn: 90,
  })
  made.items.fire = makeItem('gas', { name: 'Fire', order: 3, position: [0, 0, -2] })
  return made
}
const withRoles = (roles: Partial<BoxItem['roles']>): ShotDocument => {
  const made = shot()
  const wall = made.items.wall as BoxItem
  made.items.wall = { ...wall, roles: { ...wall.roles, ...roles } }
  return made
}

describe('set pieces', () => {
  it('come in the roster’s order', () => {
    expect(itemsInOrder(shot()).map(([id]) => id)).toEqual(['wall', 'ground', 'fire'])
  })
  it('stop gas where they stand, turned as they are, unless their role is taken away or they are hidden', () => {
    const [box, ground] = stoppingAt(shot()).map(({ solid }) => solid)
    if (!box || !ground) throw new Error('two solids stand in the shot')
    expect(distanceTo(box, [0, 1, -5.9])).toBeLessThan(0)
    expect(distanceTo(box, [1, 1, -4])).toBeGreaterThan(0.5)
    expect(distanceTo(ground, [50, -3, 50])).toBe(-3)
    expect(stoppingAt(withRoles({ stops: false }))).toHaveLength(1)
    const hidden = shot()
    hidden.items.ground = { ...hidden.items.ground, shown: false } as ShotDocument['items'][string]
    expect(stoppingAt(hidden)).toHaveLength(1)
  })
  const STILL = { opening: 1, closing: 1 }
  it('are seen by the picture with their roles', () => {
    expect(scenePieces(withRoles({ holdsOut: false }), STILL)[0]).toMatchObject({ holdsOut: false, receives: true })
    const [box] = scenePieces(shot(), STILL)
    if (!box) throw new Error('a box stands in the shot')
    const { positions } = box.mesh
    const xs = Array.from({ length: positions.length / 3 }, (_, n) => {
      const corner = [positions[n * 3] ?? 0, positions[n * 3 + 1] ?? 0, positions[n * 3 + 2] ?? 0] as const
      return rotate(box.opening.rotation, corner)[0] + box.opening.place[0]
    })
    expect(Math.max(...xs)).toBeCloseTo(0.1, 5)
  })
})

describe('a gas item in SI units', () => {
  const settings = (over: Partial<GasItem>) => {
    const made = shot()
    made.items.fire = { ...(made.items.fire as GasItem), ...over }
    return gasSettings(made, 'fire', 'full')
  }
  it('has watts, kelvin, kilograms and metres', () => {
    expect(settings({ heat: 400, smoke: 3, airTemperature: 15, soot: 2, cell: 40 })).toMatchObject({
      cell: 0.04,
      ambient: 288.15,
      sootYield: 0.02,
      sceneInputs: [{ sources: [{ heat: 400_000, smoke: 0.003 }] }],
    })
  })
  it.each([
    [0, [0, 0, 2]],
    [90, [-2, 0, 0]],
    [180, [0, 0, -2]],
    [270, [2, 0, 0]],
  ] as const)('has wind from %d degrees blowing the other way', (windFrom, wind) => {
    settings({ wind: 2, windFrom }).sceneInputs[0]?.wind.forEach((part, axis) =>
      expect(part).toBeCloseTo(wind[axis] ?? 9, 9),
    )
  })
  it('reaches no deeper than the ground, and as far as it says elsewhere', () => {
    expect(settings({ reach: 3 }).bounds).toEqual({ low: [-3, 0, -5], high: [3, 3, 1] })
  })
  it('is coarser when thin, never finer than asked', () => {
    const fire = shot().items.fire as GasItem
    expect(cellOf({ ...fire, diameter: 1.8, cell: 40 }, 'draft')).toBeCloseTo(0.15, 9)
    expect(cellOf({ ...fire, diameter: 0.3, cell: 60, reach: 3 }, 'draft')).toBeCloseTo(0.06, 9)
  })
  it('is left out of the picture when hidden', () => {
    const made = shot()
    made.items.fire = { ...(made.items.fire as GasItem), shown: false }
    expect(instancesAt(made, 1001)).toEqual([])
  })
})

describe('the camera', () => {
  it('is none, typed, or the path’s at each frame, its ends held', () => {
    const made = shot()
    expect(cameraAt(made, undefined, 1001)).toBeUndefined()
    Object.assign(made.camera, { kind: 'typed', focal: 0.9, height: 1.7 })
    expect(cameraAt(made, undefined, 1001)).toMatchObject({ position: [0, 1.7, 0], focalPx: 1152, centre: [640, 360] })
    made.camera.kind = 'path'
    const typed = cameraAt({ ...made, camera: { ...made.camera, kind: 'typed' } }, undefined, 1)
    if (!typed) throw new Error('a typed camera is one')
    const path = {
      frames: [1001, 1002, 1003].map((frame) => ({ frame, camera: { ...typed, position: [frame, 0, 0] as const } })),
    }
    expect([990, 1002, 1400].map((frame) => cameraAt(made, path, frame)?.position[0])).toEqual([1001, 1002, 1003])
  })
})

describe('the plate’s light and codes', () => {
  it('has its sun where it is said to come from', () => {
    const light = plateLight({ ...shot().light, sunFrom: 90, sunHeight: 30 })
    ;[Math.cos(Math.PI / 6), 0.5, 0].forEach((part, axis) => expect(light.sunDirection[axis]).toBeCloseTo(part, 9))
  })
  it.each(['srgb', 'rec709', 'linear'] as const)('decodes %s from black to white, rising all the way', (encoding) => {
    const ramp = plateImage(
      Uint8Array.from({ length: 256 * 3 }, (_, n) => Math.floor(n / 3)),
      256,
      1,
      encoding,
    )
    for (let n = 1; n < 256; n++) expect(ramp.data[n * 3]).toBeGreaterThan(ramp.data[n * 3 - 3] ?? 1)
    expect([ramp.data[0], ramp.data[255 * 3]]).toEqual([0, 1])
    const width = codeWidth(encoding)
    expect(width(ramp.data[100 * 3] ?? 0)).toBeCloseTo((ramp.data[101 * 3] ?? 0) - (ramp.data[300] ?? 0), 6)
  })
  it('reads 16-bit codes finer than 8-bit ones', () => {
    expect(plateImage(Uint16Array.of(257 * 100, 0, 0), 1, 1, 'srgb').data[0]).toBe(
      plateImage(Uint8Array.of(100, 0, 0), 1, 1, 'srgb').data[0],
    )
    expect(plateImage(Uint16Array.of(257 * 100 + 1, 0, 0), 1, 1, 'srgb').data[0]).toBeGreaterThan(
      plateImage(Uint16Array.of(257 * 100, 0, 0), 1, 1, 'srgb').data[0] ?? 1,
    )
  })
  it('keeps a flat picture flat at every size, odd ones too', () => {
    const flat = { width: 15, height: 9, channels: 1, data: new Float32Array(135).fill(0.3) }
    for (const [w, h] of [
      [8, 5],
      [4, 2],
      [30, 18],
      [15, 9],
      [1, 1],
    ] as const)
      for (const value of resizeImage(flat, w, h).data) expect(value).toBeCloseTo(0.3, 6)
  })
})
