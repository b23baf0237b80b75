import { type Camera, type FloatImage, makeImage, pixelRay, scaleCamera } from '../../data/index.ts'
import { normalise, pow } from '../../math/index.ts'
import { AT_HOME, type Drawable, type Relief } from '../../picture/index.ts'
import { type ItemDocument, type SignalInputs, settledAt } from '../../settings/index.ts'
import type { DrawContext, EffectInstance, OtherFrame } from '../effect.ts'
import { channelsOf, normalsOfDistance, onShape, type RenderFrame, readPasses, resizedFrame } from './passes.ts'
import { isRender, RENDER_SETTINGS, type RenderItem, renderFrame } from './schema.ts'

// Others' renders as the picture draws them: pixel by pixel at their own depth, lit by what the shot adds.

/** How a render looks at a frame. */
export interface RenderLook {
  source: OtherFrame
  passes: RenderItem['passes']
  how: Parameters<typeof readPasses>[3]
  /** The item whose shape stands where it is; none where its passes tell. */
  standIn: string
  lit: number
  reflects: number
  wrap: number
  /** Gain of each channel. */
  gain: readonly [number, number, number]
}

/** What a render's picture is read from. */
function sourceOf(item: RenderItem, frame: number): OtherFrame | undefined {
  const own = renderFrame(item, frame)
  const passes = channelsOf(item.passes)
  if (own === undefined || !item.render || item.passes.colour.length < 3) return undefined
  return { asset: item.render.asset, frame: own, encoding: 'linear', curve: 'clip', passes }
}

export function renderInstances(
  document: ItemDocument,
  id: string,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<RenderLook>[] {
  const item = document.items[id]
  if (!isRender(item)) return []
  const source = sourceOf(item, frame)
  if (!source) return []
  const now = settledAt(document, item, item.follows, RENDER_SETTINGS, frame, inputs)
  const { depthWay, unit, premultiplied, standing, normals, tint } = now
  const gain = pow(2, now.exposure)
  const look: RenderLook = {
    source,
    passes: now.passes,
    how: { depthWay, unit, premultiplied, standing, normals },
    // Its own depth or places go before a shape that stands for it.
    standIn: now.passes.depth.length > 0 || now.passes.position.length >= 3 ? '' : now.standIn,
    lit: now.lit,
    reflects: now.reflects / 100,
    wrap: now.wrap,
    gain: [tint[0] * gain, tint[1] * gain, tint[2] * gain],
  }
  return [{ item: id, of: id, frames: [], place: AT_HOME, look }]
}

export function renderClips(document: ItemDocument, id: string, frame: number): OtherFrame[] {
  const item = document.items[id]
  const source = isRender(item) ? sourceOf(item, frame) : undefined
  return source ? [source] : []
}

const read = new WeakMap<FloatImage, { key: string; frame: RenderFrame }>()
/** A frame's passes at the picture's size; kept while the same are asked for. */
function passesAt(look: RenderLook, image: FloatImage, camera: Camera): RenderFrame {
  const { width, height } = camera
  const key = JSON.stringify([look.passes, look.how, camera])
  const known = read.get(image)
  if (known?.key === key) return known.frame
  const whole = readPasses(image, look.passes, scaleCamera(camera, image.width / width), look.how)
  const frame = resizedFrame(whole, width, height)
  read.set(image, { key, frame })
  return frame
}

const SPLAT_FLOATS = 16
/** Less than this of a pixel is nothing. */
const LEAST = 1e-4

/** A render's pixels, each at its own distance. */
function pixelsOf({ width, height, colour, alpha, distance }: RenderFrame, gain: readonly number[]): Float32Array {
  const there: number[] = []
  for (let n = 0; n < width * height; n++) {
    const most = Math.max(alpha[n] ?? 0, colour[3 * n] ?? 0, colour[3 * n + 1] ?? 0, colour[3 * n + 2] ?? 0)
    if (most > LEAST && (distance[n] ?? Infinity) < Infinity) there.push(n)
  }
  const data = new Float32Array(there.length * SPLAT_FLOATS)
  there.forEach((n, k) => {
    const [x, y, z] = [(n % width) + 0.5, Math.floor(n / width) + 0.5, distance[n] ?? 0]
    const [r, g, b] = [0, 1, 2].map((c) => (colour[3 * n + c] ?? 0) * (gain[c] ?? 1))
    data.set([x, y, z, x, y, z, 0, 0, r ?? 0, g ?? 0, b ?? 0, alpha[n] ?? 0, 1, 0, 0, 0], k * SPLAT_FLOATS)
  })
  return data
}

const STRIDE = 2
/** Off a surface by so much other things keep light off it, m. */
const CLEAR = 0.02

/** A render's form, which the shot's lights fall on. */
function formOf(frame: RenderFrame, look: RenderLook, camera: Camera): Relief {
  const { width, height, colour, alpha, distance, albedo } = frame
  const normal = frame.normal ?? normalsOfDistance(frame, camera)
  const [columns, rows] = [Math.floor((width - 1) / STRIDE) + 2, Math.floor((height - 1) / STRIDE) + 2]
  const points = new Float32Array(columns * rows * 8)
  for (let r = 0; r < rows; r++)
    for (let c = 0; c < columns; c++) {
      const [x, y] = [Math.min(width - 1, c * STRIDE), Math.min(height - 1, r * STRIDE)]
      const n = y * width + x
      const own = normal.subarray(3 * n, 3 * n + 3)
      const far = distance[n] ?? Infinity
      if ((alpha[n] ?? 0) <= LEAST || far === Infinity || own.every((part) => part === 0)) continue
      const along = normalise(pixelRay(camera, x + 0.5, y + 0.5).along)
      const place = along.map((part, axis) => (camera.position[axis] ?? 0) + part * far)
      points.set([...place, 1, ...own, CLEAR], 8 * (r * columns + c))
    }
  const reflects = makeImage(width, height, 3)
  for (let n = 0; n < width * height; n++) {
    const there = alpha[n] ?? 0
    const most = Math.max(colour[3 * n] ?? 0, colour[3 * n + 1] ?? 0, colour[3 * n + 2] ?? 0, 1e-6)
    for (let c = 0; c < 3; c++)
      reflects.data[3 * n + c] =
        there > LEAST ? (albedo ? (albedo[3 * n + c] ?? 0) : (look.reflects * (colour[3 * n + c] ?? 0)) / most) : 0
  }
  const mask = makeImage(width, height, 1)
  mask.data.set(alpha)
  return {
    kind: 'relief',
    mask,
    share: mask,
    x: 0,
    y: 0,
    stride: STRIDE,
    columns,
    rows,
    points,
    wrap: look.wrap,
    amount: look.lit,
    shadowed: true,
    reflects,
  }
}

/** What the picture draws of a render; nothing until its frame is there. */
export function drawRender(
  { look }: EffectInstance<RenderLook>,
  _frames: unknown,
  { clip, camera, shape }: Pick<DrawContext, 'clip' | 'camera' | 'shape'>,
): Drawable[] {
  const image = clip?.(look.source)
  if (!image) return []
  const depths = look.standIn ? shape?.(look.standIn) : undefined
  const passes = passesAt(look, image, camera)
  const frame = depths ? onShape(passes, depths, camera) : passes
  const data = pixelsOf(frame, look.gain)
  if (data.length === 0) return []
  return [{ kind: 'splats', data }, ...(look.lit > 0 ? [formOf(frame, look, camera)] : [])]
}
