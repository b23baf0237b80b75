import { type Crew, LanternError, makeCrew } from '@lantern/core/base'
import { type Camera, cropped, type FloatImage, makeImage, type Picture } from '@lantern/core/data'
import { plainDeflate, readSurroundings } from '@lantern/core/formats'
import { treeStore } from '@lantern/core/picture'
import {
  carriedFrameKey,
  carriedFrames,
  checkedLays,
  checkFrame,
  composeFrame,
  drawnByItself,
  goldenBreak,
  goldenHash,
  LOOK_SCALE,
  neededFrames,
  type PictureTools,
  plateSun,
  renderPicture,
  type SlideInputs,
  scaledLaw,
  sensorOf,
  stackSettings,
  usesPlate,
} from '@lantern/core/pipeline'
import { effectOf, type ShotDocument } from '@lantern/core/shot'
import {
  AtHand,
  PLAIN_SENSOR,
  plateSpreads,
  plateValues,
  type Spreads,
  type StackSettings,
  toDisplay,
} from '@lantern/core/sit'
import { cuttingMattes, keptFrames } from './cuts.ts'
import { DraftBreaks } from './draftBreaks.ts'
import { Drafts } from './drafts.ts'
import { fetched, fetchedChannels, few, fewBytes, pictureBytes } from './fetched.ts'
import { meshesOf } from './meshes.ts'
import { flameOf, keptPicture, motionsOf } from './motions.ts'
import { plateOf, plates, withAlphaOf } from './plateLight.ts'
import type { CheckRequest, ComposeRequest, LaidFrom, LookReply, LookRequest } from './protocol.ts'

// The browser's computing thread: lays frames, and burns drafts of gases between requests. The same core as the farm's.
const say = (reply: LookReply, transfer: Transferable[] = []): void => self.postMessage(reply, { transfer })
const drafts = new Drafts(say, (error) => sayFailure(error))
const breaks = new DraftBreaks(say, (error) => sayFailure(error))
/** The draft run of an item, of whatever kind. */
const draftRun = (item: string): { key: string; first: number; frames: readonly object[] } | undefined =>
  drafts.runs.get(item) ?? breaks.runs.get(item)

/** Starts a worker and waits until its code is loaded: a crew's caller blocks, and a blocked thread can't load its children. */
function loadedThread(): Promise<Worker> {
  return new Promise((resolve, reject) => {
    const worker = new Worker(new URL('./thread.worker.ts', import.meta.url), { type: 'module' })
    worker.onmessage = () => resolve(worker)
    worker.onerror = () =>
      reject(new LanternError('thread', 'A computing thread could not start.', 'Load the page again.'))
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

const ownPictures = fewBytes(3e8, pictureBytes)
const trees = treeStore(3e8)
const numbers = new WeakMap<object, number>()
let numbered = 0
/** Tells frames apart. */
function numberOf(frame: object): number {
  const number = numbers.get(frame) ?? ++numbered
  numbers.set(frame, number)
  return number
}
const surroundings = few<FloatImage>(3)
/** The frame that was laid last, linear, and what it was laid from. */
let last: { from: string; image: FloatImage } | undefined

/** A picture, and whether it is of other burns than were asked for: those have gone on, or were put out. */
interface Found {
  picture?: Picture
  passing: boolean
}

/** A document whose plate is seen as pictures are made: by the usual sensor, whatever the stack has. */
const plainlySeen = (document: ShotDocument): ShotDocument => {
  const { knee, top } = PLAIN_SENSOR
  return { ...document, sit: { ...document.sit, knee, shoulder: top } }
}

/** A picture of gas that the farm has not made one of yet: kept frames where the source has a key for them, else draft ones; none while none of these has come. Those that a draft run has not come to are stood in for by its newest. */
async function gasPictureOf(crew: Crew, asked: LaidFrom): Promise<Found> {
  const request = { ...asked, document: plainlySeen(asked.document) }
  const { document, frame, source, region } = request
  if (source.kind !== 'runs') return { passing: false }
  const { instances, camera } = source.at
  const draft = new Map<string, object>()
  const wanted: [string, number, string][] = []
  for (const [gas, frames] of neededFrames(instances))
    for (const one of frames) {
      const key = source.keys[gas]
      const run = draftRun(gas)
      const standing = run?.frames[Math.min(Math.max(0, one - run.first), run.frames.length - 1)]
      if (key) wanted.push([gas, one, `${key}/${one}`])
      else if (standing) draft.set(`${gas}/${one}`, standing)
    }
  const passing = Object.entries(source.drafts).some(([gas, burn]) => draftRun(gas)?.key !== burn)
  if (draft.size + wanted.length + drawnByItself(document, frame, instances) === 0) return { passing }
  const key = JSON.stringify([
    frame,
    wanted,
    [...draft].map(([place, one]) => [place, numberOf(one)]),
    instances,
    source.at.mattes,
    document.light,
    document.items,
    document.sit.curve,
    camera,
    region,
  ])
  const there = ownPictures.get(key)
  if (there) return { picture: there, passing }
  const quality = region ? 'final' : 'look'
  const meshes = await meshesOf(document, frame, quality)
  const round = await surroundingsOf(document)
  const carried = new Map<string, FloatImage>()
  for (const [place, { frame: own, other, whole, alpha, passes }] of carriedFrames(document, frame)) {
    const there = other
      ? {
          ...document,
          plate: { ...document.plate, asset: other.asset, encoding: other.encoding },
          sit: { ...document.sit, curve: other.curve },
        }
      : document
    const wanted = { document: there, frame: own, size: whole ? ('full' as const) : ('half' as const) }
    if (passes && other) {
      const key = `${other.asset}/${own}/${passes.join('/')}`
      carried.set(place, plates.get(key) ?? plates.put(key, await fetchedChannels(other.asset, own, passes)))
      continue
    }
    carried.set(place, await (alpha ? withAlphaOf(await crewHere(), wanted, alpha) : plateOf(await crewHere(), wanted)))
  }
  const kept = new Map<string, unknown>()
  const decoded = async (item: string, place: string): Promise<unknown> =>
    effectOf(document.items[item])?.decode(await fetched(`/api/results/${place}`), plainDeflate)
  await Promise.all(
    wanted.map(
      async ([gas, one, place]) =>
        void kept.set(`${gas}/${one}`, keptFrames.get(place) ?? keptFrames.put(place, await decoded(gas, place))),
    ),
  )
  return {
    picture: ownPictures.put(
      key,
      cropped(
        renderPicture(
          crew,
          document,
          source.at,
          (gas, one) => kept.get(`${gas}/${one}`) ?? draft.get(`${gas}/${one}`),
          quality,
          {
            meshes: (blob) => meshes.get(blob),
            trees,
            surroundings: round,
            plates: (one) => carried.get(carriedFrameKey(one)),
            ...(usesPlate(document) ? { plate: await plateOf(await crewHere(), { ...request, size: 'half' }) } : {}),
            ...(region ? await partOf(request, camera, region) : {}),
          },
        ),
      ),
    ),
    passing,
  }
}

/** The picture of the surroundings that a shot's light names and uses. */
async function surroundingsOf({ name, light }: ShotDocument): Promise<FloatImage | undefined> {
  if (light.sky !== 'picture' || !light.surroundings) return undefined
  const { blob, file } = light.surroundings
  const path = `/api/shots/${encodeURIComponent(name)}/surroundings?blob=${blob}`
  return surroundings.get(blob) ?? surroundings.put(blob, readSurroundings(await fetched(path), file))
}

/** What a region is made with besides: its part of a picture as large as a look, and the plate that the set sends on. */
async function partOf(
  request: LaidFrom,
  { width, height }: Camera,
  { x, y, ...size }: NonNullable<LaidFrom['region']>,
): Promise<Pick<PictureTools, 'size' | 'part' | 'plate'>> {
  const [w, h] = [width * LOOK_SCALE, height * LOOK_SCALE]
  return {
    size: LOOK_SCALE,
    part: { x: x * w, y: y * h, width: size.width * w, height: size.height * h },
    plate: await plateOf(await crewHere(), request),
  }
}

const fromOf = ({ frame, document, grain, extras, cuts, motion, source, size, dark, region }: LaidFrom): string =>
  JSON.stringify([frame, document, grain, extras, cuts, motion, source, size, dark, region])

/** A picture that hides and shadows as it does, and gives no light. */
const unlit = (picture: Picture): Picture => ({
  ...picture,
  layers: picture.layers.map(({ emission: _, effect: __, light: ___, ...layer }) => ({
    ...layer,
    ...(layer.colour ? { colour: makeImage(layer.width, layer.height, 3) } : {}),
  })),
})

/** What a frame is laid from, found. */
async function stackOf(
  request: LaidFrom,
): Promise<{ plate: FloatImage; picture?: Picture; passing: boolean; settings: StackSettings; spoiled: Set<string> }> {
  const crew = await crewHere()
  const plate = await plateOf(crew, request)
  const { picture, passing } =
    request.source.kind === 'kept'
      ? { picture: await keptPicture(request.source.key, request.frame), passing: false }
      : await gasPictureOf(crew, request)
  const mattes = await cuttingMattes(request, plate.width)
  const motions = await motionsOf(crew, request, plate, picture)
  const spoiled = new Set<string>()
  const extras = { ...request.extras, mattes, motions, onBad: (layer: string) => void spoiled.add(layer) }
  const settings = stackSettings(request.document, request.grain, request.frame, extras)
  return { plate, passing, settings, spoiled, ...(picture ? { picture } : {}) }
}

/** What slides are told from, with the other frame's picture. */
async function slideOf({ other, standing, ...slide }: NonNullable<CheckRequest['slide']>): Promise<SlideInputs> {
  const picture = other.key ? await keptPicture(other.key, other.frame) : undefined
  return { ...slide, other: { ...other, ...(picture ? { picture } : {}) }, standing: new Set(standing) }
}

const spreads = few<Spreads>(4)
/** Checks how each layer of a frame sits. */
async function check({ id, of, area, areas, shutter, slide, speeds }: CheckRequest): Promise<void> {
  const crew = await crewHere()
  const { plate, picture, settings } = await stackOf(of)
  const { document, frame, size, grain } = of
  if (!picture)
    throw new LanternError(
      'no-picture',
      'There is no picture of this frame yet, so nothing can be checked.',
      'Make a first look of it at the Picture station.',
      { frame },
    )
  const key = JSON.stringify([document.plate.asset, document.plate.encoding, size, settings.sensor, grain])
  const law = scaledLaw(grain, plate.width / document.plate.width)
  const spread = spreads.get(key) ?? spreads.put(key, plateSpreads(plateValues(crew, plate, settings.sensor), law))
  const made = checkFrame(crew, {
    plate,
    picture,
    settings,
    names: checkedLays(document, areas, area),
    fullWidth: document.plate.width,
    frame,
    spreads: spread,
    quick: of.source.kind !== 'kept' || size === 'half',
    sun: plateSun(document.light),
    ...(speeds ? { speeds } : {}),
    ...(slide ? { slide: await slideOf(slide) } : {}),
    ...(shutter === undefined ? {} : { shutter: { plate: shutter, picture: document.camera.shutter / 360 } }),
    ...(area ? { area } : {}),
  })
  say({ what: 'checked', id, check: made })
}

/** What was made of the frame that was laid last. */
const atHand = { frame: Number.NaN, images: new AtHand() }

/** Lays a frame over its plate, linear; the last one is at hand. */
async function laid(
  request: LaidFrom,
): Promise<{ plate: FloatImage; image: FloatImage; passing: boolean; picture?: Picture; spoiled: Set<string> }> {
  const crew = await crewHere()
  const { document } = request
  const { plate, picture, passing, settings, spoiled } = await stackOf(request)
  // The same frame again, as while a value is dragged: what did not change of it is at hand.
  const again = atHand.frame === request.frame ? atHand.images : undefined
  atHand.frame = request.frame
  const lay = (shown: Picture | undefined): FloatImage =>
    composeFrame(crew, plate, shown, settings, document.plate.width, request.frame, undefined, again)
  const image = lay(picture)
  // One light's share: what there is more of than without any light.
  if (request.dark && picture)
    lay(unlit(picture)).data.forEach((value, n) => (image.data[n] = Math.max(0, (image.data[n] ?? 0) - value)))
  last = { from: fromOf(request), image }
  return { plate, image, passing, picture, spoiled }
}

/** The linear picture that a reading is taken of. */
const imageOf = async (of: LaidFrom | undefined): Promise<FloatImage | undefined> =>
  !of || last?.from === fromOf(of) ? last?.image : (await laid(of)).image

const bares = new WeakMap<FloatImage, { key: string; bytes: Uint8Array }>()
/** The plate alone for the screen; of each plate at hand it is made once. */
function bareOf(crew: Crew, plate: FloatImage, { document: { sit }, exposure }: ComposeRequest): Uint8Array {
  const sensor = sensorOf(sit)
  const key = JSON.stringify([exposure, sit.curve, sensor])
  const known = bares.get(plate)
  if (known?.key === key) return known.bytes.slice()
  const image = makeImage(plate.width, plate.height, 4)
  for (let n = 0; n < plate.width * plate.height; n++) {
    for (let c = 0; c < 3; c++) image.data[n * 4 + c] = plate.data[n * 3 + c] ?? 0
    image.data[n * 4 + 3] = 1
  }
  const bytes = toDisplay(crew, image, exposure, sit.curve, sensor)
  bares.set(plate, { key, bytes })
  return bytes.slice()
}

async function compose(request: ComposeRequest): Promise<void> {
  const begun = performance.now()
  const crew = await crewHere()
  const { plate, image, passing, picture, spoiled } = await laid(request)
  const sensor = sensorOf(request.document.sit)
  const added = toDisplay(crew, image, request.exposure, request.document.sit.curve, sensor)
  const bare = bareOf(crew, plate, request)
  say(
    {
      what: 'composed',
      id: request.id,
      frame: request.frame,
      width: plate.width,
      height: plate.height,
      added,
      bare,
      milliseconds: performance.now() - begun,
      passing,
      flame: picture && flameOf(picture),
      ...(spoiled.size > 0 ? { spoiled: [...spoiled].join(' ') } : {}),
    },
    [added.buffer, bare.buffer],
  )
}

/** A hash over a fixed small burn: the same in every engine and for any number of threads. */
async function hash(threads: number): Promise<{ hash: string; breaks: string; threads: number }> {
  const own = await crewOf(threads)
  try {
    return { hash: goldenHash(own), breaks: await goldenBreak(), threads: own.threads }
  } finally {
    own.end()
  }
}

function sayFailure(error: unknown, id?: number): void {
  const known = error instanceof LanternError ? error : undefined
  say({
    what: 'failed',
    ...(id === undefined ? {} : { id }),
    message: known?.message ?? (error instanceof Error ? error.message : 'Something went wrong.'),
    remedy: known?.remedy ?? 'Change a setting and try again.',
  })
}

async function serve(request: LookRequest): Promise<void> {
  try {
    if (request.what === 'compose') await compose(request)
    else if (request.what === 'check') await check(request)
    else if (request.what === 'draft') drafts.start(request)
    else if (request.what === 'draft-break') breaks.start(request)
    else if (request.what === 'cancel-draft') {
      drafts.cancel(request.item)
      breaks.cancel(request.item)
    } else if (request.what === 'hash') say({ what: 'hashed', id: request.id, ...(await hash(request.threads)) })
    else if (request.what === 'linear')
      say({ what: 'linear', id: request.id, image: (await imageOf(request.of)) ?? makeImage(1, 1, 4) })
    else {
      const { width = 0, height = 0, data = [] } = (await imageOf(request.of)) ?? {}
      const o = (Math.floor(request.y * height) * width + Math.floor(request.x * width)) * 4
      say({ what: 'probed', id: request.id, rgb: [data[o] ?? 0, data[o + 1] ?? 0, data[o + 2] ?? 0] })
    }
  } catch (error) {
    sayFailure(error, 'id' in request ? request.id : undefined)
  }
}

self.onmessage = (message: MessageEvent<LookRequest>) => void serve(message.data)
say({ what: 'here' })
