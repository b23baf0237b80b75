import { lightAlone, oneLayerShown } from '@lantern/core/pipeline'
import type { GrainLaw } from '@lantern/core/sit'
import type { LaidFrom } from '@/workers/protocol.ts'
import { pictureDigest, type ShotState } from '../shot/shotStore.ts'
import { documentAt } from '../shot/world.ts'
import { sourceOf } from './passSource.ts'
import { stackRequest } from './stackRequest.ts'

const NO_GRAIN: GrainLaw = { floor: [0, 0, 0], slope: [0, 0, 0], spread: 0 }

/** What a frame is laid from as the state is now, and keys: of the laid picture, of what it is of, and of its place whatever burns. */
export interface Wish {
  key: string
  mark: string
  place: string
  request: LaidFrom
}

/** How a frame is laid as the state is now; undefined without a shot. */
export function wishOf(state: ShotState, frame: number): Wish | undefined {
  const { shot, status, exposure } = state
  if (!shot) return undefined
  const { document } = shot
  const { source, mark } = sourceOf(state, frame)
  const whole = documentAt(state, frame) ?? document
  const lit = state.alone ? lightAlone(whole, state.alone) : whole
  const settled = state.soloLayer ? oneLayerShown(lit, state.soloLayer) : lit
  // A match is judged over the plate as it was filmed.
  const matching = state.station === 'Match'
  const { motion, ...others } = stackRequest(state, whole, frame)
  const beside = matching ? others : { ...others, ...(motion ? { motion } : {}) }
  const { curve, knee, shoulder } = settled.sit
  const key = JSON.stringify([
    document.plate.asset,
    document.plate.encoding,
    frame,
    mark,
    matching ? [curve, knee, shoulder] : [settled.sit, beside],
    exposure,
    state.alone,
    state.region,
  ])
  const request: LaidFrom = {
    frame,
    document: settled,
    grain: status?.asset.info.grain?.[document.plate.encoding] ?? NO_GRAIN,
    ...beside,
    source,
    size: 'half',
    exposure,
    ...(state.region ? { region: state.region } : {}),
    dark: state.alone !== '' && state.alone !== 'plateLight',
  }
  const place = JSON.stringify([frame, pictureDigest(document), settled.sit, exposure, state.alone, state.region])
  return { key, mark, place, request }
}
