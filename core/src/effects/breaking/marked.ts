import { isOutside } from '../../breaking/index.ts'
import { type BrokenFrame, type Convex, type FormPlane, planesOf, type SurfaceMesh } from '../../data/index.ts'
import { dot, type Vec3 } from '../../math/index.ts'
import { LIFT } from '../../set/index.ts'

// What of a mark lies on each piece: it goes with them.

/** A corner of a mark's triangle: its place, and where in the mark's picture. */
interface Corner {
  at: Vec3
  uv: readonly [number, number]
}

/** What of a flat ring lies on the inner side of a plane (Sutherland & Hodgman 1974). */
function clipped(ring: readonly Corner[], { normal, offset }: FormPlane): Corner[] {
  const out: Corner[] = []
  ring.forEach((own, n) => {
    const next = ring[(n + 1) % ring.length] as Corner
    const [a, b] = [dot(normal, own.at) - offset, dot(normal, next.at) - offset]
    if (a <= 0) out.push(own)
    if (a <= 0 === b <= 0) return
    const t = a / (a - b)
    const mixed = (p: number, q: number): number => p + (q - p) * t
    out.push({
      at: [mixed(own.at[0], next.at[0]), mixed(own.at[1], next.at[1]), mixed(own.at[2], next.at[2])],
      uv: [mixed(own.uv[0], next.uv[0]), mixed(own.uv[1], next.uv[1])],
    })
  })
  return out
}

/** The planes within which a mark lies on a body; on its outside it lies a little before it. */
const roomOf = (body: Convex): FormPlane[] =>
  planesOf(body).map(({ normal, offset, beyond }) => ({
    normal,
    offset: isOutside(beyond) ? offset + 3 * LIFT : offset,
  }))

/** A mark's triangles on each piece that it lies on, cut off where the piece ends; all in the space of what broke. */
export function markOnPieces(
  { positions, normals, uvs, indices }: SurfaceMesh,
  pieces: NonNullable<BrokenFrame['pieces']>,
): Map<number, SurfaceMesh> {
  const triangles = Array.from({ length: indices.length / 3 }, (_, t) =>
    [0, 1, 2].map((k): Corner => {
      const n = indices[3 * t + k] as number
      return {
        at: [positions[3 * n] ?? 0, positions[3 * n + 1] ?? 0, positions[3 * n + 2] ?? 0],
        uv: [uvs?.[2 * n] ?? 0, uvs?.[2 * n + 1] ?? 0],
      }
    }),
  )
  const normalOf = (t: number): Vec3 => {
    const n = indices[3 * t] as number
    return [normals?.[3 * n] ?? 0, normals?.[3 * n + 1] ?? 1, normals?.[3 * n + 2] ?? 0]
  }
  const out = new Map<number, SurfaceMesh>()
  pieces.forEach((bodies, piece) => {
    const rooms = bodies.map(roomOf)
    const own: { corners: Corner[]; normal: Vec3 }[] = triangles.flatMap((triangle, t) =>
      rooms.flatMap((room) => {
        const corners = room.reduce<Corner[]>((ring, plane) => (ring.length > 2 ? clipped(ring, plane) : []), triangle)
        return corners.length > 2 ? [{ corners, normal: normalOf(t) }] : []
      }),
    )
    if (own.length === 0) return
    let first = 0
    const fans: number[] = []
    for (const { corners } of own) {
      for (let k = 2; k < corners.length; k++) fans.push(first, first + k - 1, first + k)
      first += corners.length
    }
    const all = own.flatMap(({ corners, normal }) => corners.map((corner) => ({ ...corner, normal })))
    out.set(piece, {
      positions: Float32Array.from(all.flatMap(({ at }) => at)),
      normals: Float32Array.from(all.flatMap(({ normal }) => normal)),
      uvs: Float32Array.from(all.flatMap(({ uv }) => uv)),
      indices: Uint32Array.from(fans),
    })
  })
  return out
}
