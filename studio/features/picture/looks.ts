import { LanternError } from '@lantern/core/base'
import type { FloatImage } from '@lantern/core/data'
import type { FrameCheck } from '@lantern/core/pipeline'
import type { CheckRequest, LaidFrom, LookReply, LookRequest } from '@/workers/protocol.ts'
import { type ShotState, useShot } from '../shot/shotStore.ts'
import type { Shown } from './display.ts'
import { draftOf } from './draftOf.ts'
import { type Wish, wishOf } from './laidFrom.ts'
import { sourceOf } from './passSource.ts'

const DRAFT_DELAY_MS = 200
const MOST_CACHED_BYTES = 700 * 2 ** 20
/** Time that drafts of gases have for burning between two pictures of it, over what a picture takes. */
const BURNT_PER_LAID = 2
/** The picture has been at rest for so long before frames of the loop are laid ahead. */
const REST_MS = 400
/** So long frames are found for laying ahead, and so long it then pauses. */
const SLICE_MS = 6
const PAUSE_MS = 40

/** A frame that was asked for. */
interface Asked {
  id: number
  key: string
  mark: string
  place: string
}

/** Golden hashes as this browser computes them with so many threads. */
export interface GoldenHashes {
  hash: string
  breaks: string
  threads: number
}

/** Whether two pictures of four bytes a pixel are the same. */
function sameBytes(a: Uint8Array, b: Uint8Array): boolean {
  if (a.length !== b.length) return false
  const [u, v] = [a, b].map((one) => new Int32Array(one.buffer, one.byteOffset, one.length >> 2)) as [
    Int32Array,
    Int32Array,
  ]
  for (let n = 0; n < u.length; n++) if (u[n] !== v[n]) return false
  return true
}

/** The computing worker's client: one frame is laid at a time, the newest wish wins; laid frames are kept for play. */
export class Looks {
  readonly #worker = new Worker(new URL('../../workers/look.worker.ts', import.meta.url), { type: 'module' })
  readonly #cache = new Map<string, Shown>()
  #bytes = 0
  /** What was asked for before the worker had loaded. */
  #early?: LookRequest[] = []
  #busy?: Asked
  /** A frame that is laid ahead: what is wished for meanwhile does not wait for it, as its picture may have far to come. */
  #going?: Asked
  #wish?: Wish
  /** What was laid last, but for how far what burns has come; when, and how long that took. */
  #laidLast?: { place: string; at: number; milliseconds: number; passing: boolean }
  #later?: ReturnType<typeof setTimeout>
  /** What the frame that is looked at is laid from. */
  #seen?: LaidFrom
  #rest?: ReturnType<typeof setTimeout>
  /** Frames that were found laid since the state that decides so changed. */
  #found: { of: readonly unknown[]; frames: Set<number> } = { of: [], frames: new Set() }
  #id = 0
  /** Key of the draft form that was asked for last, of each gas; and of the one that burns now. */
  readonly #asked = new Map<string, string>()
  readonly #burning = new Map<string, string>()
  readonly #firsts = new Map<string, number>()
  readonly #draftTimers = new Map<string, ReturnType<typeof setTimeout>>()
  readonly #probes = new Map<number, (rgb: [number, number, number]) => void>()
  readonly #linears = new Map<number, (image: FloatImage) => void>()
  readonly #checks = new Map<number, { made(check: FrameCheck): void; failed(error: Error): void }>()
  readonly #hashes = new Map<number, (reply: GoldenHashes) => void>()
  /** The picture that was laid last, and its frame: the state may have gone on meanwhile. */
  newest?: { frame: number; shown: Shown }
  readonly #heard = new Set<() => void>()

  constructor() {
    this.#worker.onmessage = (message: MessageEvent<LookReply>) => this.#hear(message.data)
    this.#worker.onerror = () => useShot.getState().say(new Error('The computing thread stopped; load the page again.'))
  }

  #send(request: LookRequest): void {
    if (this.#early) this.#early.push(request)
    else this.#worker.postMessage(request)
  }

  #hear(reply: LookReply): void {
    const { set, drafts } = useShot.getState()
    if (reply.what === 'here') {
      const early = this.#early ?? []
      this.#early = undefined
      for (const request of early) this.#send(request)
    } else if (reply.what === 'composed') {
      const asked = this.#busy?.id === reply.id ? this.#busy : this.#going
      const shown = {
        width: reply.width,
        height: reply.height,
        added: reply.added,
        // The same plate for as long as it is the same.
        bare: this.newest && sameBytes(this.newest.shown.bare, reply.bare) ? this.newest.shown.bare : reply.bare,
        flame: reply.flame,
        spoiled: reply.spoiled,
        mark: asked?.mark ?? '',
      }
      if (!reply.passing) this.#put(asked?.key ?? '', shown)
      this.newest = { frame: reply.frame, shown }
      this.#laidLast = {
        place: asked?.place ?? '',
        at: performance.now(),
        milliseconds: reply.milliseconds,
        passing: reply.passing,
      }
      this.#laidOrFailed(reply.id)
      for (const heard of this.#heard) heard()
      this.#next()
    } else if (reply.what === 'failed' && reply.id !== undefined && this.#checks.has(reply.id)) {
      this.#checks.get(reply.id)?.failed(new LanternError('check', reply.message, reply.remedy))
      this.#checks.delete(reply.id)
    } else if (reply.what === 'failed') {
      if (reply.id !== undefined) this.#laidOrFailed(reply.id)
      if (!/not been read yet|is not kept/.test(reply.message))
        set({ message: { text: `${reply.message} ${reply.remedy}`, good: false } })
      this.#next()
    } else if (reply.what === 'draft-frame') {
      // One that was on its way when its gas was put out, or lit anew.
      if (this.#burning.get(reply.item) !== reply.key) return
      const before = drafts[reply.item]
      const same = before?.key === reply.key
      const first = this.#firsts.get(reply.item) ?? reply.frame
      const n = reply.frame - first
      // A finer burn writes over the draft one's frames one after another.
      const put = (values: readonly number[], value: number): number[] =>
        same ? [...values.slice(0, n), value, ...(reply.finer ? values.slice(n + 1) : [])] : [value]
      const old = same ? before : { heatKw: [], height: [], axialFlameLength: [], baseBuoyancy: [], made: 0, frames: 0 }
      set({
        drafts: {
          ...drafts,
          [reply.item]: {
            key: reply.key,
            first,
            fine: reply.finer ? n + 1 : 0,
            frames: reply.finer ? Math.max(old.frames, n + 1) : n + 1,
            of: reply.of,
            made: old.made + 1,
            cell: reply.cell,
            finer: reply.finer,
            heatKw: put(old.heatKw, reply.heatKw),
            height: put(old.height, reply.height),
            axialFlameLength: put(old.axialFlameLength, reply.axialFlameLength),
            baseBuoyancy: put(old.baseBuoyancy, reply.baseBuoyancy),
            milliseconds: reply.milliseconds,
          },
        },
      })
    } else if (reply.what === 'draft-pieces') this.#hearPieces(reply)
    else if (reply.what === 'draft-done') {
      if (this.#burning.get(reply.item) === reply.key) this.#burning.delete(reply.item)
      this.#next()
    } else if (reply.what === 'probed') {
      this.#probes.get(reply.id)?.(reply.rgb)
      this.#probes.delete(reply.id)
    } else if (reply.what === 'checked') {
      this.#checks.get(reply.id)?.made(reply.check)
      this.#checks.delete(reply.id)
    } else if (reply.what === 'linear') {
      this.#linears.get(reply.id)?.(reply.image)
      this.#linears.delete(reply.id)
    } else if (reply.what === 'hashed') {
      this.#hashes.get(reply.id)?.({ hash: reply.hash, breaks: reply.breaks, threads: reply.threads })
      this.#hashes.delete(reply.id)
    }
  }

  #hearPieces(reply: Extract<LookReply, { what: 'draft-pieces' }>): void {
    const { set, drafts } = useShot.getState()
    const { item, key, frame, of, pieces, milliseconds } = reply
    if (this.#burning.get(item) !== key) return
    const first = this.#firsts.get(item) ?? frame
    const old = drafts[item]?.key === key ? drafts[item].breaking : undefined
    const breaking = {
      pieces,
      moving: [...(old?.moving ?? []), reply.moving],
      energy: [...(old?.energy ?? []), reply.energy],
      fastest: [...(old?.fastest ?? []), reply.fastest],
      missed: [...(old?.missed ?? []), ...reply.missed],
    }
    const frames = frame - first + 1
    const none = { heatKw: [], height: [], axialFlameLength: [], baseBuoyancy: [], cell: 0, finer: false, fine: 0 }
    set({ drafts: { ...drafts, [item]: { ...none, key, first, frames, of, made: frames, milliseconds, breaking } } })
  }

  #put(key: string, shown: Shown): void {
    this.#cache.set(key, shown)
    this.#bytes += shown.added.length * 2
    for (const [old, value] of this.#cache) {
      if (this.#bytes < MOST_CACHED_BYTES || old === key) break
      this.#cache.delete(old)
      this.#bytes -= value.added.length * 2
    }
  }

  #laidOrFailed(id: number): void {
    if (this.#busy?.id === id) this.#busy = undefined
    if (this.#going?.id === id) this.#going = undefined
  }

  #ask(wish: Wish): Asked {
    const asked = { id: ++this.#id, key: wish.key, mark: wish.mark, place: wish.place }
    this.#send({ what: 'compose', id: asked.id, ...wish.request })
    return asked
  }

  #next(): void {
    const wish = this.#wish
    clearTimeout(this.#later)
    if (this.#busy) return
    if (!wish) return this.rest()
    // A gas that burns stands still while its picture is laid: the same place again has to wait until it had twice that time.
    const last = this.#laidLast
    const pause =
      last && (this.#burning.size > 0 || last.passing) && last.place === wish.place
        ? last.at + BURNT_PER_LAID * last.milliseconds - performance.now()
        : 0
    if (pause > 0) {
      this.#later = setTimeout(() => this.#next(), pause)
      return
    }
    this.#wish = undefined
    this.#busy = this.#ask(wish)
  }

  /** Nothing is asked for: after a moment the loop's frames are laid ahead, at once while it plays. */
  rest(): void {
    clearTimeout(this.#rest)
    if (useShot.getState().playing !== 0) this.#ahead()
    else this.#rest = setTimeout(() => this.#ahead(), REST_MS)
  }

  /** Lays the next frame of the loop whose picture is kept, as many as stay at hand; not while the farm or a draft gas of this shot computes, which it would slow. */
  #ahead(): void {
    const state = useShot.getState()
    const {
      shot,
      status,
      loop: [from, to],
      frame,
      playing,
    } = state
    if (!shot || this.#busy || this.#going || this.#wish || to - from + 1 > this.#mostFrames()) return
    if (
      playing === 0 &&
      (status?.look.state === 'running' ||
        status?.final.state === 'running' ||
        Object.values(status?.items ?? {}).some((one) => one.state === 'running') ||
        this.#burning.size > 0)
    )
      return
    const of = [shot, status, state.exposure, state.alone, state.region]
    if (of.some((one, n) => one !== this.#found.of[n])) this.#found = { of, frames: new Set() }
    const until = performance.now() + SLICE_MS
    for (let n = 1; n <= to - from; n++) {
      // What a frame is laid from is found for some of them at a time: whoever works meanwhile is not held up.
      if (playing === 0 && performance.now() > until) {
        clearTimeout(this.#rest)
        this.#rest = setTimeout(() => this.#ahead(), PAUSE_MS)
        return
      }
      const next =
        from + ((((frame - from + (playing < 0 ? -n : n)) % (to - from + 1)) + (to - from + 1)) % (to - from + 1))
      if (this.#found.frames.has(next)) continue
      this.#found.frames.add(next)
      const wish = ['look', 'final'].includes(sourceOf(state, next).from) ? wishOf(state, next) : undefined
      if (!wish || this.#cache.has(wish.key)) continue
      this.#going = this.#ask(wish)
      return
    }
  }

  /** How many frames of the size that they have now stay at hand. */
  #mostFrames(): number {
    const held = this.#cache.size
    return held > 0 ? Math.floor((0.9 * MOST_CACHED_BYTES * held) / Math.max(1, this.#bytes)) : 0
  }

  /** Calls whenever a picture was laid; returns how to end that. */
  listen(heard: () => void): () => void {
    this.#heard.add(heard)
    return () => void this.#heard.delete(heard)
  }

  /** What is laid for a frame already, or undefined; then it is asked for. It is what readings are taken of. */
  want(state: ShotState, frame: number): Shown | undefined {
    const { there, request } = this.#lay(state, frame)
    this.#seen = request
    if (there && frame === state.frame && (there.flame !== state.flame || there.spoiled !== state.spoiled))
      queueMicrotask(() => useShot.getState().set({ flame: there.flame, spoiled: there.spoiled }))
    if (there && frame === state.frame && there.bare !== state.plateBytes)
      queueMicrotask(() => useShot.getState().set({ plateBytes: there.bare }))
    return there
  }

  #lay(state: ShotState, frame: number): { there?: Shown; request?: LaidFrom } {
    const wish = wishOf(state, frame)
    if (!wish) return {}
    const { key, request } = wish
    const there = this.#cache.get(key)
    if (there) return { there, request }
    if (this.#busy?.key === key || this.#going?.key === key) return { request }
    clearTimeout(this.#rest)
    this.#wish = wish
    this.#next()
    return { request }
  }

  /** Computes the draft form of an item when its settings have come to rest; of a gas then a finer one, while nothing else is asked for. */
  startDraft(state: ShotState, item: string): void {
    const draft = draftOf(state, item)
    if (!draft) return
    const { key, first, request } = draft
    const there =
      this.#draftTimers.has(item) || this.#burning.get(item) === key || useShot.getState().drafts[item]?.key === key
    if (there && this.#asked.get(item) === key) return
    this.#asked.set(item, key)
    clearTimeout(this.#draftTimers.get(item))
    this.#draftTimers.set(
      item,
      setTimeout(() => {
        this.#draftTimers.delete(item)
        this.#firsts.set(item, first)
        this.#burning.set(item, key)
        this.#send(request())
      }, DRAFT_DELAY_MS),
    )
  }

  /** Puts out the draft form of a gas that is kept by now. */
  cancelDraft(item: string): void {
    clearTimeout(this.#draftTimers.get(item))
    this.#draftTimers.delete(item)
    if (!this.#burning.delete(item)) return
    this.#send({ what: 'cancel-draft', item })
    const { drafts, set } = useShot.getState()
    set({ drafts: Object.fromEntries(Object.entries(drafts).filter(([id]) => id !== item)) })
    this.rest()
  }

  probe(x: number, y: number): Promise<[number, number, number]> {
    return new Promise((resolve) => {
      this.#probes.set(++this.#id, resolve)
      this.#send({ what: 'probe', id: this.#id, x, y, ...(this.#seen ? { of: this.#seen } : {}) })
    })
  }

  /** How each layer of a frame sits in the plate. beside: areas of the plate, px of the full plate at this frame. Throws LanternError. */
  check(
    state: ShotState,
    frame: number,
    beside: Pick<CheckRequest, 'area' | 'areas' | 'shutter'>,
  ): Promise<FrameCheck> {
    const request = wishOf(state, frame)?.request
    if (!request) return Promise.reject(new LanternError('check', 'No shot is open.', 'Open one.'))
    const full = sourceOf(state, frame).from === 'final'
    return new Promise((made, failed) => {
      this.#checks.set(++this.#id, { made, failed })
      const of: LaidFrom = full ? { ...request, size: 'full' } : request
      this.#send({ what: 'check', id: this.#id, of, ...beside })
    })
  }

  /** Linear values of the frame that was laid last. */
  linear(): Promise<FloatImage> {
    return new Promise((resolve) => {
      this.#linears.set(++this.#id, resolve)
      this.#send({ what: 'linear', id: this.#id, ...(this.#seen ? { of: this.#seen } : {}) })
    })
  }

  /** The golden hash as this browser computes it with so many threads. */
  hash(threads: number): Promise<GoldenHashes> {
    return new Promise((resolve) => {
      this.#hashes.set(++this.#id, resolve)
      this.#send({ what: 'hash', id: this.#id, threads })
    })
  }

  end(): void {
    for (const timer of this.#draftTimers.values()) clearTimeout(timer)
    clearTimeout(this.#rest)
    clearTimeout(this.#later)
    this.#worker.terminate()
  }
}
