import type { Crew } from '@lantern/core/base'
import { type Recipe, recipeKey } from '@lantern/core/base'
import type { Motion } from '@lantern/core/data'
import type { PlateReader } from '@lantern/core/effects'
import { denseMotion, type MotionPicture, motionPicture } from '@lantern/core/motion'
import { VERSIONS } from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import { assetFrame, ensureResult, getBlob, insertFrame, keptFrame, putBlob, type Store } from '@lantern/store'
import { nodeDeflate } from './deflate.ts'
import { plateLinear } from './plateFrames.ts'

// Dense motion of a plate is kept, one file a pair of frames: i32 width, i32 height of the grid, then one zlib stream of the motion on and back, u and v in 1/64 px (i16), little-endian.
const STEPS = 64
const MOST = 32767

const packed = ({ u, v }: Motion): Int16Array =>
  Int16Array.from({ length: u.length + v.length }, (_, n) => {
    const value = (n < u.length ? u[n] : v[n - u.length]) as number
    return Math.max(-MOST, Math.min(MOST, Math.round(value * STEPS)))
  })

export function writeMotion({ to, back }: { to: Motion; back: Motion }): Uint8Array {
  const body = new Uint8Array(8 * to.u.length)
  for (const [n, one] of [to, back].entries()) body.set(new Uint8Array(packed(one).buffer), n * 4 * to.u.length)
  const squeezed = nodeDeflate.deflate(body)
  const out = new Uint8Array(8 + squeezed.length)
  new DataView(out.buffer).setInt32(0, to.width, true)
  new DataView(out.buffer).setInt32(4, to.height, true)
  out.set(squeezed, 8)
  return out
}

export function readMotion(bytes: Uint8Array): { to: Motion; back: Motion } {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const [width, height] = [view.getInt32(0, true), view.getInt32(4, true)]
  const size = width * height
  const body = nodeDeflate.inflate(bytes.subarray(8), 8 * size).slice()
  const codes = new Int16Array(body.buffer)
  const part = (n: number): Float32Array => {
    const out = new Float32Array(size)
    for (let k = 0; k < size; k++) out[k] = (codes[n * size + k] as number) / STEPS
    return out
  }
  return { to: { width, height, u: part(0), v: part(1) }, back: { width, height, u: part(2), v: part(3) } }
}

/** The recipe of a plate's motion at a size. */
const motionRecipe = ({ asset, encoding }: ShotDocument['plate'], size: string): Recipe => ({
  kind: 'motion',
  version: VERSIONS.motion,
  settings: { asset, encoding, size },
  inputs: [],
})

/** A shot's plate as mattes and motion read it. Motion that is kept is read, other is found and kept. */
export function plateReader(
  store: Store,
  crew: Crew,
  { id, document }: { id: number; document: Pick<ShotDocument, 'plate'> },
  size: 'full' | 'half' | 'quarter',
): PlateReader {
  const { plate } = document
  const divide = { full: 1, half: 2, quarter: 4 }[size]
  const [width, height] = [plate.width, plate.height].map((n) => Math.max(1, Math.round(n / divide))) as [
    number,
    number,
  ]
  const key = recipeKey(motionRecipe(plate, size))
  const frame = async (n: number): Promise<Float32Array> =>
    (await plateLinear(await getBlob(store, await assetFrame(store, plate.asset, n, size)), plate.encoding)).data
  let last: { n: number; made: MotionPicture } | undefined
  const picture = async (n: number): Promise<MotionPicture> =>
    last?.n === n ? last.made : motionPicture(crew, await frame(n), width, height)
  let row: Promise<void> | undefined
  const motion = async (n: number): Promise<{ to: Motion; back: Motion }> => {
    const kept = await keptFrame(store, key, n)
    if (kept) return readMotion(await getBlob(store, kept.blob))
    const begun = performance.now()
    const first = await picture(n)
    const second = await motionPicture(crew, await frame(n + 1), width, height)
    last = { n: n + 1, made: second }
    const bytes = writeMotion(denseMotion(crew, first, second))
    row ??= ensureResult(store, {
      key,
      kind: 'motion',
      settings: motionRecipe(plate, size).settings as object,
      shot: id,
      item: null,
      first: plate.first,
      last: plate.last,
    })
    await row
    const seconds = (performance.now() - begun) / 1000
    const blob = await putBlob(store, bytes, 'application/octet-stream')
    await insertFrame(store, { key, frame: n, blob, figures: { seconds } }, undefined, seconds)
    // As it is kept, so that what is found and what is read are the same.
    return readMotion(bytes)
  }
  return { width, height, frame, motion }
}
