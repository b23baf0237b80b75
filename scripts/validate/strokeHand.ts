import { random } from '../../core/src/base/index.ts'
import { boundsOf, eachPart, type MatteStroke, squaredDistance } from '../../core/src/mattes/index.ts'

// Draws strokes as a person would who sees the exact figure: lines along body and limbs, a loop round it, and for corrections a line over the largest wrong part. Places are off by 3 px.

const OFF = 3
const WIDTH = 3
const LIMBS = 4
const LOOP = { corners: 28, away: 12 } as const

/** A figure of one frame, 1 inside. */
export interface Figure {
  width: number
  height: number
  inside: Uint8Array
}
const outsideOf = ({ inside }: Figure): Uint8Array => inside.map((one) => 1 - one)

/** A place put off by the hand, unless that brings it to the other side. */
function shaken({ width, inside }: Figure, x: number, y: number, side: boolean, next: () => number): [number, number] {
  const [a, b] = [x + 0.5 + OFF * (next() + next() - 1), y + 0.5 + OFF * (next() + next() - 1)]
  return (inside[Math.floor(b) * width + Math.floor(a)] === 1) === side ? [a, b] : [x + 0.5, y + 0.5]
}

/** Follows the deepest line of a figure up and down from its deepest place left, as far as it goes. */
function ridge({ width, height }: Figure, depth: Float32Array, left: Uint8Array, from: number): [number, number][] {
  const walk = (way: number): [number, number][] => {
    let [x, y] = [from % width, Math.floor(from / width)]
    const run: [number, number][] = []
    for (;;) {
      run.push([x, y])
      const next = y + 6 * way
      if (next < 0 || next >= height) return run
      let [best, deepest] = [-1, 2.5 * 2.5]
      for (let a = Math.max(0, x - 8); a <= Math.min(width - 1, x + 8); a++) {
        const d = depth[next * width + a] ?? 0
        if (d > deepest) [best, deepest] = [a, d]
      }
      if (best < 0) return run
      ;[x, y] = [best, next]
      // What a line has covered is not followed again.
      if (!left[y * width + x]) return run
    }
  }
  return [...walk(-1).reverse(), ...walk(1).slice(1)]
}

/** Four lines inside along body and limbs, and one round it outside. */
export function keyStrokes(figure: Figure, frame: number, seed: number): MatteStroke[] {
  const { width, height, inside } = figure
  const { next } = random(seed * 131 + frame)
  const depth = squaredDistance(outsideOf(figure), width, height)
  const left = inside.slice()
  const strokes: MatteStroke[] = []
  for (let k = 0; k < LIMBS; k++) {
    const deep = squaredDistance(
      left.map((one) => 1 - one),
      width,
      height,
    )
    let from = -1
    for (let n = 0; n < deep.length; n++) if (left[n] && (deep[n] ?? 0) > (from < 0 ? 4 : (deep[from] ?? 0))) from = n
    if (from < 0) break
    const line = ridge(figure, depth, left, from)
    strokes.push({ frame, inside: true, width: WIDTH, points: line.map(([x, y]) => shaken(figure, x, y, true, next)) })
    for (const [x, y] of line) clear(left, width, height, x, y, Math.sqrt(depth[y * width + x] ?? 0) + 4)
  }
  strokes.push({ frame, inside: false, width: WIDTH, points: loopRound(figure, next) })
  return strokes
}

function clear(mask: Uint8Array, width: number, height: number, x: number, y: number, r: number): void {
  for (let b = Math.max(0, Math.ceil(y - r)); b <= Math.min(height - 1, y + r); b++)
    for (let a = Math.max(0, Math.ceil(x - r)); a <= Math.min(width - 1, x + r); a++)
      if ((a - x) ** 2 + (b - y) ** 2 <= r * r) mask[b * width + a] = 0
}

/** A loop some way outside, seen from the figure's middle. */
function loopRound(figure: Figure, next: () => number): [number, number][] {
  const { width, height, inside } = figure
  const box = boundsOf(inside, width, height)
  if (!box) return []
  const away = squaredDistance(inside, width, height)
  const [cx, cy] = [(box.x0 + box.x1) / 2, (box.y0 + box.y1) / 2]
  const points = Array.from({ length: LOOP.corners }, (_, k): [number, number] => {
    const angle = (k / LOOP.corners) * 2 * Math.PI
    let t = 3 * Math.max(box.x1 - box.x0, box.y1 - box.y0)
    for (; t > 0; t--) {
      const [x, y] = [Math.round(cx + t * Math.cos(angle)), Math.round(cy + t * Math.sin(angle))]
      if (x < 0 || y < 0 || x >= width || y >= height) continue
      if ((away[y * width + x] ?? 0) <= LOOP.away ** 2) break
    }
    return shaken(figure, Math.round(cx + t * Math.cos(angle)), Math.round(cy + t * Math.sin(angle)), false, next)
  })
  return [...points, points[0] as [number, number]]
}

/** A line over the largest part that labels have wrong in one of some frames, on the side that it belongs to; undefined where none is wrong by much. */
export function correction(
  figures: ReadonlyMap<number, Figure>,
  labels: ReadonlyMap<number, Uint8Array>,
  seed: number,
): MatteStroke | undefined {
  let largest: { frame: number; pixels: Int32Array } | undefined
  for (const [frame, { width, height, inside }] of figures) {
    const own = labels.get(frame)
    const wrong = inside.map((one, n) => (own && one !== own[n] ? 1 : 0))
    // Slivers along the rim are no part of their own.
    const core = squaredDistance(
      wrong.map((one) => 1 - one),
      width,
      height,
    ).map((d) => (d > 2.25 ? 1 : 0))
    eachPart(Uint8Array.from(core), width, height, (pixels) => {
      if (pixels.length > (largest?.pixels.length ?? 30)) largest = { frame, pixels: pixels.slice() }
    })
  }
  if (!largest) return undefined
  const { frame, pixels } = largest
  const figure = figures.get(frame) as Figure
  const { width, height } = figure
  const part = new Uint8Array(width * height)
  for (const n of pixels) part[n] = 1
  const side = figure.inside[pixels[0] ?? 0] === 1
  const depth = squaredDistance(
    part.map((one) => 1 - one),
    width,
    height,
  )
  const from = pixels.reduce((best, n) => ((depth[n] ?? 0) > (depth[best] ?? 0) ? n : best), pixels[0] ?? 0)
  const { next } = random(seed * 977 + frame)
  const line = ridge({ width, height, inside: part }, depth, part, from)
  return { frame, inside: side, width: WIDTH, points: line.map(([x, y]) => shaken(figure, x, y, side, next)) }
}
