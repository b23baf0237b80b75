import { hash01 } from '@lantern/core/base'
import { type Camera, pixelRay } from '@lantern/core/data'
import { noise3, rotate, type Vec3 } from '@lantern/core/math'
import { exactCamera, type PlateSpec } from './paths.ts'
import { rough } from './textures.ts'
import { BRAZIER, makeShader, makeYard, type Yard, type YardBox } from './yard.ts'

const CLOTH = rough([0.045, 0.05, 0.06], 61)
const SKIN = rough([0.2, 0.12, 0.085], 63)

/** The worker as a few turned boxes, walking from the right along z = 1.4. */
function worker(time: number): { boxes: YardBox[]; lantern: Vec3 } {
  const x = 7.4 - 1.25 * time
  const z = 1.5
  const swing = Math.sin(time * 2 * Math.PI * 0.9)
  const bob = 0.02 * Math.abs(Math.cos(time * 2 * Math.PI * 0.9))
  const part = (dx: number, y: number, dz: number, half: Vec3, turn: number, skin = false): YardBox => ({ name: 'worker', centre: [x + dx, y + bob, z + dz], half, turn, texture: skin ? SKIN : CLOTH })
  return {
    boxes: [
      part(0, 1.18, 0, [0.13, 0.3, 0.2], 0), part(-0.02, 1.6, 0, [0.1, 0.12, 0.085], 0, true), part(-0.03, 1.73, 0, [0.13, 0.03, 0.1], 0),
      part(0.16 * swing, 0.64, 0.1, [0.08, 0.26, 0.085], 0), part(-0.16 * swing, 0.64, -0.1, [0.08, 0.26, 0.085], 0),
      part(0.26 * swing, 0.22, 0.1, [0.07, 0.24, 0.07], 0), part(-0.26 * swing, 0.22, -0.1, [0.07, 0.24, 0.07], 0),
      part(-0.2 * swing, 1.15, 0.26, [0.06, 0.28, 0.06], 0), part(0.14 * swing, 1.15, -0.26, [0.06, 0.28, 0.06], 0),
    ],
    lantern: [x - 0.2 * swing - 0.15, 0.82, z + 0.3],
  }
}

const flicker = (time: number): number => 1 + 0.22 * noise3(91, time * 6, 0, 0) + 0.12 * noise3(92, time * 17, 0, 0)

/** The brazier's flame, seen as a flat flame that faces the camera; adds to `out`. */
function flame(from: Vec3, ax: number, ay: number, az: number, time: number, out: Float64Array): void {
  const t = (BRAZIER[2] - from[2]) / az
  if (!(t > 0)) return
  const x = from[0] + ax * t - BRAZIER[0]
  const y = from[1] + ay * t - BRAZIER[1] + 0.04
  if (Math.abs(x) > 0.6 || y < 0 || y > 1.2) return
  const rise = y * 3.2 - time * 5.2
  const sway = 0.16 * y * noise3(95, rise * 0.6, time, 0)
  const body = (0.23 * (1 - y / 0.95) * (0.7 + 0.5 * Math.sqrt(Math.max(0, y)))) / 1
  const edge = body - Math.abs(x + sway) + 0.09 * noise3(96, x * 8, rise * 1.6, time * 2) + 0.05 * noise3(97, x * 19, rise * 3.4, time * 3)
  const v = Math.max(0, Math.min(1, edge / 0.12))
  const heat = v * v * Math.max(0, 1 - y / 1.1) * flicker(time)
  out[0] = (out[0] ?? 0) + 3.2 * heat
  out[1] = (out[1] ?? 0) + 1.25 * heat * (0.5 + 0.5 * v)
  out[2] = (out[2] ?? 0) + 0.28 * heat * v * v
}

export interface PlatePainter {
  camera: (frame: number) => Camera
  /** Linear light, r g b, before the sensor. */
  draw: (frame: number) => Float32Array
}

/** samples: rays per pixel edge. */
export function platePainter(spec: PlateSpec, width: number, height: number, samples: number, yard: Yard = makeYard(1)): PlatePainter {
  const scale = width / 1280
  const focalPx = spec.lens.focalPx * scale
  const shader = makeShader(yard, focalPx)
  const still: Camera = { position: [0, 0, 0], rotation: [0, 0, 0, 1], focalPx, centre: [width / 2, height / 2], k1: spec.lens.k1, k2: spec.lens.k2, width, height }
  const rays = new Float64Array(width * height * samples * samples * 2)
  for (let y = 0, n = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      for (let s = 0; s < samples * samples; s++, n += 2) {
        const { along } = pixelRay(still, x + ((s % samples) + 0.5) / samples, y + (Math.floor(s / samples) + 0.5) / samples)
        rays[n] = along[0]
        rays[n + 1] = along[1]
      }
  const cameraAt = (frame: number): Camera => ({ ...still, ...exactCamera(spec, frame) })
  return {
    camera: cameraAt,
    draw(frame) {
      const time = (frame - spec.first) / spec.rate
      const camera = cameraAt(frame)
      const people = spec.worker ? worker(time) : undefined
      const image = new Float32Array(width * height * 3)
      const colour = new Float64Array(3)
      const gain = 2 ** spec.drift(time)
      const brazier = 0.55 * flicker(time)
      const [right, up, forward] = [rotate(camera.rotation, [1, 0, 0]), rotate(camera.rotation, [0, 1, 0]), rotate(camera.rotation, [0, 0, -1])]
      const shade = shader(camera.position, brazier, people?.boxes ?? [], people?.lantern)
      const share = gain / (samples * samples)
      for (let p = 0, n = 0; p < width * height; p++)
        for (let s = 0; s < samples * samples; s++, n += 2) {
          const rx = rays[n] ?? 0
          const ry = rays[n + 1] ?? 0
          const x = right[0] * rx + up[0] * ry + forward[0]
          const y = right[1] * rx + up[1] * ry + forward[1]
          const z = right[2] * rx + up[2] * ry + forward[2]
          const inv = 1 / Math.sqrt(x * x + y * y + z * z)
          shade(x * inv, y * inv, z * inv, colour)
          flame(camera.position, x * inv, y * inv, z * inv, time, colour)
          for (let c = 0; c < 3; c++) image[p * 3 + c] = (image[p * 3 + c] ?? 0) + (colour[c] ?? 0) * share
        }
      return image
    },
  }
}

/** The sensor: vignette, photon and read noise, sRGB, 8 bits. */
export function sensor(image: Float32Array, width: number, height: number, frame: number, seed: number): Uint8Array {
  const bytes = new Uint8Array(width * height * 3)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const r2 = ((x - width / 2) ** 2 + (y - height / 2) ** 2) / (width / 2) ** 2
      const shade = 1 - 0.16 * r2
      for (let c = 0; c < 3; c++) {
        const n = (y * width + x) * 3 + c
        const v = (image[n] ?? 0) * shade
        const sigma = Math.sqrt(4e-6 + 1.6e-4 * v)
        const g = hash01(seed, n, frame) + hash01(seed + 1, n, frame) + hash01(seed + 2, n, frame) - 1.5
        const noisy = Math.max(0, v + g * 2 * sigma)
        const bent = noisy < 0.75 ? noisy : 0.75 + (0.25 * (noisy - 0.75)) / (0.25 + noisy - 0.75)
        bytes[n] = Math.round(255 * Math.min(1, bent <= 0.0031308 ? 12.92 * bent : 1.055 * bent ** (1 / 2.4) - 0.055))
      }
    }
  return bytes
}
