import type { Camera, Solid } from '../../core/src/data/index.ts'
import { projectPoint } from '../../core/src/data/index.ts'
import type { Vec3 } from '../../core/src/math/index.ts'
import {
  coolingRate,
  dropClasses,
  dropSpeed,
  type FallSettings,
  fallingAt,
  GRAVITY,
  type ParticleSettings,
  ParticleSimulation,
  rainSizes,
  seenVolume,
  slowingRate,
  terminalSpeed,
} from '../../core/src/particles/index.ts'
import { atMost, type Row } from './row.ts'

// Particles against measured falls, size laws and fine integration.

const RATE = 24
const GROUND: Solid = { kind: 'halfspace', point: [0, 0, 0], normal: [0, 1, 0] }

function settings(
  over: Partial<ParticleSettings>,
  direction: Vec3 = [0, 1, 0],
  centre: Vec3 = [0, 1, 0],
): ParticleSettings {
  return {
    seed: 3,
    source: { kind: 'point' },
    births: { way: 'once', number: 1, every: 1, lasts: 0 },
    from: 0,
    to: 1000,
    speed: 0,
    speedSpread: 0,
    cone: 0,
    inherits: 0,
    body: { form: 'ball', diameter: 0.002, spread: 0, density: 1000 },
    life: 1000,
    lifeSpread: 0,
    air: { kelvin: 288, drag: 1, gravity: GRAVITY },
    flutter: 0,
    flow: 0,
    contact: { does: 'pass', restitution: 0.5, friction: 0.4, melts: 0 },
    most: 1e6,
    preRoll: 0,
    moments: [{ centre, turn: [0, 0, 0, 1], direction, rate: 0, wind: [0, 0, 0], forces: [], solids: [GROUND] }],
    ...over,
  }
}
function after(own: ParticleSettings, frames: number, rate = RATE) {
  const simulation = new ParticleSimulation(own, rate)
  let highest = 0
  let hits = 0
  for (let n = 0; n < frames; n++) {
    const steps = simulation.steps()
    let step = steps.next()
    while (!step.done) step = steps.next()
    hits += step.value.hits
    if (hits === 1) highest = Math.max(highest, simulation.keep().positions[1] ?? 0)
  }
  return { frame: simulation.keep(), highest }
}

/** Largest difference of a flight's place from a fine integration's, against its way. */
function flightError(drag: number): number {
  const body = { form: 'ball', diameter: 0.0015, spread: 0, density: 1500 } as const
  const { frame } = after(
    settings({ body, speed: 18, air: { kelvin: 288, drag, gravity: GRAVITY } }, [0.8, 0.6, 0]),
    16,
  )
  let [x, y, u, v] = [0, 1, 14.4, 10.8]
  const h = 5e-6
  for (let n = 0; n < Math.round(16 / RATE / h); n++) {
    const k = drag * slowingRate('ball', 0.0015, 1500, Math.hypot(u, v))
    x += u * h
    y += v * h
    u -= h * k * u
    v -= h * (k * v + GRAVITY * (1 - 1.2 / 1500))
  }
  return Math.hypot((frame.positions[0] ?? 0) - x, (frame.positions[1] ?? 0) - y) / Math.hypot(x, y - 1)
}

/** The largest error of a body's fall against the speed at which the drag law holds its weight. */
const terminalError = (): number =>
  Math.max(
    ...(
      [
        ['ball', 0.002, 1000],
        ['flake', 0.005, 60],
        ['flake', 0.006, 100],
        ['ball', 0.0004, 300],
      ] as const
    ).map(([form, diameter, density]) => {
      const { frame } = after(settings({ body: { form, diameter, spread: 0, density } }), 90)
      return Math.abs(-(frame.velocities[1] ?? 0) / terminalSpeed(form, diameter, density) - 1)
    }),
  )

function bounceError(): number {
  const own = settings({
    body: { form: 'ball', diameter: 0.02, spread: 0, density: 7000 },
    contact: { does: 'bounce', restitution: 0.5, friction: 0, melts: 0 },
    air: { kelvin: 288, drag: 0, gravity: GRAVITY },
  })
  const { highest } = after(own, 1400, 960)
  return Math.abs(Math.sqrt((highest - 0.01) / 0.99) / 0.5 - 1)
}

function coolingError(): number {
  const hot = { kelvin: 1500, spread: 0, cools: 1, emissivity: 0.85, specificHeat: 900 }
  const body = { form: 'ball', diameter: 0.002, spread: 0, density: 300 } as const
  const { frame } = after(settings({ hot, body, air: { kelvin: 288, drag: 0, gravity: 0 } }), 24)
  let kelvin = 1500
  for (let n = 0; n < 20_000; n++) kelvin -= 5e-5 * coolingRate({ ...hot, ...body }, kelvin, 288, 0)
  return Math.abs((frame.temperatures[0] ?? 0) / kelvin - 1)
}

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
/** Drops seen in ranges of depth against the law's density: the largest error; and how much their number changes from frame to frame against chance. */
function seenErrors(): { density: number; steady: number; sizes: number; speeds: number } {
  const law = rainSizes(10)
  const fall: FallSettings = {
    seed: 4,
    law,
    classes: dropClasses(law, 1, 14),
    speedOf: dropSpeed,
    near: 1,
    far: 14,
    flutter: 0,
    most: 400_000,
  }
  const number = fall.classes.reduce((sum, one) => sum + one.number, 0)
  const drops = fallingAt(fall, camera, 0, [0, 0, 0], [0, 0, 0])
  const counts = [0, 0, 0]
  const ranges = [
    [4, 7],
    [7, 10],
    [10, 14],
  ] as const
  let [size, speeds] = [0, 0]
  for (let n = 0; n < drops.count; n++) {
    const p = projectPoint(camera, [...drops.positions.subarray(3 * n, 3 * n + 3)] as unknown as Vec3)
    size += 1000 * (drops.sizes[n] ?? 0)
    speeds += -(drops.velocities[3 * n + 1] ?? 0) / dropSpeed(1000 * (drops.sizes[n] ?? 1))
    if (!p || p.x < 0 || p.x > 1280 || p.y < 0 || p.y > 720) continue
    const at = ranges.findIndex(([near, far]) => p.depth >= near && p.depth < far)
    if (at >= 0) counts[at] = (counts[at] ?? 0) + 1
  }
  const density = Math.max(
    ...ranges.map(([near, far], n) => Math.abs((counts[n] ?? 0) / (number * seenVolume(camera, near, far)) - 1)),
  )
  const all = Array.from({ length: 6 }, (_, n) => fallingAt(fall, camera, n * 0.7, [0, 0, 0], [0, 0, 0]).count)
  const mean = all.reduce((sum, one) => sum + one, 0) / all.length
  const steady = Math.max(...all.map((one) => Math.abs(one - mean))) / Math.sqrt(mean)
  const expected = 1 + 1 / law.slope
  return {
    density,
    steady,
    sizes: Math.abs(size / drops.count / expected - 1),
    speeds: Math.abs(speeds / drops.count - 1),
  }
}

/** Rows of validation. */
export function particleRows(): Row[] {
  const seen = seenErrors()
  return [
    atMost('free flight without drag, place after 16 frames', 'fine integration', 0.005, flightError(0)),
    atMost('free flight with drag, place after 16 frames', 'fine integration', 0.005, flightError(1)),
    atMost(
      'falling balls and flakes, speed in the end',
      'drag law: Schiller and Naumann; Clift et al.',
      0.05,
      terminalError(),
    ),
    atMost('restitution, root of the height it comes back to', '0.5', 0.005, bounceError()),
    atMost('a hot bit after a second, K', 'convection and radiation, finely', 0.02, coolingError()),
    atMost('drops seen in three ranges of depth', 'Marshall and Palmer', 0.05, seen.density),
    atMost('drops seen from the first frame on, standard deviations from their mean', 'chance', 4, seen.steady),
    atMost('mean size of seen drops', 'Marshall and Palmer', 0.05, seen.sizes),
    atMost('mean speed of seen drops for their size', 'Gunn and Kinzer', 0.05, seen.speeds),
  ]
}
