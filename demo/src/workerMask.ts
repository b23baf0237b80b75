import { join } from 'node:path'
import sharp from 'sharp'
import { momentOf, project, timeOf } from './cameras.ts'
import type { PlateSpec } from './plates.ts'
import { MESH_STRIDE } from './scene/builder.ts'
import { worker } from './worker.ts'

// How much of each pixel a plate's worker covers: the figure that it was drawn from, rasterised at eight moments of the open shutter.
const MOMENTS = 8
const FINER = 2

/** Frames that a plate's worker is written for. */
export const WORKER_FRAMES = { first: 1034, last: 1100 } as const

/** Coverage of width x height, to 255, of the worker of a plate at a frame. */
export function workerMask(spec: PlateSpec, seed: number, frame: number): Uint8Array {
  const { width, height } = spec
  const [w, h] = [width * FINER, height * FINER]
  const sum = new Uint16Array(width * height)
  for (let k = 0; k < MOMENTS && spec.worker; k++) {
    const time = timeOf(spec, frame) + ((k + 0.5) / MOMENTS - 0.5) * (spec.shutter / spec.rate)
    const mask = new Uint8Array(w * h)
    const { vertices, triangles } = worker(spec.worker, time).mesh
    const moment = momentOf(spec, time, seed)
    const at = (n: number): Place | undefined => {
      const m = MESH_STRIDE * n
      const p = project(spec, moment, [vertices[m] ?? 0, vertices[m + 1] ?? 0, vertices[m + 2] ?? 0])
      return p && { x: p.x * FINER, y: p.y * FINER }
    }
    for (let t = 0; t < triangles.length; t += 3) {
      const [a, b, c] = [at(triangles[t] ?? 0), at(triangles[t + 1] ?? 0), at(triangles[t + 2] ?? 0)]
      if (a && b && c) fill(mask, w, h, a, b, c)
    }
    for (let n = 0; n < mask.length; n++)
      if (mask[n]) {
        const m = (Math.floor(n / w) >> 1) * width + ((n % w) >> 1)
        sum[m] = (sum[m] ?? 0) + 1
      }
  }
  return Uint8Array.from(sum, (value) => Math.round((255 * value) / (MOMENTS * FINER * FINER)))
}

/** Writes what a plate's worker covers, one frame below the other, as a grey PNG. */
export async function writeWorker(folder: string, spec: PlateSpec, seed: number): Promise<void> {
  const { first, last } = WORKER_FRAMES
  const { width, height } = spec
  const all = new Uint8Array(width * height * (last - first + 1))
  for (let frame = first; frame <= last; frame++)
    all.set(workerMask(spec, seed, frame), (frame - first) * width * height)
  await sharp(all, { raw: { width, height: height * (last - first + 1), channels: 1 }, limitInputPixels: false })
    .png({ compressionLevel: 9, palette: false })
    .toFile(join(folder, `${spec.name}-worker.png`))
}

type Place = { x: number; y: number }
/** Sets the pixels whose middle lies in a triangle of either sense. */
function fill(mask: Uint8Array, w: number, h: number, a: Place, b: Place, c: Place): void {
  const side = (p: Place, q: Place, x: number, y: number): number => (q.x - p.x) * (y - p.y) - (q.y - p.y) * (x - p.x)
  const y0 = Math.max(0, Math.floor(Math.min(a.y, b.y, c.y)))
  const y1 = Math.min(h, Math.ceil(Math.max(a.y, b.y, c.y)))
  const x0 = Math.max(0, Math.floor(Math.min(a.x, b.x, c.x)))
  const x1 = Math.min(w, Math.ceil(Math.max(a.x, b.x, c.x)))
  for (let y = y0; y < y1; y++)
    for (let x = x0; x < x1; x++) {
      const [u, v, t] = [side(a, b, x + 0.5, y + 0.5), side(b, c, x + 0.5, y + 0.5), side(c, a, x + 0.5, y + 0.5)]
      if ((u >= 0 && v >= 0 && t >= 0) || (u <= 0 && v <= 0 && t <= 0)) mask[y * w + x] = 1
    }
}
