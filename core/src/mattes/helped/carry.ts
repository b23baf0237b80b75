import type { Crew } from '../../base/index.ts'
import { type Box, boundsOf, contains, dilated, eachPart, grown, squaredDistance, union, widthOf } from './area.ts'
import { fitColours, type KeyedFrame } from './colours.ts'
import { type Colours, cutBox, cutFrame, type FrameTerms, frameTerms, type Prior } from './cut.ts'
import { LabelledPlate } from './labelled.ts'
import type { HelpedPlate } from './plate.ts'
import { carriedPrior, ownPrior } from './prior.ts'
import { type MatteStroke, type StrokeMasks, strokeMasks } from './strokes.ts'

// A helped matte: strokes on a few frames are cut there, carried along the plate's motion to the frames between, and each frame is cut anew.

const PASSES = 3
const ROOM = 20
const OLD = { near: 40, weak: 0.25, strong: 1.5, again: 0.5 } as const
const SPREAD = { changed: 0.3, grown: 3, stroke: 2 } as const

/** What a carry starts from. */
export interface CarryInput {
  plate: HelpedPlate
  /** Strokes of the frames that are stroked. */
  strokes: readonly MatteStroke[]
  /** Px of the plate's picture here a px of the plate as strokes are told in. */
  scale: number
  /** Frames that are wanted, of those of the plate; the others are cut less often. */
  from?: number
  to?: number
  /** Frames that are not computed any more, with their labels. */
  accepted?: ReadonlyMap<number, Uint8Array>
}

/** A plate whose labels are cut from strokes and carried. */
export class Carrying extends LabelledPlate {
  /** Frames that are keyed: stroked or accepted. */
  readonly keyed = new Set<number>()
  readonly #crew: Crew
  readonly #input: CarryInput
  /** All strokes so far. */
  readonly #strokes: MatteStroke[]
  readonly #masks = new Map<number, StrokeMasks>()
  readonly #accepted = new Set<number>()
  /** Frames that are wanted; those around only tell of the background. */
  readonly #wanted: { from: number; to: number }
  #colours: Colours = { inside: undefined, outside: undefined }
  readonly #terms = new Map<number, FrameTerms>()

  constructor(crew: Crew, input: CarryInput) {
    super(input.plate)
    this.#crew = crew
    this.#input = input
    this.#wanted = { from: input.from ?? input.plate.first, to: input.to ?? input.plate.last }
    this.#strokes = [...input.strokes]
    for (const [frame, labels] of input.accepted ?? []) this.keep(frame, labels)
    for (const frame of new Set(input.strokes.map((stroke) => stroke.frame))) this.#stroke(frame)
  }

  /** Holds a frame's labels as they are. */
  keep(frame: number, labels: Uint8Array): void {
    this.labels.set(frame, labels)
    this.keyed.add(frame)
    this.#accepted.add(frame)
  }

  #stroke(frame: number): void {
    const { plate, scale } = this.#input
    const own = this.#strokes.filter((one) => one.frame === frame)
    this.#masks.set(frame, strokeMasks(own, plate.width, plate.height, scale))
    this.keyed.add(frame)
  }

  get #whole(): { from: number; to: number } {
    const { first, last } = this.#input.plate
    return { from: first, to: last }
  }

  get #sorted(): number[] {
    return [...this.keyed].sort((a, b) => a - b)
  }

  protected override forget(): void {
    super.forget()
    this.#terms.clear()
  }

  async #fitColours(): Promise<void> {
    const { width, height } = this.#input.plate
    const keyed: KeyedFrame[] = []
    for (const frame of this.#sorted) {
      await this.window.load([frame], frame, frame)
      keyed.push({ picture: this.window.lab(frame), labels: this.labels.get(frame), strokes: this.#masks.get(frame) })
    }
    this.#colours = fitColours(keyed, width, height)
  }

  #termsAt(frame: number, box: Box, plain: boolean): FrameTerms {
    const known = this.#terms.get(frame)
    if (known && contains(known.box, box)) return known
    const { width, height } = this.#input.plate
    const wide = plain ? box : union(known?.box, grown(box, ROOM, width, height))
    const background = this.usesBackground && !plain ? this.background(frame, wide) : undefined
    const made = frameTerms(this.window.lab(frame), wide, this.#colours, background)
    if (!plain) this.#terms.set(frame, made)
    return made
  }

  async #solve(frame: number, priors: readonly Prior[]): Promise<Uint8Array> {
    const { width, height } = this.#input.plate
    await this.load(frame, priors.length === 0)
    const strokes = this.#masks.get(frame)
    const box = cutBox(priors, strokes, width, height)
    if (!box) return new Uint8Array(width * height)
    const terms = this.#termsAt(frame, box, priors.length === 0)
    return cutFrame(this.#crew, terms, priors, strokes, width, height).labels
  }

  /** Labels of a neighbouring frame brought to this one. */
  async #carried(from: number, to: number, labels: Uint8Array, weight: number): Promise<Prior | undefined> {
    const { width, height } = this.#input.plate
    await this.load(to)
    const motions = { there: this.window.motion(to, from), home: this.window.motion(from, to) }
    return carriedPrior(labels, width, height, motions, weight)
  }

  /** Cuts the frames between two keyed ones (or the plate's end) from both sides; calls with each as it is done. */
  async #span(
    a: number | undefined,
    b: number | undefined,
    landed: (frame: number, labels: Uint8Array) => Promise<void>,
    { from: first, to: last }: { from: number; to: number } = this.#whole,
  ): Promise<void> {
    const [from, to] = [
      Math.max(first, a === undefined ? first : a + 1),
      Math.min(last, b === undefined ? last : b - 1),
    ]
    const forward = new Map<number, Uint8Array>()
    const backward = new Map<number, Uint8Array>()
    const go = async (made: Map<number, Uint8Array>, key: number, way: 1 | -1): Promise<void> => {
      made.set(key, this.labels.get(key) as Uint8Array)
      for (let n = key + way; n >= from && n <= to; n += way) {
        const prior = await this.#carried(n - way, n, made.get(n - way) as Uint8Array, 1)
        made.set(
          n,
          prior ? await this.#solve(n, [prior]) : new Uint8Array(this.window.plate.width * this.window.plate.height),
        )
        if (a === undefined || b === undefined) await landed(n, made.get(n) as Uint8Array)
      }
    }
    if (b !== undefined) await go(backward, b, -1)
    if (a !== undefined) await go(forward, a, 1)
    if (a === undefined || b === undefined) return
    for (let n = from; n <= to; n++) {
      const w = (b - n) / (b - a)
      const priors = [
        await this.#carried(n - 1, n, forward.get(n - 1) as Uint8Array, w),
        await this.#carried(n + 1, n, backward.get(n + 1) as Uint8Array, 1 - w),
      ].filter((one) => one !== undefined)
      await landed(
        n,
        priors.length > 0
          ? await this.#solve(n, priors)
          : new Uint8Array(this.window.plate.width * this.window.plate.height),
      )
    }
  }

  /** Cuts one stroked frame by strokes alone. */
  async firstCut(frame: number): Promise<void> {
    await this.#fitColours()
    this.labels.set(frame, await this.#solve(frame, []))
  }

  /** Cuts the stroked frames by their strokes alone. */
  async first(): Promise<void> {
    await this.#fitColours()
    for (const frame of this.#sorted)
      if (!this.#accepted.has(frame)) this.labels.set(frame, await this.#solve(frame, []))
    await this.#fitColours()
  }

  /** All frames from the strokes. say: the share that is done. */
  async all(say: (share: number) => void | Promise<void>): Promise<void> {
    await this.first()
    const { first, last, width, height } = this.#input.plate
    const frames = Math.max(1, last - first + 1 - this.keyed.size)
    for (let pass = 0; pass < PASSES; pass++) {
      const final = pass === PASSES - 1
      if (pass > 0) {
        this.forget()
        await this.#fitColours()
        for (const n of this.#sorted)
          if (!this.#accepted.has(n))
            this.labels.set(
              n,
              await this.#solve(n, [
                ownPrior(this.labels.get(n) as Uint8Array, width, height, () => OLD.again, OLD.near + 8),
              ]),
            )
        this.forget()
      }
      const made = new Map<number, Uint8Array>()
      let done = 0
      const keys = this.#sorted
      for (let k = 0; k <= keys.length; k++)
        await this.#span(
          keys[k - 1],
          keys[k],
          async (n, labels) => {
            made.set(n, labels)
            done++
            await say((pass + done / frames) / PASSES)
          },
          final ? this.#wanted : this.#whole,
        )
      for (const [n, labels] of made) this.labels.set(n, labels)
      this.usesBackground = true
      await say((pass + 1) / PASSES)
    }
    this.forget()
  }

  /** Holds of new labels only those parts of what changed that `seed` touches. */
  #guarded(now: Uint8Array, before: Uint8Array, seed: Uint8Array): Uint8Array {
    const { width, height } = this.#input.plate
    const changed = now.map((value, n) => (value === before[n] ? 0 : 1))
    const out = before.slice()
    const box = boundsOf(changed, width, height)
    if (!box) return out
    eachPart(changed, width, height, (pixels) => {
      if (pixels.some((n) => seed[n])) for (const n of pixels) out[n] = now[n] as number
    })
    return out
  }

  /** Labels of all frames as they were kept: what a correction starts from. */
  restore(labels: ReadonlyMap<number, Uint8Array>): void {
    for (const [frame, one] of labels) if (!this.#accepted.has(frame)) this.labels.set(frame, one)
    this.usesBackground = true
    this.forget()
  }

  /** The stroked frame alone, corrected: its old labels hold except near the strokes, and only what hangs together with these changes. */
  async correctedFrame(frame: number, strokes: readonly MatteStroke[]): Promise<Uint8Array> {
    const { width, height } = this.#input.plate
    const before = this.labels.get(frame) as Uint8Array
    this.#strokes.push(...strokes)
    this.#stroke(frame)
    await this.#fitColours()
    this.forget()
    const fresh = strokeMasks(
      strokes.filter((one) => one.frame === frame),
      width,
      height,
      this.#input.scale,
    )
    const stroked = fresh.inside.map((one, n) => one | (fresh.outside[n] as number))
    const near = squaredDistance(stroked, width, height)
    const trust = (n: number): number => ((near[n] as number) < OLD.near * OLD.near ? OLD.weak : OLD.strong)
    const made = await this.#solve(frame, [
      ownPrior(before, width, height, trust, OLD.near + 8, boundsOf(stroked, width, height)),
    ])
    // What was stroked counts in any case.
    return this.#guarded(made, before, dilated(stroked, width, height, SPREAD.stroke))
  }

  /** Corrects from strokes on one frame; the change spreads along the motion up to the next keyed frames, and no further. Returns the frames whose labels may have changed. */
  async correct(
    frame: number,
    strokes: readonly MatteStroke[],
    say: (share: number) => void | Promise<void>,
  ): Promise<number[]> {
    const { first, last, width, height } = this.#input.plate
    const before = new Map(this.labels)
    const keys = this.#sorted
    const now = await this.correctedFrame(frame, strokes)
    this.labels.set(frame, now)
    this.#accepted.delete(frame)
    const [a, b] = [keys.findLast((n) => n < frame), keys.find((n) => n > frame)]
    const total = (b ?? last + 1) - (a ?? first - 1) - 1
    let done = 0
    const made = new Map<number, Uint8Array>()
    const landed = async (n: number, labels: Uint8Array): Promise<void> => {
      made.set(n, labels)
      await say(++done / total)
    }
    await this.#span(a, frame, landed)
    await this.#span(frame, b, landed)
    for (const way of [1, -1] as const) {
      let changed = now.map((value, n) => (value === (before.get(frame) as Uint8Array)[n] ? 0 : 1))
      for (let n = frame + way; made.has(n); n += way) {
        const prior = await this.#carried(n - way, n, changed, 1)
        const seed = new Uint8Array(width * height)
        if (prior) {
          const { box, share } = prior
          for (let y = box.y0; y < box.y1; y++)
            for (let x = box.x0; x < box.x1; x++)
              if ((share[(y - box.y0) * widthOf(box) + x - box.x0] as number) > SPREAD.changed) seed[y * width + x] = 1
        }
        const old = before.get(n) ?? new Uint8Array(width * height)
        const held = prior
          ? this.#guarded(made.get(n) as Uint8Array, old, dilated(seed, width, height, SPREAD.grown))
          : old.slice()
        this.labels.set(n, held)
        changed = held.map((value, k) => (value === old[k] ? 0 : 1))
      }
    }
    this.forget()
    return [frame, ...made.keys()].sort((x, y) => x - y)
  }
}
