import { straighten } from '../data/index.ts'

/** Straight, normalised place of a place in px from the picture's centre, under a lens of focal length px, k1, k2. */
export function straightPlace(lens: ArrayLike<number>, x: number, y: number): [number, number] {
  const f = lens[0] as number
  return straighten({ k1: lens[1] as number, k2: lens[2] as number }, x / f, y / f)
}

// What is tried where the lens is not known: focal lengths as shares of the picture's width (18 to 110 mm on a 36 mm sensor) and first distortions.
export const FOCAL_SHARES = [0.5, 0.65, 0.85, 1.1, 1.5, 2.1, 3]
export const DISTORTIONS = [0, -0.12]
