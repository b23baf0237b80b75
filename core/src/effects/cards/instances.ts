import { type ClipFrame, clipFrames, clipStep, type Sticking, steadyCorners } from '../../cards/index.ts'
import { add, cos, panTiltRoll, pow, type Quaternion, radians, sin, subtract, type Vec3 } from '../../math/index.ts'
import { AT_HOME } from '../../picture/index.ts'
import { frameRate, type ItemDocument, movedAndSettledAt, type SignalInputs } from '../../settings/index.ts'
import type { EffectInstance, OtherFrame } from '../effect.ts'
import { keptMattes } from '../keptMattes.ts'
import { CARD_SETTINGS, type CardItem, type ClipOfCard, isCard } from './schema.ts'
import { copiesOf, copyPlaces } from './spread.ts'

/** How a card looks at a frame, and where it stands. */
export interface CardLook {
  frames: readonly ClipFrame[]
  clip: Omit<OtherFrame, 'frame'>
  /** Width over height of the filmed frame, and its width, px. */
  aspect: number
  clipWidth: number
  there: CardItem['there']
  /** How a moment between two of its frames is made. */
  between: CardItem['between']
  /** The matte that cuts it, by its id: of the shot, or of the clip. */
  cutBy?: { matte: string; mattes?: ClipOfCard['mattes'] }
  /** Levels and shares as matte.ts has them. */
  lift: number
  full: number
  key: { colour: readonly [number, number, number]; near: number; far: number; spill: number; edge: number }
  feather: number
  height: number
  foot: number
  faces: CardItem['faces']
  mirror: boolean
  /** m before the set over which it fades out. */
  fade: number
  /** Gain of each channel. */
  gain: readonly [number, number, number]
  /** How strongly it lights what is round it, against how bright it is. */
  light: number
  place: Vec3
  turn: Quaternion
  /** The flat track that it goes with: the frame as which it stands in the set, and how the track moved since. */
  stuck?: Sticking & { frame: number }
  /** So far away that it turns with the camera alone: towards it (unit), its height as it is seen and its roll, radians. */
  sky?: {
    towards: Vec3
    across: number
    roll: number
    /** Whether its brighter side looks towards the sun. */
    litSide: boolean
    /** Share of it that air hides at the horizon, and the air's colour. */
    haze: number
    hazeColour: readonly [number, number, number]
    elevation: number
  }
  /** Where it was filmed: the frame of the plate, how far away (m; 0 as its matte), and by how much it is moved, m. */
  filmed?: { frame: number; stands: number; moved: Vec3 }
}

/** How fast a card's clip runs: its own frames a frame of the plate, and against how it was delivered. */
export function cardSpeed(
  { clip, shotAt, pace }: Pick<CardItem, 'clip' | 'shotAt' | 'pace'>,
  plate: number,
): { step: number; delivered: number } | undefined {
  if (!clip) return undefined
  const shot = shotAt || clip.rate
  return { step: clipStep({ shot, plate, pace }), delivered: shot / clip.rate }
}

/** The clip's frames that a copy shows at a frame; none before it begins, after it ends, and without a clip. later: frames by which it begins later. */
export function cardFrames(document: ItemDocument, item: CardItem, frame: number, later = 0): ClipFrame[] {
  const { clip, shotAt, pace, reversed, begins, ends, after, crossFade, offset, between } = item
  if (!clip || (ends !== 0 && frame > ends)) return []
  const { first, last, rate } = clip
  const start = begins === 0 ? document.plate.first : begins
  return clipFrames(
    {
      first,
      last,
      shot: shotAt || rate,
      plate: frameRate(document.plate),
      pace: reversed ? -pace : pace,
      after,
      crossFade,
      offset,
      between,
    },
    frame - start - later,
  )
}

/** Clips up to this width are taken whole, px; of larger ones half is as fine as a card needs. */
const WHOLE = 1280
/** Where a clip's frames come from. */
const sourceOf = (
  { asset, encoding, curve, width, alpha }: ClipOfCard,
  there: CardItem['there'],
): Omit<OtherFrame, 'frame'> => ({
  asset,
  encoding,
  curve,
  // What is lifted out of the plate stays as fine as it is.
  ...(width <= WHOLE || there === 'by a matte' ? { whole: true } : {}),
  ...(alpha && there === 'with alpha' ? { alpha } : {}),
})

type CutSettings = Pick<
  CardItem,
  'there' | 'lift' | 'full' | 'keyColour' | 'near' | 'keeps' | 'spill' | 'edge' | 'feather'
>
/** What decides what is there of a card's frames, as shares. */
const cutOf = (now: CutSettings): Pick<CardLook, 'there' | 'lift' | 'full' | 'key' | 'feather'> => ({
  there: now.there,
  lift: now.lift / 100,
  full: now.full / 100,
  key: {
    colour: now.keyColour,
    near: now.near / 100,
    far: now.keeps / 100,
    spill: now.spill / 100,
    edge: now.edge / 100,
  },
  feather: now.feather / 100,
})

/** What a reading of a card's clip is taken of: its frames, and what of them is there. */
export const clipRead = ({ clip, ...item }: CardItem) => ({
  source: clip ? sourceOf(clip, item.there) : { asset: '', encoding: 'linear' as const, curve: 'clip' as const },
  first: clip?.first ?? 0,
  last: clip?.last ?? -1,
  cut: cutOf(item),
})

/** Where in the sky a card is. */
function skyOf({
  azimuth,
  elevation,
  degrees,
  roll,
  litSide,
  haze,
  hazeColour,
}: CardItem): NonNullable<CardLook['sky']> {
  const [a, e] = [radians(azimuth), radians(elevation)]
  return {
    towards: [sin(a) * cos(e), sin(e), -cos(a) * cos(e)],
    across: radians(degrees),
    roll: radians(roll),
    litSide,
    haze: haze / 100,
    hazeColour,
    elevation: e,
  }
}

/** How the flat track that a card is stuck to has moved; undefined where it is not known. */
function stickingOf(
  { plate }: ItemDocument,
  { stuck }: CardItem,
  frame: number,
  inputs: SignalInputs,
): CardLook['stuck'] {
  if (!stuck) return undefined
  const { track, way, takes } = stuck
  const corners = (at: number) => {
    const places = inputs.track?.(track, at)
    return places?.length === 4 ? places : undefined
  }
  const to = corners(frame)
  const from = takes === 'travel' ? corners(stuck.frame) : steadyCorners(corners, frame)
  if (!to || !from) return undefined
  const { width } = plate as ItemDocument['plate'] & { width: number }
  return { way, from, to, plateWidth: width, frame: takes === 'travel' ? stuck.frame : frame }
}

/** Whether a card shows the shot's own plate: then the shot's mattes cut it, and it can stand where it was filmed. */
export const isOwnPlate = ({ plate }: Pick<ItemDocument, 'plate'>, { clip }: Pick<CardItem, 'clip'>): boolean =>
  clip !== undefined && clip.asset === (plate as ItemDocument['plate'] & { asset?: string }).asset

/** The matte that cuts a card, of the shot or of its clip; undefined where there is none. */
function cutByOf(document: ItemDocument, { clip, there, cutBy }: CardItem): CardLook['cutBy'] {
  if (there !== 'by a matte' || cutBy === '') return undefined
  if (isOwnPlate(document, { clip })) return { matte: cutBy }
  return clip?.mattes?.[cutBy] ? { matte: cutBy, mattes: clip.mattes } : undefined
}

/** The mattes of the shot that a card is drawn with at a frame: what cuts its frames, and inside which it is seen. */
export function cardMattes(document: ItemDocument, id: string, frame: number): { matte: string; frame: number }[] {
  const item = document.items[id]
  if (!isCard(item) || !item.clip) return []
  const cut = cutByOf(document, item)
  const frames =
    cut && !cut.mattes ? copiesOf(item).flatMap(({ later }) => cardFrames(document, item, frame, later)) : []
  return [
    ...[...new Set(frames.map((one) => one.frame))].map((own) => ({ matte: cut?.matte ?? '', frame: own })),
    ...(item.inside ? [{ matte: item.inside, frame }] : []),
  ]
}

/** Where what was filmed stands, of the plate's own frames. */
function filmedOf(
  document: ItemDocument,
  { far, clip, standsAt, moved }: CardItem,
  frames: readonly ClipFrame[],
  aside: Vec3 = [0, 0, 0],
): CardLook['filmed'] {
  const [first] = frames
  if (far !== 'as filmed' || !first || !isOwnPlate(document, { clip })) return undefined
  return { frame: first.frame, stands: standsAt, moved: add(moved, aside) }
}

/** What a card shows at a frame: itself and its copies, and the kept frames of the mattes that it is drawn with. */
export function cardInstances(
  document: ItemDocument,
  id: string,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<CardLook | null>[] {
  const item = document.items[id]
  if (!isCard(item) || !item.clip) return []
  const now = movedAndSettledAt(document, item, CARD_SETTINGS, frame, inputs)
  const clip: ClipOfCard = item.clip
  const turn = panTiltRoll(radians(now.turn), 0, 0)
  const { tint } = now
  const sky = now.far === 'in the sky' ? { sky: skyOf(now) } : {}
  const stuck = stickingOf(document, item, frame, inputs)
  const cutBy = cutByOf(document, item)
  const places = copyPlaces(document, sky.sky ? { ...now, copies: 1 } : now, turn, frame, inputs)
  const shown = copiesOf(item).flatMap(({ later, scale, stops, mirror }, n): EffectInstance<CardLook>[] => {
    const place = places[n]
    const frames = place ? cardFrames(document, item, frame, later) : []
    if (!place || frames.length === 0) return []
    const gain = pow(2, now.exposure + stops)
    const filmed = filmedOf(document, now, frames, subtract(place, now.position))
    const look: CardLook = {
      frames,
      clip: sourceOf(clip, now.there),
      aspect: clip.width / clip.height,
      clipWidth: clip.width,
      between: now.between,
      ...(cutBy ? { cutBy } : {}),
      ...cutOf(now),
      height: now.height * scale,
      foot: now.foot / 100,
      faces: now.faces,
      mirror: now.mirror !== mirror,
      fade: now.fade,
      gain: [tint[0] * gain, tint[1] * gain, tint[2] * gain],
      light: sky.sky ? 0 : now.light,
      place,
      turn,
      ...(stuck ? { stuck } : {}),
      ...sky,
      ...(filmed ? { filmed } : {}),
    }
    return [{ item: id, of: id, frames: [], place: AT_HOME, look }]
  })
  const mattes = cardMattes(document, id, frame).flatMap((one) => keptMattes(document, id, one.matte, one.frame))
  return [...shown, ...mattes]
}

/** The filmed frames that a card and its copies need at a frame, each once. */
export function cardClips(document: ItemDocument, id: string, frame: number): OtherFrame[] {
  const item = document.items[id]
  if (!isCard(item) || !item.clip) return []
  const source = sourceOf(item.clip, item.there)
  const frames = copiesOf(item).flatMap(({ later }) => cardFrames(document, item, frame, later))
  return [...new Set(frames.map((one) => one.frame))].map((own) => ({ ...source, frame: own }))
}

/** Frames through whose cameras a card is seen too: what it is stuck to begins there, or it was filmed there. */
export function cardCameras(document: ItemDocument, id: string, frame: number): number[] {
  const item = document.items[id]
  if (!isCard(item)) return []
  const filmed = copiesOf(item).flatMap(
    ({ later }) => filmedOf(document, item, cardFrames(document, item, frame, later))?.frame ?? [],
  )
  return [...(item.stuck?.takes === 'travel' ? [item.stuck.frame] : []), ...new Set(filmed)]
}
