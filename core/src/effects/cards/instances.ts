import { type ClipFrame, clipFrames, clipStep } from '../../cards/index.ts'
import { panTiltRoll, pow, type Quaternion, radians, type Vec3 } from '../../math/index.ts'
import { AT_HOME } from '../../picture/index.ts'
import { frameRate, type ItemDocument, movedAndSettledAt, type SignalInputs } from '../../settings/index.ts'
import type { EffectInstance, OtherFrame } from '../effect.ts'
import { CARD_SETTINGS, type CardItem, isCard } from './schema.ts'

/** How a card looks at a frame, and where it stands. */
export interface CardLook {
  frames: readonly ClipFrame[]
  clip: Omit<OtherFrame, 'frame'>
  /** Width over height of the filmed frame. */
  aspect: number
  there: CardItem['there']
  /** Levels and shares as matte.ts has them. */
  lift: number
  full: number
  key: { colour: readonly [number, number, number]; near: number; far: number; spill: number }
  feather: number
  height: number
  foot: number
  faces: CardItem['faces']
  mirror: boolean
  /** Gain of each channel. */
  gain: readonly [number, number, number]
  place: Vec3
  turn: Quaternion
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

/** The clip's frames that are shown at a frame; none before it begins, after it ends, and without a clip. */
export function cardFrames(document: ItemDocument, item: CardItem, frame: number): ClipFrame[] {
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
    frame - start,
  )
}

/** What a card shows at a frame. */
export function cardInstances(
  document: ItemDocument,
  id: string,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<CardLook>[] {
  const item = document.items[id]
  if (!isCard(item) || !item.clip) return []
  const frames = cardFrames(document, item, frame)
  if (frames.length === 0) return []
  const now = movedAndSettledAt(document, item, CARD_SETTINGS, frame, inputs)
  const { asset, encoding, curve, width, height } = item.clip
  const gain = pow(2, now.exposure)
  const { tint } = now
  return [
    {
      item: id,
      of: id,
      frames: [],
      place: AT_HOME,
      look: {
        frames,
        clip: { asset, encoding, curve },
        aspect: width / height,
        there: now.there,
        lift: now.lift / 100,
        full: now.full / 100,
        key: { colour: now.keyColour, near: now.near / 100, far: now.far / 100, spill: now.spill / 100 },
        feather: now.feather / 100,
        height: now.height,
        foot: now.foot / 100,
        faces: now.faces,
        mirror: now.mirror,
        gain: [tint[0] * gain, tint[1] * gain, tint[2] * gain],
        place: now.position,
        turn: panTiltRoll(radians(now.turn), 0, 0),
      },
    },
  ]
}

/** The filmed frames that a card needs at a frame. */
export const cardClips = (document: ItemDocument, id: string, frame: number): OtherFrame[] => {
  const item = document.items[id]
  if (!isCard(item) || !item.clip) return []
  const { asset, encoding, curve } = item.clip
  return cardFrames(document, item, frame).map((one) => ({ asset, encoding, curve, frame: one.frame }))
}
