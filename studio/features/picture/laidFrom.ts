import { lightAlone, oneLayerShown, plateGrain } from '@lantern/core/pipeline'
import type { GrainLaw } from '@lantern/core/sit'
import type { LaidFrom } from '@/workers/protocol.ts'
import { usePlateFiles } from '../plate/plateFiles.ts'
import { pictureDigest, type ShotState } from '../shot/shotStore.ts'
import { documentAt } from '../shot/world.ts'
import { byState } from './byState.ts'
import { sourceOf } from './passSource.ts'
import { stackRequest } from './stackRequest.ts'

/** What a frame is laid from as the state is now, and keys: of the laid picture, of what it is of, and of its place whatever burns. */
export interface Wish {
  key: string
  mark: string
  place: string
  request: LaidFrom
}

/** The plate's grain as far as it is measured. */
export const grainNow = ({ shot, status }: Pick<ShotState, 'shot' | 'status'>): GrainLaw =>
  plateGrain(
    usePlateFiles.getState().reports[status?.readings.report.key ?? ''],
    shot ? status?.asset.info.grain?.[shot.document.plate.encoding] : undefined,
  )

/** How a frame is laid as the state is now; undefined without a shot. */
export const wishOf = byState((state: ShotState, frame: number): Wish | undefined => {
  const { shot, exposure } = state
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
  const grain = grainNow(state)
  const key = JSON.stringify([
    document.plate.asset,
    document.plate.encoding,
    frame,
    mark,
    matching ? [curve, knee, shoulder] : [settled.sit, beside, grain],
    exposure,
    state.alone,
    state.region,
  ])
  const request: LaidFrom = {
    frame,
    document: settled,
    grain,
    ...beside,
    source,
    size: 'half',
    exposure,
    ...(state.region ? { region: state.region } : {}),
    dark: state.alone !== '' && state.alone !== 'plateLight',
  }
  const place = JSON.stringify([frame, pictureDigest(document), settled.sit, exposure, state.alone, state.region])
  return { key, mark, place, request }
})
