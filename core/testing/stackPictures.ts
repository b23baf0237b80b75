import { random } from '../src/base/index.ts'
import { type FloatImage, makeImage } from '../src/data/index.ts'

/** An image of seeded noise from 0 to `top`. */
export function noiseImage(width: number, height: number, channels: number, seed: number, top = 1): FloatImage {
  const stream = random(seed)
  const image = makeImage(width, height, channels)
  image.data.forEach((_, n) => (image.data[n] = stream.next() * top))
  return image
}
