import { type Crew, random } from '../../core/src/base/index.ts'
import { makeImage } from '../../core/src/data/index.ts'
import { alphaPart, type Background, foregroundColours, labOf, labPicture } from '../../core/src/mattes/index.ts'
import { atMost, type Row } from './row.ts'

// A dark figure before a sky that the camera clipped, made by formulae: its alpha and its own colours are known.

const [W, H] = [320, 400]
const SKY = 1
const GRAIN = 0.006
/** What the figure is put before in the end. */
const BEHIND = 0.05

/** Capsules of a walking figure: from, to, radius, px. */
const LIMBS = [
  [160, 60, 160, 76, 24],
  [160, 110, 158, 210, 34],
  [132, 120, 104, 190, 11],
  [104, 190, 120, 240, 9],
  [188, 120, 220, 180, 11],
  [220, 180, 236, 226, 9],
  [148, 220, 120, 300, 15],
  [120, 300, 96, 366, 11],
  [170, 220, 196, 296, 15],
  [196, 296, 206, 372, 11],
] as const

/** How far a place is outside the figure, px; less than nothing within. */
function outside(x: number, y: number): number {
  let least = Infinity
  for (const [ax, ay, bx, by, radius] of LIMBS) {
    const [dx, dy] = [bx - ax, by - ay]
    const t = Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy)))
    least = Math.min(least, Math.hypot(x - ax - t * dx, y - ay - t * dy) - radius)
  }
  return least + 1.5 * Math.sin(x / 5) * Math.cos(y / 6)
}

/** The figure's alpha, its own colours, the picture of it and one of the sky alone. */
function scene() {
  const dice = random(7)
  const noise = (): number => GRAIN * (dice.next() + dice.next() + dice.next() - 1.5)
  const [alpha, front, picture, sky] = [makeImage(W, H, 1), makeImage(W, H, 3), makeImage(W, H, 3), makeImage(W, H, 3)]
  for (let y = 0; y < H; y++)
    for (let x = 0; x < W; x++) {
      const n = y * W + x
      // The lower limbs move more: softer rims.
      const soft = 1.6 + (5 * y) / H
      const a = Math.min(1, Math.max(0, 0.5 - outside(x + 0.5, y + 0.5) / soft))
      alpha.data[n] = a
      for (let c = 0; c < 3; c++) {
        const own = (0.05 + 0.03 * Math.sin(x / 9 + c) * Math.sin(y / 11)) * (1 + 0.3 * c)
        const light = SKY * (1 + 0.15 * Math.sin(x / 60) * Math.cos(y / 80))
        front.data[3 * n + c] = own
        picture.data[3 * n + c] = Math.min(1, Math.max(0, a * own + (1 - a) * light + noise()))
        sky.data[3 * n + c] = Math.min(1, light + noise())
      }
    }
  return { alpha, front, picture, sky }
}

/** Rows of validation of a backlit figure. */
export function backlitRows(crew: Crew): Row[] {
  const { alpha, front, picture, sky } = scene()
  const box = { x0: 0, y0: 0, x1: W, y1: H }
  const labels = Uint8Array.from(alpha.data, (a) => (a > 0.5 ? 1 : 0))
  const background: Background = {
    lab: labOf(labPicture(crew, sky.data, W, H), box),
    deviation: new Float32Array(W * H),
    known: new Uint8Array(W * H).fill(1),
  } as never
  const found = makeImage(W, H, 1)
  found.data.set(alphaPart(labPicture(crew, picture.data, W, H), labels, box, background).alpha)
  const colours = foregroundColours(picture, found)
  let [errors, halo, plain, count] = [0, 0, 0, 0]
  for (let n = 0; n < W * H; n++) {
    const a = alpha.data[n] as number
    if (a <= 0.01 || a >= 0.99) continue
    const own = found.data[n] as number
    errors += Math.abs(own - a)
    for (let c = 3 * n; c < 3 * n + 3; c++) {
      const truth = a * (front.data[c] as number) + (1 - a) * BEHIND
      halo += (own * (colours.data[c] as number) + (1 - own) * BEHIND - truth) / 3
      plain += (own * (picture.data[c] as number) + (1 - own) * BEHIND - truth) / 3
    }
    count++
  }
  console.log(`  backlit: halo without the figure's own colours ${(plain / count).toFixed(4)}`)
  const what = 'backlit figure before a clipped sky'
  return [
    atMost(`${what}: alpha error in the band`, 'formula', 0.055, errors / count),
    atMost(`${what}: mean halo before a dark ground`, 'formula', 0.01, Math.abs(halo / count)),
  ]
}
