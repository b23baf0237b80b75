import type { FloatImage } from '@lantern/core/data'
import { gasRecipe, recipeKey, shownGases } from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import type { GrainLaw } from '@lantern/core/sit'
import type { ComposeRequest, LookReply, LookRequest, PassSource } from '@/workers/protocol.ts'
import { cameraNow, pictureDigest, type ShotState, useShot } from '../shot/shotStore.ts'
import type { Shown } from './display.ts'

const NO_GRAIN: GrainLaw = { floor: [0, 0, 0], slope: [0, 0, 0], spread: 0 }
const MOST_THIN_FRAMES = 72
const THIN_DELAY_MS = 200
const MOST_CACHED_BYTES = 700 * 2 ** 20

/** Where a frame's passes come from now, best first: final, first look, kept gas rendered here, thin gas, none. */
export function sourceOf(state: ShotState, frame: number): { source: PassSource; from: 'final' | 'look' | 'gas' | 'thin' | 'plate'; mark: string } {
  const { shot, status, statusDigest, thin } = state
  const document = shot?.document
  // The match is judged over the plate alone.
  if (!document || state.station === 'Match') return { source: { kind: 'none' }, from: 'plate', mark: '' }
  const current = statusDigest === pictureDigest(document)
  for (const quality of ['final', 'look'] as const) {
    const key = status?.[quality].keys[frame]
    if (current && key && status?.[quality].kept.includes(frame)) return { source: { kind: 'kept', key }, from: quality, mark: key }
  }
  const camera = cameraNow(state, frame)
  const gases = shownGases(document)
  const keys = gases.map(([id]) => (current && status?.gases[id]?.kept.includes(frame) ? status.gases[id].key : undefined))
  if (camera && keys.length > 0 && keys.every((key) => key !== undefined)) return { source: { kind: 'gas', camera, keys }, from: 'gas', mark: JSON.stringify([keys, document.items, document.light, camera]) }
  const thins = gases.map(([id]) => thin[id]).filter((one) => one !== undefined && one.frames > 0)
  if (camera && thins.length > 0) {
    const at = frame - document.plate.first
    return { source: { kind: 'thin', camera }, from: 'thin', mark: JSON.stringify([thins.map((one) => [one?.key, Math.min(at, (one?.frames ?? 1) - 1)]), document.items, document.light, camera]) }
  }
  return { source: { kind: 'none' }, from: 'plate', mark: '' }
}

/** The computing worker's client: one frame is laid at a time, the newest wish wins; laid frames are kept for play. */
export class Looks {
  readonly #worker = new Worker(new URL('../../workers/look.worker.ts', import.meta.url), { type: 'module' })
  readonly #cache = new Map<string, Shown>()
  #bytes = 0
  /** What was asked for before the worker had loaded. */
  #early?: LookRequest[] = []
  #busy?: { id: number; key: string }
  #wish?: { key: string; request: Omit<ComposeRequest, 'id' | 'what'> }
  #id = 0
  readonly #thinTimers = new Map<string, ReturnType<typeof setTimeout>>()
  readonly #probes = new Map<number, (rgb: [number, number, number]) => void>()
  readonly #linears = new Map<number, (image: FloatImage) => void>()
  readonly #hashes = new Map<number, (reply: { hash: string; threads: number }) => void>()
  onShown: (key: string, shown: Shown) => void = () => undefined

  constructor() {
    this.#worker.onmessage = (message: MessageEvent<LookReply>) => this.#hear(message.data)
    this.#worker.onerror = () => useShot.getState().say(new Error('The computing thread stopped; load the page again.'))
  }

  #send(request: LookRequest): void {
    if (this.#early) this.#early.push(request)
    else this.#worker.postMessage(request)
  }

  #hear(reply: LookReply): void {
    const { set, thin } = useShot.getState()
    if (reply.what === 'here') {
      const early = this.#early ?? []
      this.#early = undefined
      for (const request of early) this.#send(request)
    } else if (reply.what === 'composed') {
      const key = this.#busy?.key ?? ''
      const shown = { width: reply.width, height: reply.height, added: reply.added, bare: reply.bare }
      this.#put(key, shown)
      this.#busy = undefined
      this.onShown(key, shown)
      this.#next()
    } else if (reply.what === 'failed') {
      if (reply.id !== undefined) this.#busy = undefined
      if (!/not been read yet|is not kept/.test(reply.message)) set({ message: { text: `${reply.message} ${reply.remedy}`, good: false } })
      this.#next()
    } else if (reply.what === 'thin-frame') {
      const before = thin[reply.item]
      const same = before?.key === reply.key
      const document = useShot.getState().shot?.document
      const frames = reply.frame - (document?.plate.first ?? 0) + 1
      set({ thin: { ...thin, [reply.item]: { key: reply.key, frames, of: reply.of, heatKw: [...(same ? before.heatKw : []).slice(0, frames - 1), reply.heatKw], milliseconds: reply.milliseconds } } })
    } else if (reply.what === 'probed') {
      this.#probes.get(reply.id)?.(reply.rgb)
      this.#probes.delete(reply.id)
    } else if (reply.what === 'linear') {
      this.#linears.get(reply.id)?.(reply.image)
      this.#linears.delete(reply.id)
    } else if (reply.what === 'hashed') {
      this.#hashes.get(reply.id)?.({ hash: reply.hash, threads: reply.threads })
      this.#hashes.delete(reply.id)
    }
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

  #next(): void {
    const wish = this.#wish
    if (!wish || this.#busy) return
    this.#wish = undefined
    this.#busy = { id: ++this.#id, key: wish.key }
    this.#send({ what: 'compose', id: this.#id, ...wish.request })
  }

  /** What is laid for a frame already, or undefined; then it is asked for, unless `only`. */
  want(state: ShotState, frame: number, only = false): Shown | undefined {
    const { shot, status, exposure, soft } = state
    if (!shot) return undefined
    const { document } = shot
    const { source, mark } = sourceOf(state, frame)
    const key = JSON.stringify([document.plate.asset, document.plate.encoding, frame, mark, source.kind === 'none' ? 0 : document.sit, exposure, soft])
    const there = this.#cache.get(key)
    if (there || only) return there
    if (this.#busy?.key === key) return undefined
    this.#wish = { key, request: { frame, document, grain: status?.asset.info.grain?.[document.plate.encoding] ?? NO_GRAIN, source, size: 'half', exposure, way: soft ? 'soft' : 'plain' } }
    this.#next()
    return undefined
  }

  /** Burns the thin form of a gas when its settings have come to rest. */
  burn(document: ShotDocument, item: string): void {
    const gas = document.items[item]
    if (gas?.kind !== 'gas') return
    const key = recipeKey(gasRecipe(document, gas, 'thin'))
    if (useShot.getState().thin[item]?.key === key) return
    clearTimeout(this.#thinTimers.get(item))
    const { first, last } = document.plate
    this.#thinTimers.set(item, setTimeout(() => this.#send({ what: 'thin', key, item, document, frames: Math.min(MOST_THIN_FRAMES, last - first + 1) }), THIN_DELAY_MS))
  }

  probe(x: number, y: number): Promise<[number, number, number]> {
    return new Promise((resolve) => {
      this.#probes.set(++this.#id, resolve)
      this.#send({ what: 'probe', id: this.#id, x, y })
    })
  }

  /** Linear values of the frame that was laid last. */
  linear(): Promise<FloatImage> {
    return new Promise((resolve) => {
      this.#linears.set(++this.#id, resolve)
      this.#send({ what: 'linear', id: this.#id })
    })
  }

  /** The golden hash as this browser computes it with so many threads. */
  hash(threads: number): Promise<{ hash: string; threads: number }> {
    return new Promise((resolve) => {
      this.#hashes.set(++this.#id, resolve)
      this.#send({ what: 'hash', id: this.#id, threads })
    })
  }

  end(): void {
    for (const timer of this.#thinTimers.values()) clearTimeout(timer)
    this.#worker.terminate()
  }
}
