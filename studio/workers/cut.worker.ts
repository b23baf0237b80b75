import { boundsOfBodies, type CutSettings, cutBody, isOutside, type Piece } from '@lantern/core/breaking'
import { type Convex, planesOf } from '@lantern/core/data'
import type { Vec3 } from '@lantern/core/math'

// Where something will break: the outlines of its pieces on its outside, worked out beside the page.

export interface CutRequest {
  id: number
  parts: readonly Convex[]
  cut: CutSettings
}
export interface CutReply {
  id: number
  /** Nine numbers a line: from, to, and the outward direction of its face; in the body's own space, m. */
  lines: Float32Array
  pieces: number
  /** Smallest and largest volume of a piece, m^3. */
  volumes: [number, number]
  /** Bounds of the whole. */
  low: readonly number[]
  high: readonly number[]
  error?: string
}

/** Edges of a piece on the body's outside; those between its own parts are none. */
function outlineOf({ bodies }: Piece): number[] {
  const edges = new Map<string, number[]>()
  const keyOf = (at: Vec3): string => at.map((value) => Math.round(value * 1e5)).join()
  for (const body of bodies)
    planesOf(body).forEach(({ normal, beyond }, n) => {
      const face = body.faces[n]
      if (!face || !isOutside(beyond)) return
      face.ring.forEach((from, k) => {
        const [a, b] = [body.corners[from], body.corners[face.ring[(k + 1) % face.ring.length] as number]]
        if (!a || !b) return
        const key = `${[keyOf(a), keyOf(b)].sort().join()}/${keyOf(normal)}`
        if (!edges.delete(key)) edges.set(key, [...a, ...b, ...normal])
      })
    })
  return [...edges.values()].flat()
}

self.onmessage = ({ data: { id, parts, cut } }: MessageEvent<CutRequest>) => {
  try {
    const pieces = cutBody(parts, cut)
    const lines = pieces.flatMap(outlineOf)
    const volumes = pieces.map(({ volume }) => volume)
    const { low, high } = boundsOfBodies(parts)
    const reply: CutReply = {
      id,
      lines: Float32Array.from(lines),
      pieces: pieces.length,
      volumes: [Math.min(...volumes), Math.max(...volumes)],
      low,
      high,
    }
    self.postMessage(reply, { transfer: [reply.lines.buffer] })
  } catch (error) {
    const text = error instanceof Error ? error.message : 'It can’t be cut.'
    self.postMessage({ id, lines: new Float32Array(), pieces: 0, volumes: [0, 0], low: [], high: [], error: text })
  }
}
