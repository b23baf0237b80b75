import { type BrokenFrame, type FloatImage, type Material, PLAIN, planesOf, projectPoint } from '../../data/index.ts'
import { add, rotate, scale, subtract, type Vec3 } from '../../math/index.ts'
import { INNER_GAIN, innerTexture } from './innerPattern.ts'
import type { BreakingLook } from './instances.ts'

// The surface of a break: its own colour, with some of the plate's hue.

/** Faces of which the plate is asked. */
const ASKED = 60
const hues = new WeakMap<FloatImage, Map<string, Vec3>>()

const levelOf = ([r, g, b]: Vec3): number => 0.2126 * r + 0.7152 * g + 0.0722 * b

/** The mean hue (of level 1) that the plate has where outer faces are seen; undefined where none is. */
function hueOf(plate: NonNullable<Material['plate']>, pieces: NonNullable<BrokenFrame['pieces']>): Vec3 | undefined {
  const { image, camera, pose } = plate
  let [sum, count]: [Vec3, number] = [[0, 0, 0], 0]
  const every = Math.max(1, Math.floor(pieces.length / ASKED))
  for (let n = 0; n < pieces.length; n += every)
    for (const body of pieces[n] ?? [])
      planesOf(body).forEach(({ normal, beyond }, k) => {
        const face = body.faces[k]
        if (beyond >= 0 || beyond === -7 || !face) return
        const at = scale(
          face.ring.reduce<Vec3>((all, c) => add(all, body.corners[c] ?? [0, 0, 0]), [0, 0, 0]),
          1 / face.ring.length,
        )
        const world = add(pose.place, rotate(pose.rotation, at))
        const facing = subtract(camera.position, world)
        const out = rotate(pose.rotation, normal)
        if (out[0] * facing[0] + out[1] * facing[1] + out[2] * facing[2] <= 0) return
        const seen = projectPoint(camera, world)
        const x = seen && Math.floor((seen.x * image.width) / camera.width)
        const y = seen && Math.floor((seen.y * image.height) / camera.height)
        if (x === undefined || y === undefined || x < 0 || y < 0 || x >= image.width || y >= image.height) return
        const from = (y * image.width + x) * image.channels
        sum = add(sum, [image.data[from] ?? 0, image.data[from + 1] ?? 0, image.data[from + 2] ?? 0])
        count++
      })
  const level = levelOf(sum)
  return count > 0 && level > 1e-6 ? scale(sum, 1 / level) : undefined
}

/** The material of inner faces. */
export function insideOf(
  { inside, tint, surface }: BreakingLook,
  plate: Material['plate'],
  pieces: NonNullable<BrokenFrame['pieces']>,
): Material {
  const map = surface && innerTexture(surface)
  const plain = ([r, g, b]: Vec3): Material =>
    map
      ? { ...PLAIN, base: [r * INNER_GAIN, g * INNER_GAIN, b * INNER_GAIN, 1], roughness: 1, baseMap: map }
      : { ...PLAIN, base: [r, g, b, 1], roughness: 1 }
  if (!plate || tint <= 0) return plain([...inside])
  const known = hues.get(plate.image) ?? new Map<string, Vec3>()
  hues.set(plate.image, known)
  const key = JSON.stringify([plate.pose, pieces.length])
  const hue = known.get(key) ?? hueOf(plate, pieces)
  if (!hue) return plain([...inside])
  known.set(key, hue)
  const level = levelOf([...inside])
  return plain([0, 1, 2].map((c) => (inside[c] ?? 0) * (1 - tint) + level * (hue[c] ?? 1) * tint) as unknown as Vec3)
}
