import type { Vec3 } from '../../math/index.ts'
import { heightOf } from '../../particles/index.ts'
import type { DrawContext } from '../effect.ts'
import type { ParticleLook } from './instances.ts'
import type { Point } from './splatWriter.ts'

// Soft shadow and contact of particles on level ground and tops of boxes: each darkens what lies below it, as wide as the sun makes it there.

/** Tangent of half the sun's angle. */
const SUN_DISC = 0.00465
/** A sun so low that shadows have no end. */
const LOWEST_SUN = 0.05
/** m above the surface at which a shade is drawn, so that it does not lie in it. */
const LIFTED = 0.002
/** Times a particle's breadth within which it keeps light of the sky off, and by how much, where it lies on the surface. */
const CONTACT = { wide: 1.7, share: 0.35 } as const
/** Diameters above the surface from which nothing of its contact is left. */
const CONTACT_REACH = 2
/** Diameters by which a shadow may be softened before it is left out: nothing of it can be seen. */
const SOFTEST = 4
const STILL: Vec3 = [0, 0, 0]

/** Adds what a particle darkens: where it is, how wide, m, and the share of it that is left. */
export type Shade = (at: Vec3, diameter: number, share: number) => void

/** How particles of a look darken what is below them; undefined where they don't. */
export function shadeOf(
  look: ParticleLook,
  { camera, sun }: DrawContext,
  add: (point: Point) => void,
): Shade | undefined {
  if (look.shadow <= 0 || look.tops.length === 0 || !look.over) return undefined
  const heightAt = heightOf(look.tops)
  const seenShare = (x: number, y: number, z: number): number => {
    const way = [x - camera.position[0], y - camera.position[1], z - camera.position[2]] as const
    const length = Math.sqrt(way[0] * way[0] + way[1] * way[1] + way[2] * way[2])
    return length > 0 ? Math.max(0, -way[1]) / length : 0
  }
  const put = (x: number, y: number, z: number, diameter: number, share: number, wider: number): void =>
    add({
      at: [x, y + LIFTED, z],
      velocity: STILL,
      diameter,
      share: share * look.shadow * seenShare(x, y, z),
      shades: true,
      wider,
    })
  return ([x, y, z], diameter, share) => {
    const under = heightAt(x, z, y + diameter)
    if (under !== undefined) {
      const gap = Math.max(0, y - under - diameter / 2) / diameter
      const contact = CONTACT.share * Math.max(0, 1 - gap / CONTACT_REACH)
      if (contact > 0) put(x, under, z, CONTACT.wide * diameter, share * contact, 0)
    }
    if (!sun || sun.share <= 0 || sun.direction[1] < LOWEST_SUN) return
    // Where the sun's ray through it meets the highest surface that is below it there.
    const { direction } = sun
    const guess = under ?? heightAt(x, z)
    if (guess === undefined) return
    const along = (height: number): number => (y - height) / direction[1]
    const t = along(guess)
    const [sx, sz] = [x - t * direction[0], z - t * direction[2]]
    const there = heightAt(sx, sz, y)
    if (there === undefined) return
    const own = along(there)
    const far = Math.max(0, own)
    if (far * SUN_DISC > SOFTEST * diameter) return
    put(x - own * direction[0], there, z - own * direction[2], diameter, share * sun.share, far * SUN_DISC)
  }
}
