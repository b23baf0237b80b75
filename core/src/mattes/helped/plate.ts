import { type Motion, motionAt } from '../../data/index.ts'
import type { LabPicture } from './lab.ts'

/** A plate as mattes are carried over it: frames first to last, all of one size. */
export interface HelpedPlate {
  width: number
  height: number
  first: number
  last: number
  lab(frame: number): Promise<LabPicture>
  /** Motion from a frame to the next, and back. */
  motion(frame: number): Promise<{ to: Motion; back: Motion }>
}

/** Bytes of frames, and of motions, that are held. */
const HELD_BYTES = 6e8

/** What has been read of a plate: as many frames and motions as there is room for. */
export class PlateWindow {
  readonly plate: HelpedPlate
  readonly #labs = new Map<number, LabPicture>()
  readonly #motions = new Map<number, { to: Motion; back: Motion }>()
  readonly #most: number

  constructor(plate: HelpedPlate) {
    this.plate = plate
    // A cut looks at 18 frames to either side.
    this.#most = Math.max(40, Math.floor(HELD_BYTES / (6 * plate.width * plate.height)))
  }

  /** Reads what is needed: these frames, and the motions of [from, to). */
  async load(frames: readonly number[], from: number, to: number): Promise<void> {
    for (const n of frames) await this.#ensure(this.#labs, n, () => this.plate.lab(n))
    for (let n = from; n < to; n++) await this.#ensure(this.#motions, n, () => this.plate.motion(n))
  }

  async #ensure<T>(map: Map<number, T>, n: number, make: () => Promise<T>): Promise<void> {
    const known = map.get(n)
    if (known !== undefined) map.delete(n)
    map.set(n, known ?? (await make()))
    // What was used longest ago goes first.
    for (const [old] of map) {
      if (map.size <= this.#most) break
      map.delete(old)
    }
  }

  lab(n: number): LabPicture {
    const found = this.#labs.get(n)
    if (!found) throw new TypeError(`frame ${n} was not loaded`)
    return found
  }

  /** Motion between neighbouring frames. */
  motion(from: number, to: number): Motion {
    const found = this.#motions.get(Math.min(from, to))
    if (!found) throw new TypeError(`motion ${from} to ${to} was not loaded`)
    return to > from ? found.to : found.back
  }
}

const at = { u: 0, v: 0 }
const back = { u: 0, v: 0 }

/** How far a place of frame n, moved to a neighbour and back, misses itself, px. */
export function roundTrip(there: Motion, home: Motion, x: number, y: number): number {
  motionAt(there, x, y, at)
  const [u, v] = [at.u, at.v]
  motionAt(home, x + u, y + v, back)
  return Math.sqrt((u + back.u) ** 2 + (v + back.v) ** 2)
}
