import { describe, expect, it } from 'vitest'
import { box, layer, lookingDown, NOON, piece, render, thing } from '../../../testing/frames.ts'
import { makeCrew } from '../../base/index.ts'
import { type FloatImage, makeImage, planesTogether } from '../../data/index.ts'
import { exrChannels, plainDeflate, readExr, writeExr } from '../../formats/index.ts'
import type { Lamp } from '../../picture/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../../shot/index.ts'
import {
  channelGroups,
  channelsOf,
  drawRender,
  guessPasses,
  readPasses,
  renderClips,
  renderInstances,
} from './index.ts'

const camera = lookingDown(0, [0, 1, 5])
const { width, height } = camera
const NAMES = ['R', 'G', 'B', 'A', 'Z', 'N.X', 'N.Y', 'N.Z', 'albedo.R', 'albedo.G', 'albedo.B']
const passes = guessPasses(NAMES)

/** A white disc of 16 px radius in the middle, 5 m along the view, half of it at 3 m on the right. */
function rendered(over: Partial<Record<string, (x: number, y: number) => number>> = {}): FloatImage {
  const inside = (x: number, y: number): number => ((x - 31.5) ** 2 + (y - 31.5) ** 2 < 256 ? 1 : 0)
  const planes = channelsOf(passes).map((name) => {
    const of =
      over[name] ??
      ((x: number, y: number): number => {
        if (name === 'Z') return inside(x, y) ? (x > 40 ? 3 : 5) : 1e10
        if (name === 'N.Z') return inside(x, y)
        if (name.startsWith('N.')) return 0
        return name === 'A' ? inside(x, y) : 0.5 * inside(x, y)
      })
    return Float32Array.from({ length: width * height }, (_, n) => of(n % width, Math.floor(n / width)))
  })
  return planesTogether(width, height, planes)
}
function yard(over: object = {}): ShotDocument {
  const plate = { asset: 'a', file: 'f', width, height, first: 1, last: 40, rate: [24, 1], encoding: 'srgb' }
  const shot = makeShot('Yard', plate as Parameters<typeof makeShot>[1])
  const taken = {
    asset: 'r',
    file: 'r.####.exr',
    first: 10,
    last: 30,
    width,
    height,
    channels: NAMES,
    gaps: [[14, 15]],
  }
  shot.items.r = makeItem('render', { name: 'R', order: 1, render: taken, passes, lit: 0, ...over } as never)
  return shot
}
const drawn = (over: object = {}, image: FloatImage = rendered()) => {
  const [instance] = renderInstances(yard(over), 'r', 12, {})
  if (!instance) throw new TypeError('it is shown')
  return drawRender(instance, [], { camera, clip: () => image })
}

describe('a shape that stands for a render', () => {
  // A ramp that rises to the right, 2 m away in the middle.
  const shape = Float32Array.from({ length: width * height }, (_, n) =>
    n % width < 10 ? Infinity : 2 + 0.01 * ((n % width) - 32),
  )
  const bare = { ...passes, depth: [], normal: [], albedo: [] }
  const image = (): FloatImage => {
    const own = makeImage(width, height, 4)
    for (let n = 0; n < width * height; n++) own.data.set([0.4, 0.4, 0.4, 1], 4 * n)
    return own
  }
  const drawnOn = (over: object) => {
    const [instance] = renderInstances(
      yard({ standing: 7, standIn: 'ramp', lit: 1, passes: bare, ...over }),
      'r',
      12,
      {},
    )
    if (!instance) throw new TypeError('it is shown')
    const asked: string[] = []
    const all = drawRender(instance, [], { camera, clip: image, shape: (id) => (asked.push(id), shape) })
    return { all, asked }
  }
  it('tells how far away it is and how it faces where its passes tell neither', () => {
    const { all, asked } = drawnOn({})
    expect(asked).toEqual(['ramp'])
    const [splats, relief] = all
    if (splats?.kind !== 'splats' || relief?.kind !== 'relief') throw new TypeError('both are drawn')
    const farAt = (x: number): number => splats.data[16 * (32 * width + x) + 2] ?? 0
    const length = (x: number): number => Math.hypot((x + 0.5 - 32) / 64, 0.5 / 64, 1)
    expect(farAt(40)).toBeCloseTo((2 + 0.08) * length(40), 3)
    // Beside it all of it stands where it is said to.
    expect(farAt(4)).toBeCloseTo(7 * length(4), 3)
    const at = 8 * (16 * relief.columns + 20)
    const normal = [...relief.points.subarray(at + 4, at + 7)]
    // It goes away to the right, so it faces right and towards the camera.
    expect(normal[2]).toBeGreaterThan(0.9)
    expect(normal[0]).toBeGreaterThan(0.1)
  })
  it('is not asked where its depth or its places tell', () => {
    expect(drawnOn({ passes: { ...bare, depth: ['A'] } }).asked).toEqual([])
  })
})

describe('the channels of a file', () => {
  it('are guessed by their names, whatever program named them', () => {
    expect(passes).toEqual({
      colour: ['R', 'G', 'B'],
      alpha: ['A'],
      depth: ['Z'],
      normal: ['N.X', 'N.Y', 'N.Z'],
      position: [],
      albedo: ['albedo.R', 'albedo.G', 'albedo.B'],
    })
    const other = [
      'beauty.red',
      'beauty.green',
      'beauty.blue',
      'beauty.alpha',
      'depth.V',
      'worldPosition.x',
      'worldPosition.y',
      'worldPosition.z',
      'normals.r',
      'normals.g',
      'normals.b',
    ]
    expect(guessPasses(other)).toMatchObject({
      colour: ['beauty.red', 'beauty.green', 'beauty.blue'],
      alpha: ['beauty.alpha'],
      depth: ['depth.V'],
      position: ['worldPosition.x', 'worldPosition.y', 'worldPosition.z'],
      normal: ['normals.r', 'normals.g', 'normals.b'],
    })
    expect(guessPasses(['id.mask']).colour).toEqual([])
    expect(channelGroups(['B', 'A', 'R', 'G'])[0]?.channels).toEqual(['R', 'G', 'B', 'A'])
  })
  it('are read over the whole frame where the file keeps a part of it', () => {
    const channels = [{ name: 'R', type: 'half' as const, data: Float32Array.of(1, 2, 3, 4) }]
    const bytes = writeExr({ width: 2, height: 2, attributes: {}, channels }, plainDeflate)
    const view = new DataView(bytes.buffer, bytes.byteOffset)
    const text = new TextDecoder('latin1').decode(bytes)
    const at = text.indexOf('displayWindow\0box2i\0') + 'displayWindow\0box2i\0'.length + 4
    ;[-1, -1, 2, 1].forEach((value, n) => view.setInt32(at + 4 * n, value, true))
    const exr = readExr(bytes)
    expect([exr.width, exr.height]).toEqual([4, 3])
    expect([...(exr.channels[0]?.data ?? [])]).toEqual([0, 0, 0, 0, 0, 1, 2, 0, 0, 3, 4, 0])
    expect(exrChannels(bytes)).toEqual({ names: ['R'], pixels: 4, packed: true })
    expect(exrChannels(Uint8Array.of(1, 2, 3))).toBeUndefined()
  })
  it('mean metres as they say: along the view, from the camera, or one over that', () => {
    const far = (depthWay: 'along the view' | 'from the camera' | 'inverted', value: number): number => {
      const image = rendered({ Z: () => value })
      const how = { depthWay, unit: 0.01, premultiplied: true, standing: 4, normals: 'world' as const }
      return readPasses(image, passes, camera, how).distance[0] ?? 0
    }
    const corner = Math.hypot(31.5 / 64, 31.5 / 64, 1)
    expect(far('along the view', 500)).toBeCloseTo(5 * corner, 4)
    expect(far('from the camera', 500)).toBeCloseTo(5, 5)
    expect(far('inverted', 0.002)).toBeCloseTo(5 * corner, 4)
    expect(far('inverted', 0)).toBe(Infinity)
    const none = readPasses(
      makeImage(width, height, 3),
      { ...passes, alpha: [], depth: [], normal: [], albedo: [] },
      camera,
      {
        depthWay: 'inverted',
        unit: 1,
        premultiplied: true,
        standing: 4,
        normals: 'world',
      },
    )
    expect(none.distance[0]).toBeCloseTo(4 * corner, 5)
    expect(none.alpha[0]).toBe(1)
  })
})

describe('another program’s render', () => {
  const crew = makeCrew(1)
  it('shows the file of its frame, and nothing where that is missing', () => {
    const own = (frame: number, over = {}) => renderClips(yard(over), 'r', frame)[0]?.frame
    expect([own(9), own(10), own(14), own(16), own(31)]).toEqual([undefined, 10, undefined, 16, undefined])
    expect(own(12, { offset: 2 })).toBe(10)
    expect(drawRender(renderInstances(yard(), 'r', 12, {})[0] as never, [], { camera, clip: () => undefined })).toEqual(
      [],
    )
  })
  it('is laid pixel for pixel, hides and is hidden by depth, and all shares are one', () => {
    // A wall of the set 4 m away over the left half, and a thing at 2 m over the upper part.
    const wall = piece(box([1.05, 3, 0.05], [-1.05, 1, 1]))
    const shade = thing(box([3, 0.5, 0.05], [0, 1.7, 3]), {}, { base: [0.2, 0.2, 0.2, 1] })
    const picture = render(crew, { r: drawn(), shade: [shade] }, { camera, light: NOON, pieces: [wall] })
    const own = layer(picture, 'r')
    const at = (x: number, y: number): number => own.alpha?.data[(y - own.y) * own.width + x - own.x] ?? 0
    expect(at(24, 36)).toBe(0)
    expect(at(36, 36)).toBe(1)
    expect(at(36, 18)).toBe(0)
    const colour = own.colour?.data[3 * ((36 - own.y) * own.width + 36 - own.x)] ?? 0
    expect(colour).toBeCloseTo(0.5, 5)
    // Shares of all layers and of the plate.
    let worst = 0
    for (let n = 0; n < width * height; n++) {
      const [x, y] = [n % width, Math.floor(n / width)]
      const sum = picture.layers.reduce((all, one) => {
        const inside = x >= one.x && y >= one.y && x < one.x + one.width && y < one.y + one.height
        return all + (inside ? (one.alpha?.data[(y - one.y) * one.width + x - one.x] ?? 0) : 0)
      }, picture.plate.data[n] ?? 0)
      worst = Math.max(worst, Math.abs(sum - 1))
    }
    expect(worst).toBeLessThan(1e-5)
  })
  it('gets no dark or bright edges where its colours are straight', () => {
    const half = rendered({ A: () => 0.5, R: () => 0.8, G: () => 0.8, B: () => 0.8, Z: () => 5 })
    const colourOf = (premultiplied: boolean): number => {
      const own = layer(render(crew, { r: drawn({ premultiplied }, half) }, { camera }), 'r')
      return own.colour?.data[3 * (10 * own.width + 10)] ?? 0
    }
    expect(colourOf(true)).toBeCloseTo(0.8, 5)
    expect(colourOf(false)).toBeCloseTo(0.4, 5)
  })
  it('is lit by the shot’s lamps by its own normals and albedo, once as strongly as it is told', () => {
    const lamp: Lamp = {
      kind: 'lamp',
      shape: 'ball',
      at: [0, 1, 3],
      radius: 0,
      intensity: [9 * Math.PI, 9 * Math.PI, 9 * Math.PI],
      onSet: true,
    }
    const lit = (over: object): number => {
      const own = layer(render(crew, { r: drawn(over), lamp: [lamp] }, { camera }), 'r')
      return own.colour?.data[3 * ((32 - own.y) * own.width + 32 - own.x)] ?? 0
    }
    // Its middle faces the lamp 3 m before it: 9 / 3^2, of which half comes back.
    expect(lit({ lit: 1 }) - lit({ lit: 0 })).toBeCloseTo(0.5, 2)
    expect(lit({ lit: 2 }) - lit({ lit: 0 })).toBeCloseTo(1, 1.5)
  })
})
