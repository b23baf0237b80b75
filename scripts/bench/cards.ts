import { hash01 } from '../../core/src/base/index.ts'
import { type Camera, type FloatImage, makeImage } from '../../core/src/data/index.ts'
import { panTiltRoll } from '../../core/src/math/index.ts'
import { carriedFrameKey, carriedFrames, pictureFrame, renderPicture } from '../../core/src/pipeline/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../../core/src/shot/index.ts'
import { type Bench, timed } from './bench.ts'

// Filmed elements: a frame with many cards, whose clips' frames are at hand.

const [CARDS, CLIPS, WIDE, TALL] = [60, 6, 640, 360]
const camera: Camera = {
  position: [0, 1.7, 8],
  rotation: panTiltRoll(0, 0, 0),
  focalPx: 1245,
  centre: [640, 360],
  k1: 0,
  k2: 0,
  width: 1280,
  height: 720,
}

/** A yard of so many cards, each about a twentieth of the picture large. */
function manyCards(): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 1280, height: 720, first: 1, last: 50, rate: [24, 1], encoding: 'srgb' }
  const shot = makeShot('Cards', plate as Parameters<typeof makeShot>[1])
  shot.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  for (let n = 0; n < CARDS; n++) {
    const dice = (k: number): number => hash01(n, k, 5)
    const z = -4 + 8 * dice(0)
    const away = 8 - z
    const clip = {
      shot: '',
      asset: `clip-${n % CLIPS}`,
      file: 'c',
      first: 1,
      last: 120,
      width: WIDE,
      height: TALL,
      rate: 48,
    }
    shot.items[`card-${n}`] = makeItem('card', {
      name: `Card ${n}`,
      order: 2 + n,
      group: `clip-${n % CLIPS}`,
      position: [(dice(1) - 0.5) * 0.8 * away, 0.1, z],
      // A twentieth of the picture's area at its distance.
      height: (away * Math.sqrt((0.05 * 1280 * 720 * TALL) / WIDE)) / 1245,
      begins: 1 - n,
      after: 'loop',
      crossFade: 0,
      clip: { ...clip, encoding: 'linear', curve: 'clip' },
    } as never)
  }
  return shot
}

/** A flickering blot of light, soft all round. */
function clipFrame(clip: number, frame: number): FloatImage {
  const image = makeImage(WIDE, TALL, 3)
  for (let n = 0; n < WIDE * TALL; n++) {
    const [x, y] = [(n % WIDE) / WIDE - 0.5, Math.floor(n / WIDE) / TALL - 0.5]
    const light = Math.max(0, 1 - 3 * Math.sqrt(x * x + y * y) - 0.2 * Math.sin(9 * x + clip + frame / 3))
    image.data.set([light, 0.6 * light, 0.2 * light], 3 * n)
  }
  return image
}

const cards = (quality: 'look' | 'final'): Bench => ({
  name: `picture/cards-60-${quality}`,
  size: `${CARDS} cards of ${CLIPS} clips, ${WIDE}x${TALL}, each a twentieth of the frame, a ${quality} of 1280x720`,
  runs: quality === 'look' ? 3 : 1,
  threads: [2],
  run(crew) {
    const shot = manyCards()
    const clips = new Map<string, FloatImage>()
    // New frames each time: what of them is there is worked out with the picture.
    const decode = (): void => {
      for (const [key, { other, frame }] of carriedFrames(shot, 20))
        clips.set(key, clipFrame(Number(other?.asset.slice(5)), frame))
    }
    const at = pictureFrame(shot, () => camera, 20)
    let layers = 0
    const ms = timed(
      1,
      () => {
        const tools = { plates: (one: Parameters<typeof carriedFrameKey>[0]) => clips.get(carriedFrameKey(one)) }
        layers = renderPicture(crew, shot, at, () => undefined, quality, tools).layers.length
      },
      decode,
    )
    const megabytes = [...clips.values()].reduce((sum, { data }) => sum + data.byteLength, 0) / 1e6
    return { ms, figures: { layers, frames: clips.size, clipsMb: Math.round(megabytes) } }
  },
})

export const cardBenches: readonly Bench[] = [cards('look'), cards('final')]
