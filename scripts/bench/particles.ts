import type { Camera, Solid } from '../../core/src/data/index.ts'
import { drawParticles, type ParticleLook } from '../../core/src/effects/particles/index.ts'
import {
  dropClasses,
  dropSpeed,
  fallingAt,
  GRAVITY,
  type ParticleSettings,
  ParticleSimulation,
  rainSizes,
} from '../../core/src/particles/index.ts'
import { AT_HOME, FINAL, renderPicture } from '../../core/src/picture/index.ts'
import { type Bench, timed } from './bench.ts'

const camera: Camera = {
  position: [0, 1.6, 0],
  rotation: [0, 0, 0, 1],
  focalPx: 1088,
  centre: [640, 360],
  k1: 0,
  k2: 0,
  width: 1280,
  height: 720,
}
const law = rainSizes(20)

const place: Bench = {
  name: 'particles/place-100k-drops',
  size: '100,000 drops seen at 1280x720',
  runs: 3,
  threads: [1],
  run() {
    const fall = {
      seed: 1,
      law,
      classes: dropClasses(law, 1, 14),
      speedOf: dropSpeed,
      near: 0.8,
      far: 40,
      flutter: 0,
      // With those just outside the picture that reach into it, 100,000 are drawn.
      most: 80_000,
    }
    let count = 0
    let time = 0
    const ms = timed(5, () => {
      time += 1 / 24
      count = fallingAt(fall, camera, time, [time, 0, 0], [1, 0, 0]).count
    })
    return { ms, figures: { count } }
  },
}

const look: ParticleLook = {
  over: false,
  colour: [0.9, 0.95, 1],
  brightness: 6,
  glow: 1,
  lights: 0,
  life: 1,
  fades: 0,
  seed: 1,
  hot: false,
  flat: false,
  bends: 0,
  afterglow: 0,
  refracts: 0,
  shadow: 0,
  tops: [],
  speed: 1,
  fall: {
    snow: false,
    intensity: 20,
    least: 1,
    near: 0.8,
    far: 40,
    // With those just outside the picture that reach into it, 100,000 are drawn.
    most: 80_000,
    flutter: 0,
    time: 1,
    drift: [1, 0, 0],
    wind: [1, 0, 0],
    beforeAdded: false,
    splashes: false,
    edges: [],
    wet: [],
  },
}

const seen: Bench = {
  name: 'particles/picture-100k-drops',
  size: '1280x720, 100,000 streaks, final',
  runs: 3,
  threads: [1, 2],
  run(crew) {
    const shutter = { seconds: 1 / 48, camera: () => camera }
    const context = {
      illuminance: 400,
      emitters: 8,
      camera,
      seconds: 1 / 24,
      shutter,
      finer: { crew, frame: () => undefined },
    }
    const drawables = drawParticles({ item: 'r', of: 'r', frames: [], place: AT_HOME, look }, [], context)
    const light = { sunDirection: [0, 1, 0], sunShare: 0, sunColour: [1, 1, 1], skyColour: [1, 1, 1] } as const
    const ms = timed(3, () => {
      renderPicture(crew, { pieces: [], layers: [{ id: 'r', drawables }], camera, light, quality: FINAL })
    })
    return { ms, figures: {} }
  },
}

const GROUND: Solid = { kind: 'halfspace', point: [0, 0, 0], normal: [0, 1, 0] }
/** A yard's worth of boxes round a fire. */
const solids: Solid[] = [
  GROUND,
  ...Array.from({ length: 12 }, (_, n): Solid => {
    const turn = (2 * Math.PI * n) / 12
    return {
      kind: 'box',
      centre: [2 * Math.cos(turn), 0.4, 2 * Math.sin(turn)],
      half: [0.3, 0.4, 0.3],
      rotation: [0, 0, 0, 1],
    }
  }),
]

const sparks: Bench = {
  name: 'particles/10k-sparks',
  size: '10,000 sparks at once with drag, cooling and 13 solids, a frame',
  runs: 3,
  threads: [1],
  run() {
    const settings: ParticleSettings = {
      seed: 1,
      source: { kind: 'disc', radius: 0.4 },
      births: { way: 'rate', number: 0, every: 1, lasts: 0 },
      from: 0,
      to: 1000,
      speed: 6,
      speedSpread: 0.5,
      cone: 0.8,
      inherits: 0,
      body: { form: 'ball', diameter: 0.002, spread: 0.4, density: 400 },
      life: 2,
      lifeSpread: 0.1,
      hot: { kelvin: 1500, spread: 0.05, cools: 0.3, emissivity: 0.85, specificHeat: 900 },
      air: { kelvin: 288, drag: 1, gravity: GRAVITY },
      flutter: 0,
      flow: 0,
      contact: { does: 'bounce', restitution: 0.35, friction: 0.4, melts: 0 },
      most: 1e6,
      preRoll: 0,
      moments: [
        {
          centre: [0, 0.3, 0],
          turn: [0, 0, 0, 1],
          direction: [0, 1, 0],
          rate: 5000,
          wind: [0.5, 0, 0],
          forces: [],
          solids,
        },
      ],
    }
    const simulation = new ParticleSimulation(settings, 24)
    let count = 0
    const frame = (): void => {
      const steps = simulation.steps()
      let step = steps.next()
      while (!step.done) step = steps.next()
      count = step.value.count
    }
    for (let n = 0; n < 54; n++) frame()
    const ms = timed(9, frame)
    return { ms, figures: { count } }
  },
}

export const particleBenches: readonly Bench[] = [place, seen, sparks]
