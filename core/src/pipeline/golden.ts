import { sha256 } from '@noble/hashes/sha2.js'
import { bytesToHex } from '@noble/hashes/utils.js'
import type { Crew } from '../base/index.ts'
import { GAS_CHANNELS } from '../data/index.ts'
import { GasSimulation } from '../gas/index.ts'
import { makeItem, makeShot } from '../shot/index.ts'
import { gasSettings } from './gas.ts'
import { composeFrame, plateImage, stackSettings } from './stack.ts'
import { renderPicture } from './picture.ts'

const FRAMES = 4

/** A hash over a small fixed shot taken the whole way: gas about 64 cells wide, picture, stack. Equal in every engine and for any number of threads; changes only when VERSIONS must rise. */
export function goldenHash(crew: Crew): string {
  const document = makeShot('golden', { asset: 'none', file: 'none', width: 64, height: 48, first: 1, last: FRAMES, rate: [24, 1], encoding: 'srgb' })
  document.camera.kind = 'typed'
  document.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  document.items.wall = makeItem('box', { name: 'Wall', order: 2, position: [0.6, 0, -2.6], width: 0.5, height: 1.5, depth: 0.3, turn: 20 })
  const fire = makeItem('gas', { name: 'Fire', order: 3, position: [0, 0, -3], diameter: 2.2, heat: 900, cell: 50, wind: 0.5 })
  document.items.fire = fire
  if (fire.kind !== 'gas') throw new TypeError('the golden fire is a gas')
  const simulation = new GasSimulation(crew, gasSettings(document, fire, 'full'), 24)
  for (let n = 0; n < FRAMES; n++) simulation.advance()
  const frame = simulation.keep()
  const camera = { position: [0, 1.2, 1] as const, rotation: [0, 0, 0, 1] as const, focalPx: 60, centre: [32, 24] as const, k1: -0.05, k2: 0.01, width: 64, height: 48 }
  const passes = renderPicture(crew, document, camera, [frame], 'final')
  const codes = Uint8Array.from({ length: 64 * 48 * 3 }, (_, n) => 40 + ((n * 7) % 90))
  const picture = composeFrame(crew, plateImage(codes, 64, 48, 'srgb'), passes, stackSettings(document.sit, { floor: [1e-5, 1e-5, 1e-5], slope: [1e-4, 1e-4, 1e-4], spread: 0.1 }), 64, 1)
  const hash = sha256.create()
  hash.update(new Uint8Array(frame.tiles.buffer))
  GAS_CHANNELS.forEach((_, n) => {
    const channel = frame.channels[n]
    if (channel) hash.update(new Uint8Array(channel.buffer))
  })
  hash.update(new Uint8Array(picture.data.buffer))
  return bytesToHex(hash.digest())
}
