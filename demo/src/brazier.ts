import type { Crew } from '@lantern/core/base'
import type { Camera, GasFrame, Mesh } from '@lantern/core/data'
import { type GasSettings, GasSimulation } from '@lantern/core/gas'
import { GLOW_FROM, GLOW_STEP, gatherEmitters, glowTable, SOOT_EXTINCTION } from '@lantern/core/light'
import { AT_REST, FINAL, type PlateLight, renderFlat } from '@lantern/core/picture'
import { DRUM, DRUM_SIZE } from './scene/places.ts'

// The brazier's flame: burnt and pictured by the product's own gas, as a layer over the yard that can be made again when the gas gets better.

/** Illuminance that makes white 1.0 before the plate's own exposure, lux. */
const ILLUMINANCE = 420
/** What a camera set for dusk shows of a flame: stops on the flame and its light together. */
export const FLAME_EXPOSURE = -3.2
const SMOKE_ALBEDO = 0.35
const SMOKE_FORWARD = 0.6

export const BRAZIER_GAS: GasSettings = {
  cell: 0.036,
  sources: [
    { shape: { kind: 'disc', radius: DRUM_SIZE.radius - 0.05, thickness: 0.06 }, perArea: false, stirSize: 0.144 },
  ],
  forces: [],
  sceneInputs: [
    {
      sources: [
        {
          centre: [DRUM[0], DRUM_SIZE.height - 0.04, DRUM[2]],
          rotation: [0, 0, 0, 1],
          heat: 190_000,
          smoke: 0,
          temperature: 400,
          speed: 0.25,
          aim: [0, 1, 0],
          stir: 0.3,
        },
      ],
      forces: [],
      wind: [0.15, 0, 0.05],
      solids: [],
    },
  ],
  preRoll: 0,
  ambient: 283,
  shear: { exponent: 0, at: 10, ground: 0 },
  black: true,
  fade: 0,
  settle: 0,
  cut: false,
  sootYield: 0.045,
  burnTime: 0.1,
  radiant: 0.35,
  confinement: 0.15,
  courant: 0.75,
  bounds: { low: [DRUM[0] - 0.7, 0.6, DRUM[2] - 0.7], high: [DRUM[0] + 1, 5.6, DRUM[2] + 0.7] },
  mostCells: 1_600_000,
  seed: 5,
}

/** Burns the brazier for `frames` frames at `rate`; each is handed on as it comes. */
export function burn(crew: Crew, frames: number, rate: number, each: (n: number, frame: GasFrame) => void): void {
  const mark = crew.heap.mark()
  const simulation = new GasSimulation(crew, BRAZIER_GAS, rate)
  for (let n = 0; n < frames; n++) {
    simulation.advance()
    each(n, simulation.keep())
  }
  crew.heap.release(mark)
}

const glow = { from: GLOW_FROM, step: GLOW_STEP, table: glowTable(ILLUMINANCE, 1) }

/** The flame's light: intensity over pi by channel, where white is 1, and the middle of it. */
export function flameLight(frame: GasFrame): { light: [number, number, number]; at: [number, number, number] } {
  const light: [number, number, number] = [0, 0, 0]
  const at: [number, number, number] = [0, 0, 0]
  for (const emitter of gatherEmitters(frame, glow.table, SMOKE_ALBEDO, 64)) {
    for (let c = 0; c < 3; c++) {
      light[c] = (light[c] ?? 0) + (emitter.intensity[c] ?? 0) * 2 ** FLAME_EXPOSURE
      at[c] = (at[c] ?? 0) + (emitter.at[c] ?? 0) * emitter.intensity[0] * 2 ** FLAME_EXPOSURE
    }
  }
  return { light, at: at.map((x) => x / (light[0] || 1)) as [number, number, number] }
}

/** An open drum of flat staves that hides the flame's foot. */
function drumMesh(): Mesh {
  const round = 32
  const positions = new Float32Array(round * 6)
  const indices = new Uint32Array(round * 6)
  for (let k = 0; k < round; k++) {
    const a = (k / round) * 2 * Math.PI
    const [x, z] = [DRUM[0] + DRUM_SIZE.radius * Math.cos(a), DRUM[2] + DRUM_SIZE.radius * Math.sin(a)]
    positions.set([x, 0, z, x, DRUM_SIZE.height, z], k * 6)
    const [p, q] = [k * 2, ((k + 1) % round) * 2]
    indices.set([p, p + 1, q, q, p + 1, q + 1], k * 6)
  }
  return { positions, indices }
}

/** The flame's layer through a camera, over a rectangle of it: r g b added, then smoke r g b alpha laid over, seven floats a pixel. */
export interface FlameLayer {
  x: number
  y: number
  width: number
  height: number
  data: Float32Array
}

export function pictureFlame(crew: Crew, frame: GasFrame, camera: Camera, light: PlateLight): FlameLayer {
  const emitters = gatherEmitters(frame, glow.table, SMOKE_ALBEDO, 64)
  const { fire, smoke, smokeLight } = renderFlat(crew, {
    pieces: [{ key: 'drum', mesh: drumMesh(), opening: AT_REST, closing: AT_REST, holdsOut: true, receives: false }],
    camera,
    drawables: [
      {
        kind: 'gas',
        frames: [{ frame, weight: 1, ahead: 0 }],
        emitters,
        glow,
        albedo: SMOKE_ALBEDO,
        forward: SMOKE_FORWARD,
        extinctionPerSoot: SOOT_EXTINCTION,
      },
    ],
    light,
    quality: { ...FINAL, few: 1, many: 4, most: 4, marches: 2, mostMarches: 4, lightStride: 64 },
  })
  let [x0, y0, x1, y1] = [camera.width, camera.height, 0, 0]
  for (let y = 0; y < camera.height; y++)
    for (let x = 0; x < camera.width; x++) {
      const n = y * camera.width + x
      if ((fire.data[n * 3] ?? 0) + (smoke.data[n * 4 + 3] ?? 0) < 1e-4) continue
      x0 = Math.min(x0, x)
      x1 = Math.max(x1, x + 1)
      y0 = Math.min(y0, y)
      y1 = Math.max(y1, y + 1)
    }
  const [width, height] = [Math.max(0, x1 - x0), Math.max(0, y1 - y0)]
  const data = new Float32Array(width * height * 7)
  const gain = 2 ** FLAME_EXPOSURE
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const n = (y + y0) * camera.width + x + x0
      const o = (y * width + x) * 7
      for (let c = 0; c < 3; c++) {
        data[o + c] = (fire.data[n * 3 + c] ?? 0) * gain
        data[o + 3 + c] = (smoke.data[n * 4 + c] ?? 0) + (smokeLight.data[n * 3 + c] ?? 0) * gain
      }
      data[o + 6] = smoke.data[n * 4 + 3] ?? 0
    }
  return { x: x0, y: y0, width, height, data }
}
