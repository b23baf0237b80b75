import { LanternError } from '../base/index.ts'
import { log } from '../math/index.ts'

type Rgb = readonly [number, number, number]
/** Thicker than this a metre no far patch would be seen. */
const MOST = 0.5

/**
 * Optical depth a metre of haze, for each channel, from two patches of one material at known distances: L = own e^(-t d) + haze (1 - e^(-t d)), so t = ln((near - haze) / (far - haze)) / (far's - near's distance) (Koschmieder 1924).
 * near, far, haze: linear light; distances in metres. Throws LanternError 'haze' where they can't be of one material in that haze.
 */
export function hazeThickness(near: Rgb, far: Rgb, haze: Rgb, nearM: number, farM: number): [number, number, number] {
  const wrong = (message: string): LanternError =>
    new LanternError('haze', message, 'Choose two patches of one material, well apart, lit alike.', { field: 'haze' })
  if (!(farM - nearM > 0.5)) throw wrong('The far patch is no further away than the near one.')
  return [0, 1, 2].map((c) => {
    const [a, b] = [(near[c] ?? 0) - (haze[c] ?? 0), (far[c] ?? 0) - (haze[c] ?? 0)]
    if (!(a * b > 0)) throw wrong('The patches lie on either side of the haze’s colour.')
    const thickness = log(a / b) / (farM - nearM)
    if (!(thickness >= -1e-6)) throw wrong('The far patch stands out more than the near one.')
    return Math.min(MOST, Math.max(0, thickness))
  }) as [number, number, number]
}
