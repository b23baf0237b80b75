import type { Crew } from '../../core/src/base/index.ts'
import { type Camera, makeImage } from '../../core/src/data/index.ts'
import { FINAL, renderPicture, type SceneMatte } from '../../core/src/picture/index.ts'
import { smokeBlock } from '../../core/testing/frames.ts'
import { atMost, type Row } from './row.ts'

// A filmed figure 6 m away, between smoke at 5 m and at 7 m.

const [W, H] = [96, 72]
const camera: Camera = {
  position: [0, 1, 0],
  rotation: [0, 0, 0, 1],
  focalPx: 180,
  centre: [W / 2, H / 2],
  k1: 0,
  k2: 0,
  width: W,
  height: H,
}
const light = { sunDirection: [0, 1, 0], sunShare: 0, sunColour: [1, 1, 1], skyColour: [1, 1, 1] } as const

/** What it covers: all of the left half, none of the right, a rim of 8 px between. */
function figure(): SceneMatte {
  const image = makeImage(W, H, 1)
  image.data.forEach((_, n) => (image.data[n] = Math.min(1, Math.max(0, (W / 2 + 4 - (n % W)) / 8))))
  return { image, distance: 6 }
}
/** Alphas of the near and the far smoke, over the whole picture. */
function alphas(crew: Crew, mattes: readonly SceneMatte[]): [Float32Array, Float32Array] {
  const layers = [5, 7].map((z) => ({ id: String(z), drawables: [smokeBlock(z, 1)] }))
  const picture = renderPicture(crew, { pieces: [], layers, camera, light, quality: FINAL, mattes })
  const whole = (id: string): Float32Array => {
    const out = new Float32Array(W * H)
    const layer = picture.layers.find((one) => one.id === id)
    layer?.alpha?.data.forEach((share, n) => {
      out[(layer.y + Math.floor(n / layer.width)) * W + layer.x + (n % layer.width)] = share
    })
    return out
  }
  return [whole('5'), whole('7')]
}

/** Rows of validation of a figure between gases. */
export function betweenRows(crew: Crew): Row[] {
  const matte = figure()
  const [free, held] = [alphas(crew, []), alphas(crew, [matte])]
  const most = free[1].reduce((a, b) => Math.max(a, b))
  let [near, far, rim] = [0, 0, 0]
  matte.image.data.forEach((share, n) => {
    const [over, under] = [free[0][n] as number, free[1][n] as number]
    near = Math.max(near, Math.abs((held[0][n] as number) - over))
    if (share === 1) far = Math.max(far, held[1][n] as number)
    else rim = Math.max(rim, Math.abs((held[1][n] as number) - (1 - share) * under) / most)
  })
  const what = 'figure 6 m away'
  return [
    atMost(`${what}: what it changes of smoke at 5 m`, 'the same without it', 0.005, near),
    atMost(`${what}: what is left before it of smoke at 7 m`, 'none', 0.005, far),
    atMost(`${what}: fringe at its rim, share of the smoke at its thickest`, 'its share there', 0.02, rim),
  ]
}
