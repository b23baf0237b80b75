import { grown, labelBounds } from './area.ts'
import type { Colours } from './cut.ts'
import { LAB_STEPS, type LabPicture } from './lab.ts'
import { fitMixture } from './mixture.ts'
import type { StrokeMasks } from './strokes.ts'

const SEED = 7
/** Px around labels in which colours of what is outside are taken. */
const AROUND = 40
/** One of so many pixels is taken, spread evenly. */
const EVERY = 7

/** A keyed frame as colours are taken from it. */
export interface KeyedFrame {
  picture: LabPicture
  labels: Uint8Array | undefined
  strokes: StrokeMasks | undefined
}

/** Colours inside and outside: from labels where a frame has them, else from its strokes. */
export function fitColours(frames: readonly KeyedFrame[], width: number, height: number): Colours {
  const inside: number[] = []
  const outside: number[] = []
  for (const { picture, labels, strokes } of frames) {
    const take = (to: number[], n: number): void => {
      for (let c = 0; c < 3; c++) to.push((picture.data[3 * n + c] as number) / LAB_STEPS)
    }
    const box = labels && labelBounds(labels, width, height)
    if (labels && box) {
      const around = grown(box, AROUND, width, height)
      for (let y = around.y0; y < around.y1; y++)
        for (let x = around.x0 + ((y * 3) % EVERY); x < around.x1; x += EVERY) {
          const n = y * width + x
          take(labels[n] ? inside : outside, n)
        }
    } else if (strokes)
      for (let n = 0; n < width * height; n++) {
        if (strokes.inside[n]) take(inside, n)
        if (strokes.outside[n]) take(outside, n)
      }
  }
  return {
    inside: fitMixture(Float32Array.from(inside), SEED),
    outside: fitMixture(Float32Array.from(outside), SEED + 1),
  }
}
