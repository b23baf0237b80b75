import { aboutAxis, conjugate, fractal3, type Quaternion, rotate, type Vec3 } from '@lantern/core/math'
import { boards, brickWall, cobbles, lookUp, rough, type Texture } from './textures.ts'

/** A textured box of the yard. */
export interface YardBox {
  name: string
  centre: Vec3
  half: Vec3
  turn: number
  texture: Texture
}

export const ARCHES = [
  { at: 2.6, width: 1.3, height: 2.1 },
  { at: 6.1, width: 1.3, height: 2.1 },
  { at: 9.6, width: 1.3, height: 2.1 },
]
/** Front face of the kiln: z = 0, from x = -4 to 9, 4.2 m high. */
export const KILN = { from: -4, to: 9, height: 4.2 }
export const BRAZIER: Vec3 = [4.15, 0.88, 1.9]

export interface Yard {
  boxes: YardBox[]
  ground: Texture
  sky: (direction: Vec3, out: Float64Array) => void
}

export function makeYard(detail: number): Yard {
  const wall = brickWall(KILN.to - KILN.from, KILN.height, 0.004 / detail, ARCHES, 11)
  const stack = brickWall(3.6, 3.6, 0.006 / detail, [], 23)
  const wood = boards(1.4, 0.004 / detail, 31)
  const iron = rough([0.03, 0.028, 0.027], 41)
  const rust = rough([0.09, 0.045, 0.025], 43)
  const shed = rough([0.07, 0.075, 0.08], 47)
  return {
    ground: cobbles(10.8, 0.004 / detail, 5),
    boxes: [
      { name: 'kiln', centre: [2.5, 2.1, -3], half: [6.5, 2.1, 3], turn: 0, texture: wall },
      { name: 'chimney', centre: [-6.4, 6, -2.4], half: [0.75, 6, 0.75], turn: 0, texture: stack },
      { name: 'chimney band', centre: [-6.4, 5.2, -2.4], half: [0.78, 0.06, 0.78], turn: 0, texture: iron },
      { name: 'crate', centre: [0.35, 0.4, 2.6], half: [0.4, 0.4, 0.4], turn: 0.25, texture: wood },
      { name: 'crate', centre: [0.28, 1.1, 2.62], half: [0.32, 0.3, 0.32], turn: -0.2, texture: wood },
      { name: 'crate', centre: [-2.9, 0.45, 1.3], half: [0.5, 0.45, 0.45], turn: -0.15, texture: wood },
      { name: 'crate', centre: [-3.95, 0.4, 1.5], half: [0.4, 0.4, 0.4], turn: 0.4, texture: wood },
      { name: 'lamp post', centre: [-4.7, 1.9, 3.1], half: [0.05, 1.9, 0.05], turn: 0, texture: iron },
      { name: 'lamp head', centre: [-4.7, 3.9, 3.1], half: [0.16, 0.2, 0.16], turn: 0, texture: iron },
      { name: 'brazier', centre: [4.15, 0.44, 1.9], half: [0.26, 0.44, 0.26], turn: 0.4, texture: rust },
      { name: 'shed', centre: [-14, 2, -10], half: [5, 2, 3], turn: 0.2, texture: shed },
      { name: 'far shed', centre: [17, 2.6, -14], half: [6, 2.6, 4], turn: -0.1, texture: shed },
    ],
    sky(direction, out) {
      const up = Math.max(0, direction[1])
      const cloud = 0.85 + 0.3 * fractal3(77, (direction[0] / (up + 0.25)) * 1.6, (direction[2] / (up + 0.25)) * 1.6, 0, 5)
      const warm = Math.exp(-up * 7) * (0.6 + 0.4 * Math.max(0, -direction[0]))
      out[0] = (0.2 + 0.3 * warm) * cloud
      out[1] = (0.25 + 0.17 * warm) * cloud
      out[2] = (0.34 + 0.05 * warm) * cloud
    },
  }
}

/** What a ray meets: linear colour into `out`. Light of the brazier (share of white) is added at the surface. */
export function makeShader(yard: Yard, focalPx: number): (from: Vec3, along: Vec3, brazier: number, extra: readonly YardBox[], lantern: Vec3 | undefined, out: Float64Array) => void {
  const turns = new Map<YardBox, Quaternion>()
  const turnOf = (box: YardBox): Quaternion => {
    let q = turns.get(box)
    if (!q) turns.set(box, (q = aboutAxis([0, 1, 0], box.turn)))
    return q
  }
  return (from, along, brazier, extra, lantern, out) => {
    let best = Infinity
    let hit: YardBox | undefined
    let face = 0
    let local: [number, number, number] = [0, 0, 0]
    let normal: Vec3 = [0, 1, 0]
    if (along[1] < -1e-6) best = -from[1] / along[1]
    const visit = (box: YardBox): void => {
      const q = conjugate(turnOf(box))
      const o = rotate(q, [from[0] - box.centre[0], from[1] - box.centre[1], from[2] - box.centre[2]])
      const d = rotate(q, along)
      let near = -Infinity
      let far = Infinity
      let axis = 0
      for (let a = 0; a < 3; a++) {
        const da = d[a] ?? 0
        const inv = 1 / (Math.abs(da) < 1e-9 ? 1e-9 : da)
        const h = box.half[a] ?? 0
        const t0 = (-h * Math.sign(inv) - (o[a] ?? 0)) * inv
        const t1 = (h * Math.sign(inv) - (o[a] ?? 0)) * inv
        if (t0 > near) {
          near = t0
          axis = a
        }
        far = Math.min(far, t1)
      }
      if (near > 1e-4 && near < far && near < best) {
        best = near
        hit = box
        face = axis
        local = [o[0] + d[0] * near, o[1] + d[1] * near, o[2] + d[2] * near]
        const n: [number, number, number] = [0, 0, 0]
        n[axis] = -Math.sign(d[axis] ?? 1)
        normal = rotate(turnOf(box), n)
      }
    }
    for (const box of yard.boxes) visit(box)
    for (const box of extra) visit(box)
    if (!(best < 400)) {
      yard.sky(along, out)
      return
    }
    const p: Vec3 = [from[0] + along[0] * best, from[1] + along[1] * best, from[2] + along[2] * best]
    const facing = Math.max(0.08, Math.abs(normal[0] * along[0] + normal[1] * along[1] + normal[2] * along[2]))
    const footprint = (best / focalPx) * (hit ? 1 : Math.min(3, 1 / Math.sqrt(facing)))
    let light = 1
    if (!hit) {
      lookUp(yard.ground, p[0] + 100, p[2] + 100, footprint, out)
      // The kiln and the crates take light from the ground beside them.
      if (p[0] > KILN.from - 1 && p[0] < KILN.to) light *= 0.5 + 0.5 * Math.min(1, Math.max(0, p[2]) / 1.2)
      for (const box of [...yard.boxes, ...extra]) {
        if (box.half[0] > 1.5) continue
        const dx = Math.max(0, Math.abs(p[0] - box.centre[0] + 0.12) - box.half[0])
        const dz = Math.max(0, Math.abs(p[2] - box.centre[2]) - box.half[2])
        const rise = Math.max(0, box.centre[1] - box.half[1])
        light *= 1 - 0.62 * Math.exp(-Math.sqrt(dx * dx + dz * dz) / (0.12 + 0.25 * Math.min(box.half[0], 0.5))) * Math.exp(-rise * 4)
      }
      normal = [0, 1, 0]
    } else {
      const u = face === 0 ? local[2] : local[0]
      const v = face === 1 ? local[2] : hit.half[1] - local[1]
      lookUp(hit.texture, u + (hit.name === 'kiln' ? hit.half[0] : 3.6), v, footprint, out)
      light = face === 1 ? 1.25 : 0.5 + 0.28 * normal[2] - 0.22 * normal[0]
      light *= 0.6 + 0.4 * Math.min(1, p[1] / 0.5)
    }
    const haze = 1 - Math.exp(-best / 500)
    const glow = (at: Vec3, power: number): number => {
      const dx = at[0] - p[0]
      const dy = at[1] + 0.25 - p[1]
      const dz = at[2] - p[2]
      const r2 = dx * dx + dy * dy + dz * dz
      const cosine = Math.max(0, (dx * normal[0] + dy * normal[1] + dz * normal[2]) / Math.sqrt(r2))
      return (power * cosine) / (r2 + 0.05)
    }
    const warm = hit?.name === 'brazier' ? 0.1 * brazier : glow(BRAZIER, brazier)
    const carried = lantern ? glow(lantern, 0.5) : 0
    const gains = [1 + 1.9 * warm, 1 + 0.85 * warm, 1 + 0.28 * warm]
    for (let c = 0; c < 3; c++) {
      const sky = [0.3, 0.3, 0.33][c] ?? 0
      const lamp = [2.1, 1.4, 0.7][c] ?? 0
      out[c] = (out[c] ?? 0) * (light + ((gains[c] ?? 1) - 1) + carried * lamp) * (1 - haze) + sky * haze
    }
  }
}
