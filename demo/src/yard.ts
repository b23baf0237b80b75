import { fractal3, type Vec3 } from '@lantern/core/math'
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

interface Placed {
  box: YardBox
  cos: number
  sin: number
}

const place = (box: YardBox): Placed => ({ box, cos: Math.cos(box.turn), sin: Math.sin(box.turn) })

/** What rays from one place meet: linear colour into `out`. brazier, lantern: their light as share of white at 1 m. */
export function makeShader(yard: Yard, focalPx: number) {
  const fixed = yard.boxes.map(place)
  return (from: Vec3, brazier: number, extra: readonly YardBox[], lantern: Vec3 | undefined) => {
    const all = [...fixed, ...extra.map(place)]
    // The ray's start in each box's own axes, once for all rays.
    const starts = all.map(({ box, cos, sin }) => {
      const [dx, dz] = [from[0] - box.centre[0], from[2] - box.centre[2]]
      return [cos * dx - sin * dz, from[1] - box.centre[1], sin * dx + cos * dz] as const
    })
    return (ax: number, ay: number, az: number, out: Float64Array): void => {
      let best = ay < -1e-6 ? -from[1] / ay : Infinity
      let hit: Placed | undefined
      let face = 1
      let [lx, ly, lz] = [0, 0, 0]
      for (let n = 0; n < all.length; n++) {
        const placed = all[n] as Placed
        const start = starts[n] as readonly [number, number, number]
        const { half } = placed.box
        const dx = placed.cos * ax - placed.sin * az
        const dz = placed.sin * ax + placed.cos * az
        const ix = 1 / (dx === 0 ? 1e-12 : dx)
        const iy = 1 / (ay === 0 ? 1e-12 : ay)
        const iz = 1 / (dz === 0 ? 1e-12 : dz)
        const x0 = (-half[0] * (ix < 0 ? -1 : 1) - start[0]) * ix
        const x1 = (half[0] * (ix < 0 ? -1 : 1) - start[0]) * ix
        const y0 = (-half[1] * (iy < 0 ? -1 : 1) - start[1]) * iy
        const y1 = (half[1] * (iy < 0 ? -1 : 1) - start[1]) * iy
        const z0 = (-half[2] * (iz < 0 ? -1 : 1) - start[2]) * iz
        const z1 = (half[2] * (iz < 0 ? -1 : 1) - start[2]) * iz
        const near = x0 > y0 ? (x0 > z0 ? x0 : z0) : y0 > z0 ? y0 : z0
        const far = x1 < y1 ? (x1 < z1 ? x1 : z1) : y1 < z1 ? y1 : z1
        if (near > 1e-4 && near < far && near < best) {
          best = near
          hit = placed
          face = near === x0 ? 0 : near === y0 ? 1 : 2
          lx = start[0] + dx * near
          ly = start[1] + ay * near
          lz = start[2] + dz * near
        }
      }
      if (!(best < 400)) {
        yard.sky([ax, ay, az], out)
        return
      }
      const px = from[0] + ax * best
      const py = from[1] + ay * best
      const pz = from[2] + az * best
      let [nx, ny, nz] = [0, 1, 0]
      let light = 1
      if (!hit) {
        lookUp(yard.ground, px + 100, pz + 100, (best / focalPx) * Math.min(3, 1 / Math.sqrt(Math.max(0.08, -ay))), out)
        // The kiln and the crates take light from the ground beside them.
        if (px > KILN.from - 1 && px < KILN.to) light *= 0.5 + 0.5 * Math.min(1, Math.max(0, pz) / 1.2)
        for (const { box } of all) {
          if (box.half[0] > 1.5) continue
          const dx = Math.max(0, Math.abs(px - box.centre[0] + 0.12) - box.half[0])
          const dz = Math.max(0, Math.abs(pz - box.centre[2]) - box.half[2])
          if (dx + dz > 1.6) continue
          const rise = Math.max(0, box.centre[1] - box.half[1])
          light *= 1 - 0.62 * Math.exp(-Math.sqrt(dx * dx + dz * dz) / (0.12 + 0.25 * Math.min(box.half[0], 0.5))) * Math.exp(-rise * 4)
        }
      } else {
        const { box, cos, sin } = hit
        const side = face === 0 ? Math.sign(lx) : face === 1 ? Math.sign(ly) : Math.sign(lz)
        nx = face === 0 ? cos * side : face === 2 ? sin * side : 0
        ny = face === 1 ? side : 0
        nz = face === 0 ? -sin * side : face === 2 ? cos * side : 0
        lookUp(box.texture, (face === 0 ? lz : lx) + (box.name === 'kiln' ? box.half[0] : 3.6), face === 1 ? lz : box.half[1] - ly, best / focalPx, out)
        light = face === 1 ? 1.25 : 0.5 + 0.28 * nz - 0.22 * nx
        light *= 0.6 + 0.4 * Math.min(1, py / 0.5)
      }
      const haze = 1 - Math.exp(-best / 500)
      const glow = (at: Vec3, power: number): number => {
        const dx = at[0] - px
        const dy = at[1] + 0.25 - py
        const dz = at[2] - pz
        const r2 = dx * dx + dy * dy + dz * dz
        return (power * Math.max(0, dx * nx + dy * ny + dz * nz)) / Math.sqrt(r2) / (r2 + 0.05)
      }
      const warm = hit?.box.name === 'brazier' ? 0.1 * brazier : glow(BRAZIER, brazier)
      const carried = lantern ? glow(lantern, 0.5) : 0
      out[0] = (out[0] ?? 0) * (light + 1.9 * warm + 2.1 * carried) * (1 - haze) + 0.3 * haze
      out[1] = (out[1] ?? 0) * (light + 0.85 * warm + 1.4 * carried) * (1 - haze) + 0.3 * haze
      out[2] = (out[2] ?? 0) * (light + 0.28 * warm + 0.7 * carried) * (1 - haze) + 0.33 * haze
    }
  }
}
