import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { createDeflate, createInflate, deflateSync, inflateSync } from 'node:zlib'
import type { Deflate } from '@lantern/core/formats'

const LEVEL = 3
/** Bytes that are handed over at a time. */
const PIECE = 1 << 22
const CHUNK = 1 << 20

/** Node's zlib behind core's seam. */
export const nodeDeflate: Deflate = {
  deflate: (bytes) => deflateSync(bytes, { level: LEVEL }),
  // zlib takes no limit of no bytes.
  inflate: (bytes, most) =>
    most === 0 ? new Uint8Array() : inflateSync(bytes, most === undefined ? {} : { maxOutputLength: most }),
}

function* piecesOf(parts: readonly Uint8Array[]): Generator<Uint8Array> {
  for (const part of parts) for (let at = 0; at < part.length; at += PIECE) yield part.subarray(at, at + PIECE)
}

/** One stream of all parts, made beside the process's other work: they may come to more than a gigabyte. */
export async function deflateParts(parts: readonly Uint8Array[]): Promise<Uint8Array> {
  const made: Uint8Array[] = []
  await pipeline(
    Readable.from(piecesOf(parts)),
    createDeflate({ level: LEVEL, chunkSize: CHUNK }),
    async (source: AsyncIterable<Uint8Array>) => {
      for await (const chunk of source) made.push(chunk)
    },
  )
  return Buffer.concat(made)
}

/** Fills the parts, one after the other, from such a stream; throws an Error where it holds more or less than they do. */
export async function inflateParts(bytes: Uint8Array, parts: readonly Uint8Array[]): Promise<void> {
  const wanted = parts.reduce((sum, part) => sum + part.length, 0)
  let [part, at, total] = [0, 0, 0]
  await pipeline(
    Readable.from(piecesOf([bytes])),
    createInflate({ chunkSize: CHUNK }),
    async (source: AsyncIterable<Uint8Array>) => {
      for await (const chunk of source) {
        total += chunk.length
        if (total > wanted) throw new Error(`it holds more than ${wanted} bytes`)
        for (let from = 0; from < chunk.length; ) {
          const target = parts[part]
          if (!target) break
          const take = Math.min(chunk.length - from, target.length - at)
          target.set(chunk.subarray(from, from + take), at)
          from += take
          at += take
          if (at === target.length) [part, at] = [part + 1, 0]
        }
      }
    },
  )
  if (total < wanted) throw new Error(`it holds ${total} bytes, not ${wanted}`)
}
