// OpenEXR 2 single-part scan-line files ("OpenEXR File Layout", openexr.com).
export const MAGIC = 20000630
export const VERSION = 2
export const COMPRESSION = { none: 0, rle: 1, zips: 2, zip: 3, piz: 4 } as const
export const LINES_PER_BLOCK: Readonly<Record<number, number>> = { 0: 1, 2: 1, 3: 16 }
export type PixelType = 'uint' | 'half' | 'float'
export const PIXEL_TYPES: readonly PixelType[] = ['uint', 'half', 'float']
export const bytesOf = (type: PixelType): number => (type === 'half' ? 2 : 4)

/** One channel: "name" or "layer.name", its values row-major. */
export interface ExrChannel {
  name: string
  type: PixelType
  data: Float32Array
}

export interface ExrImage {
  width: number
  height: number
  channels: ExrChannel[]
  /** Text attributes of the header. */
  attributes: Record<string, string>
}

/** Bytes of a block rearranged before deflating: even bytes then odd ones, each the difference to the one before (ImfZip). */
export function predict(bytes: Uint8Array): Uint8Array {
  const half = (bytes.length + 1) >> 1
  const out = new Uint8Array(bytes.length)
  for (let n = 0; n < bytes.length; n++) out[n & 1 ? half + (n >> 1) : n >> 1] = bytes[n] ?? 0
  for (let n = out.length - 1; n > 0; n--) out[n] = (out[n] ?? 0) - (out[n - 1] ?? 0) + 128
  return out
}

export function unpredict(bytes: Uint8Array): Uint8Array<ArrayBuffer> {
  const half = (bytes.length + 1) >> 1
  const out = new Uint8Array(bytes.length)
  let sum = 128
  for (let n = 0, to = 0; n < bytes.length; n++, to += 2) {
    if (n === half) to = 1
    sum = (sum + (bytes[n] ?? 0) - 128) & 255
    out[to] = sum
  }
  return out
}
