import { sha256 } from '@noble/hashes/sha2.js'
import { bytesToHex } from '@noble/hashes/utils.js'
import type { Crew } from '../base/index.ts'
import {
  boxMesh,
  type FloatImage,
  GAS_CHANNELS,
  type GasFrame,
  type MeshAsset,
  type Motion,
  type ParticleFrame,
} from '../data/index.ts'
import { gasSettings } from '../effects/gas/index.ts'
import { particleSettings } from '../effects/particles/index.ts'
import { GasSimulation } from '../gas/index.ts'
import { GasFlow, ParticleSimulation } from '../particles/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../shot/index.ts'
import type { GrainLaw, StackLay, StackSettings } from '../sit/index.ts'
import { plateMotion } from './motions.ts'
import { renderPicture } from './picture.ts'
import { pictureFrame } from './pictureFrame.ts'
import { composeFrame, lightOfPlate, plateImage, stackSettingsAt } from './stack.ts'

const FRAMES = 3

const PEBBLE = '0'.repeat(64)
/** A taken-in mesh, a piece in bricks, a ball that mirrors and a lamp, through a lens that is out of focus. */
function goldenSolids(document: ShotDocument): void {
  Object.assign(document.camera, { fNumber: 2, focus: 3, sensor: 36 })
  document.items.pebble = makeItem('thing', {
    name: 'Pebble',
    order: 8,
    position: [-0.5, 0, -1.6],
    turn: 25,
    scale: 0.3,
    trim: { low: [0, 0, 0], high: [1, 0.7, 1] },
    mesh: {
      blob: PEBBLE,
      standIn: PEBBLE,
      file: 'pebble.glb',
      triangles: 12,
      low: [-0.5, 0, -0.5],
      high: [0.5, 1, 0.5],
      animations: [],
      notes: [],
    },
    motion: {
      keys: [
        { frame: 1, position: [-0.5, 0, -1.6], turn: 25 },
        { frame: FRAMES, position: [-0.2, 0.1, -1.6], turn: 60 },
      ],
    },
  })
  document.items.pier = makeItem('form', {
    name: 'Pier',
    order: 9,
    shape: 'cylinder',
    position: [0.9, 0, -1.9],
    width: 0.3,
    depth: 0.3,
    height: 0.9,
    carries: 'surface',
    pattern: 'brick',
  })
  document.items.ball = makeItem('form', {
    name: 'Ball',
    order: 10,
    shape: 'ball',
    position: [0.1, 0, -1.5],
    width: 0.3,
    depth: 0.3,
    height: 0.3,
    carries: 'surface',
    metal: 1,
    roughness: 0.2,
  })
  document.items.lamp = makeItem('lamp', { name: 'Lamp', order: 11, position: [1, 1.6, -1], aim: [0, 0, -2] })
}

const pebbleAsset = (): MeshAsset => ({
  nodes: [{ parent: -1, translation: [0, 0, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }],
  parts: [{ node: 0, material: -1, ...boxMesh([0, 0.5, 0], [0.5, 0.5, 0.5], [0, 0, 0, 1]) }],
  materials: [],
  pictures: [],
  animations: [],
})

/** Sparks of the fire, and rain. */
function goldenParticles(document: ShotDocument): void {
  document.items.sparks = makeItem('particles', {
    name: 'Sparks',
    order: 12,
    source: 'ball',
    diameter: 1,
    position: [0, 0.8, -2.4],
    gas: 'fire',
    rate: 900,
    hot: 1300,
    lights: 2,
    size: 8,
    gust: 30,
    wind: 1,
  })
  document.items.rain = makeItem('particles', {
    name: 'Rain',
    order: 13,
    way: 'rain',
    intensity: 30,
    near: 0.5,
    far: 6,
    most: 3000,
    flutter: 0.1,
  })
}

/** A small shot with a bit of everything that a gas and a picture can be told. */
function goldenShot(): ShotDocument {
  const document = makeShot('golden', {
    asset: 'none',
    file: 'none',
    width: 64,
    height: 48,
    first: 1,
    last: FRAMES,
    rate: [24, 1],
    encoding: 'srgb',
  })
  document.camera.kind = 'typed'
  document.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  document.items.wall = makeItem('box', {
    name: 'Wall',
    order: 2,
    position: [0.6, 0, -2.6],
    width: 0.5,
    height: 1.5,
    depth: 0.3,
    turn: 20,
  })
  document.items.beam = makeItem('box', {
    name: 'Beam',
    order: 4,
    position: [-0.8, 1.4, -3],
    width: 0.2,
    height: 0.2,
    depth: 1.4,
    motion: {
      keys: [
        { frame: 1, position: [-0.8, 1.4, -3], roll: 0 },
        { frame: FRAMES, position: [-0.5, 0.6, -3], roll: 50 },
      ],
    },
  })
  document.items.fire = makeItem('gas', {
    name: 'Fire',
    order: 3,
    position: [0, 0, -3],
    diameter: 2.2,
    heat: 900,
    cell: 110,
    wind: 0.5,
    gust: 30,
    shear: 0.15,
    follows: { heat: { signal: 'pulse', gain: 900 } },
  })
  document.items.torch = makeItem('source', {
    name: 'Torch',
    order: 5,
    feeds: 'fire',
    shape: 'sphere',
    diameter: 0.2,
    heat: 40,
    motion: {
      keys: [
        { frame: 1, position: [-0.6, 1.2, -2.6] },
        { frame: FRAMES, position: [0.7, 0.9, -2.8] },
      ],
    },
  })
  document.items.whirls = makeItem('force', {
    name: 'Whirls',
    order: 6,
    way: 'turbulence',
    strength: 6,
    position: [0, 1, -3],
    radius: 2,
  })
  document.items.again = makeItem('reuse', {
    name: 'Again',
    order: 7,
    of: 'fire',
    position: [1.2, 0, -4.5],
    turn: 70,
    scale: 0.6,
    mirror: true,
  })
  goldenParticles(document)
  goldenSolids(document)
  document.signals.pulse = {
    name: 'Pulse',
    shown: true,
    source: { kind: 'flicker', seed: 3, low: 0.6, high: 1.2, pace: 5 },
  }
  return document
}

/** The shot's sparks, which ride its gas. */
function goldenSparks(document: ShotDocument, gases: readonly GasFrame[]): ParticleFrame[] {
  const simulation = new ParticleSimulation(particleSettings(document, 'sparks'), 24)
  return gases.map((gas) => {
    const steps = simulation.steps(new GasFlow(gas))
    let step = steps.next()
    while (!step.done) step = steps.next()
    return simulation.keep()
  })
}

/** The golden hash. Raise VERSIONS when it changes on purpose. */
export const GOLDEN_HASH = '205ddca9dd7eee015f7cf1ff2dab431d6eb03f78c3c030d389fccc78a1626a5d'

/** A stack that uses all that it has: grades, curves, blends, several lays, blurs, places, glow, haze, shimmer, motion blur put back. */
function goldenStack(document: ShotDocument, law: GrainLaw, motion: Motion): StackSettings {
  const plain = stackSettingsAt(document, law, 1)
  const bent = [
    [0, 0.02],
    [0.4, 0.5],
    [1, 0.97],
  ] as const
  const ways = ['over', 'multiply', 'screen', 'soft light', 'lighten', 'add'] as const
  const lays = plain.lays.flatMap(({ of, how }, n): StackLay[] => [
    {
      of,
      how: {
        ...how,
        gamma: 1.1,
        contrast: 1.2,
        saturation: 0.8,
        softness: 0.7,
        defocus: 1.7,
        wrap: 0.2,
        streak: 0.8,
        streakBy: 'plate',
        curves: { all: bent, red: bent, green: bent, blue: bent },
      },
    },
    {
      of,
      how: {
        ...how,
        blend: ways[n % 6] ?? 'over',
        amount: 0.4,
        nudgeX: 1.3,
        turned: 4,
        size: 1.1,
        calm: 0.3,
        softness: -0.4,
        shadow: 0,
        light: 0,
      },
    },
  ])
  const haze = { thickness: [0.01, 0.012, 0.015] as const, colour: [0.5, 0.55, 0.6] as const, onSet: true }
  const motions = new Map([['plate', motion]])
  const plateStreak = { motion, frames: 1.5, samples: 0 }
  return { ...plain, lays, airGlow: 0.1, glowRadii: [0.05, 0.2], haze, drift: 0.1, motions, plateStreak }
}

/** A hash over a small fixed shot taken the whole way: gas about 48 cells wide, picture, stack. Equal in every engine and for any number of threads; changes only when VERSIONS must rise. */
export function goldenHash(crew: Crew): string {
  const document = goldenShot()
  const simulation = new GasSimulation(crew, gasSettings(document, 'fire', 'full'), 24)
  const frames = Array.from({ length: FRAMES }, () => {
    simulation.advance()
    return simulation.keep()
  })
  const frame = simulation.keep()
  const sparks = goldenSparks(document, frames)
  const camera = {
    position: [0, 1.2, 1] as const,
    rotation: [0, 0, 0, 1] as const,
    focalPx: 60,
    centre: [32, 24] as const,
    k1: -0.05,
    k2: 0.01,
    width: 64,
    height: 48,
  }
  const at = pictureFrame(document, (n) => ({ ...camera, position: [0.01 * n, 1.2, 1] }), FRAMES)
  const plateOf = (moved: number): FloatImage => {
    const codes = Uint8Array.from({ length: 64 * 48 * 3 }, (_, n) => 40 + (((n + 3 * moved) * 7) % 90))
    return lightOfPlate(crew, plateImage(codes, 64, 48, 'srgb'), document.sit, 'srgb')
  }
  const plate = plateOf(0)
  const mesh = { asset: pebbleAsset(), pictures: [] }
  const passes = renderPicture(crew, document, at, (id, n) => (id === 'sparks' ? sparks : frames)[n - 1], 'final', {
    plate,
    meshes: () => mesh,
  })
  const law = { floor: [1e-5, 1e-5, 1e-5], slope: [1e-4, 1e-4, 1e-4], spread: 0.1 } as GrainLaw
  const motion = plateMotion(crew, plate, plateOf(1), true)
  const picture = composeFrame(crew, plate, passes, goldenStack(document, law, motion), 64, 1)
  const hash = sha256.create()
  hash.update(new Uint8Array(frame.tiles.buffer))
  GAS_CHANNELS.forEach((_, n) => {
    const channel = frame.channels[n]
    if (channel) hash.update(new Uint8Array(channel.buffer))
  })
  for (const one of sparks) hash.update(new Uint8Array(one.positions.buffer))
  hash.update(new Uint8Array(picture.data.buffer))
  return bytesToHex(hash.digest())
}
