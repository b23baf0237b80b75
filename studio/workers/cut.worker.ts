import { LanternError } from '@lantern/core/base'
import { boundsOfBodies, cutBody, cutMesh, isOutside, LAID_OPEN, type Piece } from '@lantern/core/breaking'
import { planesOf, type SurfaceMesh } from '@lantern/core/data'
import type { BreakSettings } from '@lantern/core/effects/breaking'
import { cross, normalise, subtract, type Vec3 } from '@lantern/core/math'
import { fetchedBreakMesh } from './fetched.ts'

// Where something will break: the outlines of its pieces on its outside, worked out beside the page.

export interface CutRequest extends Pick<BreakSettings, 'parts' | 'mesh' | 'cut'> {
  id: number
  /** The shot, whose meshes it asks for, and what is cut. */
  shot: string
  item: string
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

/** Edges of a mesh's piece between its outside and what the cut laid open. */
function rimOf({ positions, indices, parts }: SurfaceMesh): number[] {
  const at = (n: number): Vec3 => {
    const k = 3 * (indices[n] as number)
    return [positions[k] as number, positions[k + 1] as number, positions[k + 2] as number]
  }
  const each = (open: boolean, take: (a: Vec3, b: Vec3, normal: () => Vec3) => void): void => {
    for (let t = 0; t < indices.length / 3; t++) {
      if ((parts?.[t] === LAID_OPEN) !== open) continue
      const [a, b, c] = [at(3 * t), at(3 * t + 1), at(3 * t + 2)]
      const normal = (): Vec3 => normalise(cross(subtract(b, a), subtract(c, a)))
      take(a, b, normal)
      take(b, c, normal)
      take(c, a, normal)
    }
  }
  const laid = new Set<string>()
  each(true, (a, b) => laid.add(`${b.join()}/${a.join()}`))
  const lines: number[] = []
  each(false, (a, b, normal) => {
    if (laid.has(`${a.join()}/${b.join()}`)) lines.push(...a, ...b, ...normal())
  })
  return lines
}

/** The newest wish for each item: older ones are passed over. */
const newest = new Map<string, number>()
const nextTurn = (): Promise<void> => new Promise((resolve) => setTimeout(resolve))

async function cut(request: CutRequest): Promise<CutReply | undefined> {
  const { id, item, parts, cut: settings } = request
  newest.set(item, id)
  await nextTurn()
  if (newest.get(item) !== id) return undefined
  const source = await fetchedBreakMesh(request.shot, request)
  if (newest.get(item) !== id) return undefined
  const pieces = source ? (await cutMesh(source, settings)).pieces : cutBody(parts, settings)
  const volumes = pieces.map(({ volume }) => volume)
  return {
    id,
    lines: Float32Array.from(pieces.flatMap((piece) => (piece.mesh ? rimOf(piece.mesh) : outlineOf(piece)))),
    pieces: pieces.length,
    volumes: [Math.min(...volumes), Math.max(...volumes)],
    ...boundsOfBodies(parts),
  }
}

self.onmessage = ({ data }: MessageEvent<CutRequest>) => {
  cut(data).then(
    (reply) => reply && self.postMessage(reply, { transfer: [reply.lines.buffer] }),
    (error: unknown) => {
      const said = error instanceof LanternError ? `${error.message} ${error.remedy}` : 'It can’t be cut.'
      self.postMessage({
        id: data.id,
        lines: new Float32Array(),
        pieces: 0,
        volumes: [0, 0],
        low: [],
        high: [],
        error: said,
      } satisfies CutReply)
    },
  )
}
