import type { Crew } from '@lantern/core/base'
import { type FloatImage, planesTogether } from '@lantern/core/data'
import { readExr } from '@lantern/core/formats'
import { lightOfPlate, lightWithAlpha } from '@lantern/core/pipeline'
import type { PlateInfo, ShotDocument } from '@lantern/core/shot'
import { assetFrame, getBlob, type Store } from '@lantern/store'
import { nodeDeflate } from './deflate.ts'
import { alphaPlane, plateLinear } from './plateFrames.ts'

/** A frame of a plate or clip, and how its levels become light. */
export interface KeptFrameOf {
  asset: string
  frame: number
  encoding: PlateInfo['encoding']
  curve: ShotDocument['sit']['curve']
  whole?: boolean
  alpha?: 'straight' | 'premultiplied'
  passes?: readonly string[]
}

/** Channels of a kept file as they are; those that it lacks are 0. */
function channelsOf(bytes: Uint8Array, names: readonly string[]): FloatImage {
  const exr = readExr(bytes, 'render', nodeDeflate)
  const planes = names.map((name) => exr.channels.find((channel) => channel.name === name)?.data)
  return planesTogether(exr.width, exr.height, planes)
}

/** A kept frame as light, or the channels that are asked for; with straight alpha as a fourth channel where that is asked for. Throws LanternError 'plate-frame'. */
export async function clipLight(
  store: Store,
  crew: Crew,
  { asset, frame, encoding, curve, whole, alpha, passes }: KeptFrameOf,
): Promise<FloatImage> {
  const kept = async (variant: 'full' | 'half' | 'alpha' | 'passes'): Promise<Uint8Array> =>
    getBlob(store, await assetFrame(store, asset, frame, variant))
  if (passes) return channelsOf(await kept('passes'), passes)
  const linear = await plateLinear(await kept(whole ? 'full' : 'half'), encoding)
  if (!alpha) return lightOfPlate(crew, linear, { curve }, encoding)
  return lightWithAlpha(crew, linear, await alphaPlane(await kept('alpha')), alpha, { curve }, encoding)
}
