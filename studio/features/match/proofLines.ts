import { type Camera, projectPoint } from '@lantern/core/data'
import { aboutAxis, add, radians, rotate, type Vec3 } from '@lantern/core/math'
import type { Proof } from '@lantern/core/shot'
import { circlePoints, segmentPath } from '../picture/lines.ts'

// Test objects in lines through a camera: simple things of known size that stand on a point.

/** What a test object looks like: lines, filled parts, and words with the affine frame they stand in. */
export interface ProofPicture {
  lines: string
  fill: string
  words?: { text: string; matrix: string }
}

const FIGURE = 1.8
const TILES = 4
export const WORDS = 100

/** Closed area through world points; nothing where a part of it is behind the camera. */
function area(camera: Camera, points: readonly Vec3[]): string {
  const seen = points.map((p) => projectPoint(camera, p))
  if (seen.some((p) => !p || p.depth < 0.05)) return ''
  return `M${seen.map((p) => `${p?.x.toFixed(2)} ${p?.y.toFixed(2)}`).join('L')}Z`
}

/** An upright outline, right and up in metres from the foot. */
const OUTLINE: readonly (readonly [number, number])[] = [
  [-0.11, 0],
  [-0.1, 0.45],
  [-0.13, 0.9],
  [-0.17, 1.1],
  [-0.27, 0.82],
  [-0.31, 0.86],
  [-0.22, 1.4],
  [-0.07, 1.5],
  [-0.05, 1.56],
  [-0.1, 1.64],
  [-0.07, 1.77],
  [0, 1.8],
  [0.07, 1.77],
  [0.1, 1.64],
  [0.05, 1.56],
  [0.07, 1.5],
  [0.22, 1.4],
  [0.31, 0.86],
  [0.27, 0.82],
  [0.17, 1.1],
  [0.13, 0.9],
  [0.1, 0.45],
  [0.11, 0],
  [0.02, 0],
  [0, 0.8],
  [-0.02, 0],
]

/** A test object on a world point through a camera. */
export function proofPicture(
  camera: Camera,
  { shape, size, turn, text }: Pick<Proof, 'shape' | 'size' | 'turn' | 'text'>,
  foot: Vec3,
): ProofPicture {
  const about = aboutAxis([0, 1, 0], radians(turn))
  const at = (x: number, y: number, z: number): Vec3 => add(foot, rotate(about, [x, y, z]))
  if (shape === 'cone') {
    const ring = circlePoints(foot, size * 0.4, 32)
    const sides = [0, 8, 16, 24].map((n) => segmentPath(camera, ring[n] ?? foot, at(0, size, 0), 4)).join('')
    return {
      lines:
        ring
          .slice(1)
          .map((p, n) => segmentPath(camera, ring[n] ?? p, p, 1))
          .join('') + sides,
      fill: area(camera, ring),
    }
  }
  if (shape === 'chequer') {
    const edge = size / TILES
    let fill = ''
    for (let a = 0; a < TILES; a++)
      for (let b = 0; b < TILES; b++)
        if ((a + b) % 2 === 0) {
          const [x, z] = [a * edge - size / 2, b * edge - size / 2]
          fill += area(camera, [at(x, 0, z), at(x + edge, 0, z), at(x + edge, 0, z + edge), at(x, 0, z + edge)])
        }
    const h = size / 2
    const corners = [at(-h, 0, -h), at(h, 0, -h), at(h, 0, h), at(-h, 0, h)]
    return { lines: corners.map((p, n) => segmentPath(camera, p, corners[(n + 1) % 4] ?? p, 6)).join(''), fill }
  }
  if (shape === 'figure') {
    const points = OUTLINE.map(([x, y]) => at((x * FIGURE) / 1.8, (y * FIGURE) / 1.8, 0))
    return {
      lines: points.map((p, n) => segmentPath(camera, p, points[(n + 1) % points.length] ?? p, 1)).join(''),
      fill: area(camera, points),
    }
  }
  const [o, right, up] = [
    projectPoint(camera, foot),
    projectPoint(camera, at(size, 0, 0)),
    projectPoint(camera, at(0, size, 0)),
  ]
  if (!o || !right || !up) return { lines: '', fill: '' }
  // Words WORDS units high in their own frame, right and down: very small type is not drawn.
  const matrix = `matrix(${[right.x - o.x, right.y - o.y, o.x - up.x, o.y - up.y].map((v) => v / WORDS).join(' ')} ${o.x} ${o.y})`
  return { lines: segmentPath(camera, at(-size / 2, 0, 0), at(size / 2, 0, 0), 6), fill: '', words: { text, matrix } }
}
