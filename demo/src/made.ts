import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fromHalf, toHalf } from '@lantern/core/data'

// What is made on the way is kept beside, so that a run that was stopped goes on, and lens and sensor can be redone alone.

/** Digest of source files (under the project's root, folders taken whole) and settings: what a kept thing hangs on. */
export function keyOf(sources: readonly string[], settings: unknown): string {
  const hash = createHash('sha256').update(JSON.stringify(settings))
  for (const source of sources) {
    const names = source.endsWith('.ts')
      ? [source]
      : readdirSync(source)
          .filter((name) => name.endsWith('.ts') && !name.endsWith('.test.ts'))
          .sort()
          .map((name) => join(source, name))
    if (!names.every((name) => existsSync(name)))
      throw new Error(`run this from the project's root: ${source} is not here`)
    for (const name of names) hash.update(readFileSync(name))
  }
  return hash.digest('hex').slice(0, 16)
}

/** Writes whole or not at all. */
export function keep(path: string, bytes: Uint8Array | string): void {
  mkdirSync(dirname(path), { recursive: true })
  writeFileSync(`${path}.part`, bytes)
  renameSync(`${path}.part`, path)
}

const HALVES = Uint16Array.from({ length: 65536 }, (_, n) => n)
let table: Float32Array | undefined
const halves = (): Float32Array => (table ??= Float32Array.from(HALVES, (n) => fromHalf(n)))

/** Floats as halves, after a line of JSON. */
export function keepFloats(path: string, head: object, values: Float32Array): void {
  const line = Buffer.from(`${JSON.stringify(head)}\n`)
  const body = new Uint16Array(values.length)
  for (let n = 0; n < body.length; n++) body[n] = toHalf(values[n] ?? 0)
  keep(path, Buffer.concat([line, Buffer.from(body.buffer)]))
}

/** What was kept by keepFloats, r g b in rows, into three planes, each value times a gain. */
export function readPlanes(
  path: string,
  [r, g, b]: readonly [Float32Array, Float32Array, Float32Array],
  gain: number,
): void {
  const bytes = readFileSync(path)
  const end = bytes.indexOf(10)
  const body = new Uint16Array(bytes.buffer.slice(bytes.byteOffset + end + 1, bytes.byteOffset + bytes.length))
  const lookUp = halves().map((v) => v * gain)
  for (let n = 0, k = 0; n < r.length; n++, k += 3) {
    r[n] = lookUp[body[k] as number] as number
    g[n] = lookUp[body[k + 1] as number] as number
    b[n] = lookUp[body[k + 2] as number] as number
  }
}

export function readFloats<T extends object>(path: string): { head: T; values: Float32Array } {
  const bytes = readFileSync(path)
  const end = bytes.indexOf(10)
  const body = new Uint16Array(bytes.buffer.slice(bytes.byteOffset + end + 1, bytes.byteOffset + bytes.length))
  const lookUp = halves()
  const values = new Float32Array(body.length)
  for (let n = 0; n < body.length; n++) values[n] = lookUp[body[n] ?? 0] ?? 0
  return { head: JSON.parse(bytes.subarray(0, end).toString()) as T, values }
}
