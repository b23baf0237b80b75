import type { Crew } from '@lantern/core/base'
import type { FloatImage } from '@lantern/core/data'
import { lightOfPlate, lightWithAlpha } from '@lantern/core/pipeline'
import type { PlateInfo, ShotDocument } from '@lantern/core/shot'
import { assetFrame, getBlob, type Store } from '@lantern/store'
import { alphaPlane, plateLinear } from './plateFrames.ts'

/** A frame of a plate or clip, and how its levels become light. */
export interface KeptFrameOf {
  asset: string
  frame: number
  encoding: PlateInfo['encoding']
  curve: ShotDocument['sit']['curve']
  whole?: boolean
  alpha?: 'straight' | 'premultiplied'
}

/** A kept frame as light, with straight alpha as a fourth channel where that is asked for. Throws LanternError 'plate-frame'. */
export async function clipLight(
  store: Store,
  crew: Crew,
  { asset, frame, encoding, curve, whole, alpha }: KeptFrameOf,
): Promise<FloatImage> {
  const kept = async (variant: 'full' | 'half' | 'alpha'): Promise<Uint8Array> =>
    getBlob(store, await assetFrame(store, asset, frame, variant))
  const linear = await plateLinear(await kept(whole ? 'full' : 'half'), encoding)
  if (!alpha) return lightOfPlate(crew, linear, { curve }, encoding)
  return lightWithAlpha(crew, linear, await alphaPlane(await kept('alpha')), alpha, { curve }, encoding)
}
