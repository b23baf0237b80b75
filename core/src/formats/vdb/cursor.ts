import { LanternError } from '../../base/index.ts'

const MOST_TEXT = 1 << 20
const DAMAGED = 'Write it again with another program, or bring the whole file.'

/** Notes of a file or grid, by name. */
export type VdbNotes = Record<string, string | number | boolean>

/** Reads the parts of an OpenVDB file one after another. Throws LanternError 'vdb' where the bytes end or lie. */
export class VdbCursor {
  readonly #view: DataView
  at = 0

  constructor(
    readonly bytes: Uint8Array,
    readonly file: string,
  ) {
    this.#view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  }

  broken(what: string, remedy = DAMAGED): LanternError {
    return new LanternError('vdb', `${this.file} ${what}`, remedy, { file: this.file })
  }
  /** Goes on by so many bytes and returns where they begin. */
  need(count: number): number {
    if (!(count >= 0) || this.at + count > this.bytes.length) throw this.broken('ends too early, or is damaged')
    const here = this.at
    this.at += count
    return here
  }
  take(count: number): Uint8Array {
    const from = this.need(count)
    return this.bytes.subarray(from, from + count)
  }
  byte(): number {
    return this.#view.getInt8(this.need(1))
  }
  word(): number {
    return this.#view.getInt32(this.need(4), true)
  }
  long(): number {
    return Number(this.#view.getBigInt64(this.need(8), true))
  }
  float(): number {
    return this.#view.getFloat32(this.need(4), true)
  }
  double(): number {
    return this.#view.getFloat64(this.need(8), true)
  }
  /** A count that is within reason. */
  counted(most: number, what: string): number {
    const count = this.word()
    if (count < 0 || count > most) throw this.broken(`says it has ${count} ${what}`)
    return count
  }
  text(): string {
    return new TextDecoder().decode(this.take(this.counted(MOST_TEXT, 'letters in a name')))
  }
  notes(): VdbNotes {
    const out: VdbNotes = {}
    for (let n = this.counted(10_000, 'notes'); n > 0; n--) {
      const name = this.text()
      const type = this.text()
      const size = this.counted(1 << 26, 'bytes in a note')
      const value = this.#note(type, this.need(size), size)
      if (value !== undefined) out[name] = value
    }
    return out
  }
  #note(type: string, at: number, size: number): VdbNotes[string] | undefined {
    const view = this.#view
    if (type === 'string') return new TextDecoder().decode(this.bytes.subarray(at, at + size))
    if (type === 'bool' && size === 1) return this.bytes[at] !== 0
    if (type === 'float' && size === 4) return view.getFloat32(at, true)
    if (type === 'double' && size === 8) return view.getFloat64(at, true)
    if (type === 'int32' && size === 4) return view.getInt32(at, true)
    if (type === 'int64' && size === 8) return Number(view.getBigInt64(at, true))
    return undefined
  }
  /** A grid's transform, index to world, row vectors. */
  transform(): number[] {
    const type = this.text()
    const three = (): [number, number, number] => [this.double(), this.double(), this.double()]
    let m: number[]
    if (type === 'UniformScaleTranslateMap' || type === 'ScaleTranslateMap') {
      const shift = three()
      m = scaledAndShifted(three(), shift)
      this.need(4 * 24)
    } else if (type === 'UniformScaleMap' || type === 'ScaleMap') {
      m = scaledAndShifted(three(), [0, 0, 0])
      this.need(4 * 24)
    } else if (type === 'TranslationMap') m = scaledAndShifted([1, 1, 1], three())
    else if (type === 'AffineMap' || type === 'UnitaryMap') m = Array.from({ length: 16 }, () => this.double())
    else
      throw this.broken(`lies in the world by a ${type}, which is not read here`, 'Write it with a linear transform.')
    if (!m.every(Number.isFinite)) throw this.broken('has a transform that is no number')
    return m
  }
}

type Triple = readonly [number, number, number]
const scaledAndShifted = ([x, y, z]: Triple, [a, b, c]: Triple): number[] => [
  x,
  0,
  0,
  0,
  0,
  y,
  0,
  0,
  0,
  0,
  z,
  0,
  a,
  b,
  c,
  1,
]
