import type { Motion } from '../../data/index.ts'
import { type AlphaPart, alphaPart, steadied } from './alpha.ts'
import { type Box, grown, labelBounds } from './area.ts'
import {
  type Background,
  backgroundMotion,
  backgroundOf,
  backgroundWithin,
  grownForSamples,
  REACH,
  SAMPLED,
} from './background.ts'
import { type HelpedPlate, PlateWindow } from './plate.ts'

const ALPHA_ROOM = 30

/** A plate whose frames have labels (a byte a pixel, 1 inside), and what follows from them: the background behind what they cover, and how much of each pixel that is. */
export class LabelledPlate {
  readonly labels = new Map<number, Uint8Array>()
  readonly window: PlateWindow
  /** Backgrounds that are known already, as they were kept with frames: then no other frames are looked at. */
  readonly given = new Map<number, Background>()
  protected usesBackground = false
  // What is remembered between two changes of labels.
  readonly #behind = new Map<string, Motion>()
  readonly #grown = new Map<number, Uint8Array>()
  readonly #alphas = new Map<number, AlphaPart>()

  constructor(plate: HelpedPlate) {
    this.window = new PlateWindow(plate)
  }

  /** The labels have changed: what was made of them is gone. */
  protected forget(): void {
    this.#behind.clear()
    this.#grown.clear()
    this.#alphas.clear()
  }

  /** Reads what a cut of a frame looks at. alone: the frame only. */
  protected async load(frame: number, alone = false): Promise<void> {
    const { first, last } = this.window.plate
    if (alone) return this.window.load([frame], frame, frame)
    if (this.given.has(frame)) {
      const from = frame < last ? frame : Math.max(first, frame - 1)
      return this.window.load([frame], from, Math.min(last, from + 1))
    }
    const near = [-1, 0, 1, ...(this.usesBackground ? SAMPLED.flatMap((n) => [n, -n]) : [])]
    const reach = this.usesBackground ? REACH : 1
    await this.window.load(
      near.map((n) => frame + n).filter((n) => n >= first && n <= last),
      Math.max(first, frame - reach),
      Math.min(last, frame + reach),
    )
  }

  protected behindAt(from: number, to: number): Motion {
    const id = `${from}>${to}`
    const known = this.#behind.get(id)
    if (known) return known
    const { width, height } = this.window.plate
    const labels = this.labels.get(from)
    const motion = this.window.motion(from, to)
    const made = labels ? backgroundMotion(motion, labels, width, height) : motion
    this.#behind.set(id, made)
    return made
  }

  protected grownAt(frame: number): Uint8Array {
    const known = this.#grown.get(frame)
    if (known) return known
    const { width, height } = this.window.plate
    const labels = this.labels.get(frame) ?? new Uint8Array(width * height)
    const made = grownForSamples(labels, width, height)
    this.#grown.set(frame, made)
    return made
  }

  /** How much of each pixel a frame's labels cover, as all labels are now; undefined where nothing is inside. alone: without a look at its neighbours. */
  async alpha(frame: number, alone = false): Promise<{ part: AlphaPart; alpha: Float32Array } | undefined> {
    const { first, last } = this.window.plate
    const part = await this.#alphaOf(frame, alone)
    if (!part || alone) return part && { part, alpha: part.alpha }
    const others: { part: AlphaPart; motion: Motion }[] = []
    for (const n of [frame - 1, frame + 1]) {
      const other = n >= first && n <= last ? await this.#alphaOf(n) : undefined
      if (other) others.push({ part: other, motion: this.window.motion(frame, n) })
    }
    return { part, alpha: steadied(part, others) }
  }

  async #alphaOf(frame: number, alone = false): Promise<AlphaPart | undefined> {
    const known = this.#alphas.get(frame)
    if (known) return known
    const { width, height, first, last } = this.window.plate
    const labels = this.labels.get(frame)
    const own = labels && labelBounds(labels, width, height)
    await this.load(frame, alone && !this.usesBackground)
    if (!own) return undefined
    const box = grown(own, ALPHA_ROOM, width, height)
    const next = frame < last ? frame + 1 : frame - 1
    if (next < first || (alone && !this.usesBackground))
      return alphaPart(this.window.lab(frame), labels, box, undefined)
    const motions = { own: this.window.motion(frame, next), behind: this.behindAt(frame, next) }
    const made = alphaPart(this.window.lab(frame), labels, box, this.background(frame, box), motions)
    this.#alphas.set(frame, made)
    return made
  }

  /** The background of a part of a frame as the labels are now. */
  background(frame: number, box: Box): Background | undefined {
    const given = this.given.get(frame)
    if (given) return backgroundWithin(given, box)
    return backgroundOf(
      {
        window: this.window,
        labels: (n) => this.labels.get(n),
        behind: (from, to) => this.behindAt(from, to),
        grownLabels: (n) => this.grownAt(n),
      },
      frame,
      box,
    )
  }
}
