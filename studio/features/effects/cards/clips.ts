import { LanternError } from '@lantern/core/base'
import { guessBacking } from '@lantern/core/cards'
import type { FloatImage } from '@lantern/core/data'
import { type ClipOfCard, cardsEffect, isCard } from '@lantern/core/effects/cards'
import { isMatte } from '@lantern/core/mattes'
import { pickSurface, plateImage } from '@lantern/core/pipeline'
import type { ShotItem } from '@lantern/core/shot'
import type { Asset, Shot } from '@lantern/store'
import { colourPlanes, fetched, pixelsOf } from '@/workers/fetched.ts'
import { call, shotPath } from '../../api.ts'
import { bareName } from '../../set/packed.ts'
import { cameraNow, useShot } from '../../shot/shotStore.ts'
import { takeInFrames } from '../../shots/upload.ts'
import { addRender } from '../renders/takeIn.ts'

// The filmed frames of a card: taken in, or those of another shot.

/** A clip of what was read of its files. Throws LanternError where it has no frames. */
export function clipOf({ id, file, info }: Asset & { id: string }, curve: ClipOfCard['curve']): ClipOfCard {
  const { first, last, width, height, rate } = info
  if (first === undefined || last === undefined || last < first || !width || !height)
    throw new LanternError('clip', `${file} has no frames.`, 'Take another clip in.', { field: 'clip' })
  const [over, under] = rate ?? [24, 1]
  const encoding = /\.exr$/i.test(file) ? 'linear' : /\.(png|jpe?g|tiff?)$/i.test(file) ? 'srgb' : 'rec709'
  const alpha = info.alpha ? { alpha: encoding === 'linear' ? ('premultiplied' as const) : ('straight' as const) } : {}
  return { shot: '', asset: id, file, first, last, width, height, rate: over / under, encoding, curve, ...alpha }
}

/** Puts a clip on a card; one that says what of it is there is taken at its word. */
export function putClip(id: string, clip: ClipOfCard): void {
  const before = useShot.getState().shot?.document.items[id]
  const there = clip.alpha
    ? { there: 'with alpha' as const }
    : isCard(before) && before.there === 'with alpha'
      ? { there: 'on black' as const }
      : {}
  // A patch merges: what the clip before it had is taken away.
  const own = { ...clip, alpha: clip.alpha ?? null, mattes: clip.mattes ?? null }
  useShot.getState().edit({ items: { [id]: { clip: own, ...there } } })
}

/** Takes a clip's files in for a card. Throws LanternError. */
export async function takeClip(id: string, files: readonly File[], say: (what: string) => void): Promise<void> {
  const asset = await takeInFrames(files, (_, what) => say(what))
  const curve = useShot.getState().shot?.document.sit.curve ?? 'clip'
  putClip(id, clipOf(asset, curve))
}

/** Whether dropped files are a clip, and not a mesh with its pictures. */
export const isClip = (files: readonly File[]): boolean =>
  files.length > 0 &&
  (files.every(({ name }) => STILL.test(name)) || (files.length === 1 && MOVIE.test(files[0]?.name ?? '')))
const STILL = /\.(png|jpe?g|tiff?|exr)$/i
const MOVIE = /\.(mov|mp4|m4v|webm|mkv|avi|mxf|ogv|mpe?g)$/i

/** Stands a dropped clip where it was dropped (shares of the picture), cut out as its border tells; files with passes become a render. */
export async function dropClip(files: readonly File[], at: readonly [number, number] = [0.5, 0.75]): Promise<void> {
  const { shot, frame, edit, set } = useShot.getState()
  if (!shot) return
  const camera = cameraNow(useShot.getState(), frame)
  const place = camera && pickSurface(shot.document, camera, at[0] * camera.width, at[1] * camera.height, frame)?.point
  const say = (what: string): void => set({ message: { text: what, good: true } })
  const asset = await takeInFrames(files, (_, what) => say(what))
  if (asset.info.channels) return addRender(asset)
  const clip = clipOf(asset, shot.document.sit.curve)
  const id = `card-${crypto.randomUUID().slice(0, 6)}`
  const [preset] = cardsEffect.presets
  const position = (place ?? [0, 0, 0]).map((value) => Math.round(value * 1000) / 1000) as [number, number, number]
  const made = preset?.place(shot.document, id, { position, frame }) as { items: Record<string, object> }
  const { there, colour } = clip.alpha
    ? { there: 'with alpha' as const, colour: undefined }
    : guessBacking(await frameOfClip(clip, clip.first))
  const own = { name: bareName(clip.file), clip, there, ...(there === 'keyed' ? { keyColour: colour } : {}) }
  edit({ items: { [id]: { ...made.items[id], ...own } } }, true)
  set({
    chosen: id,
    station: 'Effects',
    message: { text: `${clip.file} stands where it was dropped: ${TOLD[there]}.`, good: true },
  })
}
const TOLD = {
  'with alpha': 'it says itself what of it is there',
  'on black': 'filmed on black, as its border tells',
  keyed: 'the colour round it is taken out',
  'all of it': 'all of its frame is there',
} as const

/** A small picture of a clip's frame, linear. */
export async function frameOfClip({ asset, encoding }: ClipOfCard, frame: number): Promise<FloatImage> {
  const bytes = await fetched(`/api/assets/${asset}/${frame}?size=quarter`)
  if (bytes[0] === 0x76) return colourPlanes(bytes)
  const { data, width, height } = await pixelsOf(bytes)
  return plateImage(new Uint8Array(data.buffer), width, height, encoding, 4)
}

/** The mattes of a shot that say by themselves what they cover: drawn ones, of shapes that go with nothing, and those that take them. */
export function drawnMattes({ items }: Pick<Shot['document'], 'items'>): NonNullable<ClipOfCard['mattes']> {
  const plain = (item: ShotItem | undefined, around: readonly ShotItem[]): boolean =>
    item !== undefined &&
    isMatte(item) &&
    !around.includes(item) &&
    !item.helped &&
    Object.keys(item.painted).length === 0 &&
    Object.values(item.shapes).every(({ rides }) => !rides) &&
    Object.values(item.takes).every(({ of }) => plain(items[of], [...around, item]))
  return Object.fromEntries(
    Object.entries(items).flatMap(([id, item]) => (isMatte(item) && plain(item, []) ? [[id, item] as const] : [])),
  )
}

/** Puts another shot's plate on a card, with its drawn mattes as they are now. */
export async function takeShotAsClip(id: string, name: string): Promise<void> {
  const { document } = await call<Shot>(shotPath(name))
  const { asset, file, first, last, width, height, rate, encoding } = document.plate
  const { curve } = document.sit
  putClip(id, {
    shot: name,
    asset,
    file,
    first,
    last,
    width,
    height,
    rate: rate[0] / rate[1],
    encoding,
    curve,
    mattes: drawnMattes(document),
  })
}
