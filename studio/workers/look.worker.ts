import { type Crew, LanternError, makeCrew } from '@lantern/core/base'
import { type FloatImage, type GasFrame, makeImage } from '@lantern/core/data'
import { readExr, readGasFrame } from '@lantern/core/formats'
import { GasSimulation } from '@lantern/core/gas'
import { composeFrame, goldenHash, neededFrames, plateImage, readPasses, renderPicture, stackSettings } from '@lantern/core/pipeline'
import type { Passes } from '@lantern/core/picture'
import { toDisplay } from '@lantern/core/sit'
import type { ComposeRequest, LaidFrom, LookReply, LookRequest, ThinRequest } from './protocol.ts'

// The browser's computing thread: lays frames, and burns thin gases between requests. The same core as the farm's.
const say = (reply: LookReply, transfer: Transferable[] = []): void => self.postMessage(reply, { transfer })

/** Starts a worker and waits until its code is loaded: a crew's caller blocks, and a blocked thread can't load its children. */
function loadedThread(): Promise<Worker> {
  return new Promise((resolve, reject) => {
    const worker = new Worker(new URL('./thread.worker.ts', import.meta.url), { type: 'module' })
    worker.onmessage = () => resolve(worker)
    worker.onerror = () => reject(new LanternError('thread', 'A computing thread could not start.', 'Load the page again.'))
  })
}

let crew: Promise<Crew> | undefined
/** The crew of this worker: all threads where memory can be shared, else one. */
function crewHere(): Promise<Crew> {
  const shared = typeof SharedArrayBuffer !== 'undefined' && self.crossOriginIsolated
  crew ??= crewOf(shared ? Math.max(1, Math.min(4, navigator.hardwareConcurrency)) : 1)
  return crew
}

/** A crew whose threads all sit: a message to one still on its way would never arrive once the caller blocks. */
async function crewOf(threads: number): Promise<Crew> {
  const loaded = await Promise.all(Array.from({ length: threads - 1 }, loadedThread)).catch(() => [])
  const seated: Promise<unknown>[] = []
  const made = makeCrew(loaded.length + 1, (seat) => {
    const worker = loaded.pop()
    if (worker) seated.push(new Promise((resolve) => (worker.onmessage = resolve)))
    worker?.postMessage(seat)
    return () => worker?.terminate()
  })
  await Promise.all(seated)
  return made
}

/** A few of the newest values, oldest dropped first. */
function few<T>(most: number): { get(key: string): T | undefined; put(key: string, value: T): T } {
  const map = new Map<string, T>()
  return {
    get(key) {
      const value = map.get(key)
      if (value !== undefined) {
        map.delete(key)
        map.set(key, value)
      }
      return value
    },
    put(key, value) {
      map.set(key, value)
      if (map.size > most) map.delete(map.keys().next().value ?? '')
      return value
    },
  }
}

const plates = few<FloatImage>(24)
const passesKept = few<Passes>(12)
const ownPasses = few<Passes>(48)
/** A thin run's frames, the newest over the older ones: the same frame made finer takes the coarser one's place. */
const thinRuns = new Map<string, { key: string; first: number; frames: GasFrame[] }>()
const numbers = new WeakMap<GasFrame, number>()
let numbered = 0
/** Tells frames apart. */
function numberOf(frame: GasFrame): number {
  const number = numbers.get(frame) ?? ++numbered
  numbers.set(frame, number)
  return number
}
const keptGas = few<GasFrame>(16)
/** The frame that was laid last, linear, and what it was laid from. */
let last: { from: string; image: FloatImage } | undefined

async function fetched(path: string): Promise<Uint8Array> {
  const response = await fetch(path)
  if (!response.ok) {
    const body = (await response.json().catch(() => ({}))) as { message?: string; remedy?: string; code?: string }
    throw new LanternError(body.code ?? 'fetch', body.message ?? 'That could not be fetched.', body.remedy ?? 'Try again.')
  }
  return new Uint8Array(await response.arrayBuffer())
}

async function plateOf({ document, frame, size }: LaidFrom): Promise<FloatImage> {
  const { plate } = document
  const key = `${plate.asset}/${frame}/${size}/${plate.encoding}`
  const known = plates.get(key)
  if (known) return known
  const bytes = await fetched(`/api/assets/${plate.asset}/${frame}?size=${size}`)
  if (bytes[0] === 0x76) {
    const exr = readExr(bytes, 'plate')
    const image = makeImage(exr.width, exr.height, 3)
    ;['R', 'G', 'B'].forEach((name, c) => exr.channels.find((channel) => channel.name === name)?.data.forEach((value, n) => (image.data[n * 3 + c] = value)))
    return plates.put(key, image)
  }
  const bitmap = await createImageBitmap(new Blob([bytes.slice()]), { colorSpaceConversion: 'none', premultiplyAlpha: 'none' })
  const context = new OffscreenCanvas(bitmap.width, bitmap.height).getContext('2d', { willReadFrequently: true, colorSpace: 'srgb' })
  if (!context) throw new LanternError('canvas', 'The browser gives no canvas.', 'Close other pages and load this one again.')
  context.drawImage(bitmap, 0, 0)
  const { data, width, height } = context.getImageData(0, 0, bitmap.width, bitmap.height)
  bitmap.close()
  return plates.put(key, plateImage(new Uint8Array(data.buffer), width, height, plate.encoding, 4))
}

/** Passes of gas that the farm has not made a picture of yet: kept frames where the source has a key for them, else thin ones; undefined while none of these has come. Those that a thin run has not come to are stood in for by its newest. */
async function gasPassesOf(crew: Crew, { document, frame, source }: LaidFrom): Promise<Passes | undefined> {
  if (source.kind !== 'gas') return undefined
  const { showings, camera } = source.at
  const thin = new Map<string, GasFrame>()
  const wanted: [string, number, string][] = []
  for (const [gas, frames] of neededFrames(showings))
    for (const one of frames) {
      const key = source.keys[gas]
      const run = thinRuns.get(gas)
      const standing = run?.frames[Math.min(Math.max(0, one - run.first), run.frames.length - 1)]
      if (key) wanted.push([gas, one, `${key}/${one}`])
      else if (standing) thin.set(`${gas}/${one}`, standing)
    }
  if (thin.size + wanted.length === 0) return undefined
  const key = JSON.stringify([frame, wanted, [...thin].map(([place, one]) => [place, numberOf(one)]), showings, document.light, document.items, camera])
  const there = ownPasses.get(key)
  if (there) return there
  const kept = new Map<string, GasFrame>()
  await Promise.all(wanted.map(async ([gas, one, place]) => void kept.set(`${gas}/${one}`, keptGas.get(place) ?? keptGas.put(place, readGasFrame(await fetched(`/api/results/${place}`))))))
  return ownPasses.put(key, renderPicture(crew, document, source.at, (gas, one) => kept.get(`${gas}/${one}`) ?? thin.get(`${gas}/${one}`), 'look'))
}

async function keptPasses(key: string, frame: number): Promise<Passes> {
  return passesKept.get(key) ?? passesKept.put(key, readPasses(await fetched(`/api/results/${key}/${frame}`)))
}

const fromOf = ({ frame, document, grain, source, size }: LaidFrom): string => JSON.stringify([frame, document, grain, source, size])

/** Lays a frame over its plate, linear; the last one is at hand. */
async function laid(request: LaidFrom): Promise<{ plate: FloatImage; image: FloatImage }> {
  const crew = await crewHere()
  const plate = await plateOf(request)
  const passes = request.source.kind === 'kept' ? await keptPasses(request.source.key, request.frame) : await gasPassesOf(crew, request)
  const { sit, plate: info } = request.document
  const image = composeFrame(crew, plate, passes, stackSettings(sit, request.grain), info.width, request.frame)
  last = { from: fromOf(request), image }
  return { plate, image }
}

/** The linear picture that a reading is taken of. */
const imageOf = async (of: LaidFrom | undefined): Promise<FloatImage | undefined> => (!of || last?.from === fromOf(of) ? last?.image : (await laid(of)).image)

async function compose(request: ComposeRequest): Promise<void> {
  const begun = performance.now()
  const crew = await crewHere()
  const { plate, image } = await laid(request)
  const bareImage = makeImage(plate.width, plate.height, 4)
  for (let n = 0; n < plate.width * plate.height; n++) {
    for (let c = 0; c < 3; c++) bareImage.data[n * 4 + c] = plate.data[n * 3 + c] ?? 0
    bareImage.data[n * 4 + 3] = 1
  }
  const added = toDisplay(crew, image, request.exposure, request.way)
  const bare = toDisplay(crew, bareImage, request.exposure, request.way)
  say({ what: 'composed', id: request.id, frame: request.frame, width: plate.width, height: plate.height, added, bare, milliseconds: performance.now() - begun }, [added.buffer, bare.buffer])
}

/** A thin gas that burns: advanced a frame at a time, in turn with the others. */
interface Burning {
  request: ThinRequest
  crew: Crew
  simulation: GasSimulation
  runUp: number
  kept: GasFrame[]
  /** Whether this is the second, finer burn. */
  finer: boolean
}
const burning = new Map<string, Burning>()
let turning = false
/** Frames of the run-up between two that are shown. */
const SHOWN_OF_RUN_UP = 3

function putOut(item: string): void {
  burning.get(item)?.crew.end()
  burning.delete(item)
}

/** What is kept needs no thin form; one that was cut short is not shown as if it were whole. */
function quench(item: string): void {
  putOut(item)
  thinRuns.delete(item)
}

function start(request: ThinRequest, finer: boolean): void {
  const { item, settings, rate } = request
  const own = makeCrew(1)
  const before = finer ? thinRuns.get(item)?.frames ?? [] : []
  const made = finer ? request.finer ?? settings : settings
  // The run-up is shortened: a thin fire stands after half a second, and a first look should not wait.
  const runUp = finer ? made.runUp : Math.min(made.runUp, Math.ceil(rate / 2))
  burning.set(item, { request, crew: own, simulation: new GasSimulation(own, { ...made, runUp }, rate), runUp, kept: [...before], finer })
}

/** Lights a thin gas in place of the item's one before. */
function light(request: ThinRequest): void {
  const { key, item } = request
  if (thinRuns.get(item)?.key === key || burning.get(item)?.request.key === key) return
  putOut(item)
  start(request, false)
  if (!turning) void turn()
}

/** Advances what burns, frame by frame, giving way to other requests in between. */
async function turn(): Promise<void> {
  turning = true
  while (burning.size > 0)
    for (const [item, one] of burning) {
      try {
        advanceThin(item, one)
      } catch (error) {
        putOut(item)
        sayFailure(error)
        say({ what: 'thin-done', key: one.request.key, item })
      }
      await new Promise((resolve) => setTimeout(resolve))
    }
  turning = false
}

function advanceThin(item: string, { request, simulation, runUp, kept, finer }: Burning): void {
  const { key, first, frames } = request
  const begun = performance.now()
  const figures = simulation.advance()
  const n = simulation.done - 1 - runUp
  if (n < 0 && (finer || simulation.done % SHOWN_OF_RUN_UP !== 0)) return
  // While the run-up burns its newest frame stands in for the first one, so that something is seen at once.
  kept[Math.max(0, n)] = simulation.keep()
  thinRuns.set(item, { key, first, frames: kept })
  say({ what: 'thin-frame', key, item, frame: first + Math.max(0, n), heatKw: figures.heatKw, height: figures.height, standing: figures.standing, neck: figures.neck, of: frames, milliseconds: performance.now() - begun, cell: simulation.box.cell, finer })
  if (n < frames - 1) return
  putOut(item)
  if (!finer && request.finer) return start(request, true)
  say({ what: 'thin-done', key, item })
}

/** A hash over a fixed small burn: the same in every engine and for any number of threads. */
async function hash(threads: number): Promise<{ hash: string; threads: number }> {
  const own = await crewOf(threads)
  try {
    return { hash: goldenHash(own), threads: own.threads }
  } finally {
    own.end()
  }
}

function sayFailure(error: unknown, id?: number): void {
  const known = error instanceof LanternError ? error : undefined
  say({ what: 'failed', ...(id === undefined ? {} : { id }), message: known?.message ?? (error instanceof Error ? error.message : 'Something went wrong.'), remedy: known?.remedy ?? 'Change a setting and try again.' })
}

async function serve(request: LookRequest): Promise<void> {
  try {
    if (request.what === 'compose') await compose(request)
    else if (request.what === 'thin') light(request)
    else if (request.what === 'quench') quench(request.item)
    else if (request.what === 'hash') say({ what: 'hashed', id: request.id, ...(await hash(request.threads)) })
    else if (request.what === 'linear') say({ what: 'linear', id: request.id, image: (await imageOf(request.of)) ?? makeImage(1, 1, 4) })
    else {
      const { width = 0, height = 0, data = [] } = (await imageOf(request.of)) ?? {}
      const o = (Math.floor(request.y * height) * width + Math.floor(request.x * width)) * 4
      say({ what: 'probed', id: request.id, rgb: [data[o] ?? 0, data[o + 1] ?? 0, data[o + 2] ?? 0] })
    }
  } catch (error) {
    sayFailure(error, 'id' in request ? request.id : undefined)
    if (request.what === 'thin') say({ what: 'thin-done', key: request.key, item: request.item })
  }
}

self.onmessage = (message: MessageEvent<LookRequest>) => void serve(message.data)
say({ what: 'here' })
