import { straighten } from '../data/index.ts'

/** Straight, normalised place of a place in px from the picture's centre, under a lens of focal length px, k1, k2. */
export function straightPlace(lens: ArrayLike<number>, x: number, y: number): [number, number] {
  const f = lens[0] as number
  return straighten({ k1: lens[1] as number, k2: lens[2] as number }, x / f, y / f)
}
