import { windAt } from '../../air/index.ts'
import { solidBounds } from '../../data/index.ts'
import type { Vec3 } from '../../math/index.ts'
import type { Top } from '../../particles/index.ts'
import { AT_HOME } from '../../picture/index.ts'
import { isBox, piecesAt, turnOf } from '../../set/index.ts'
import { frameRate, type ItemDocument, type SignalInputs } from '../../settings/index.ts'
import type { EffectInstance } from '../effect.ts'
import { particlesAt } from './resolve.ts'
import { isParticles, type ParticlesItem } from './schema.ts'

/** Rain or snow at a frame: what falls, s since the first frame, how far the air has gone and how it goes. */
export interface FallLook {
  snow: boolean
  intensity: number
  least: number
  near: number
  far: number
  most: number
  flutter: number
  time: number
  drift: Vec3
  wind: Vec3
  /** Level surfaces that drops splash on. */
  tops: readonly Top[]
}

/** How particles look. */
export interface ParticleLook {
  over: boolean
  colour: readonly [number, number, number]
  brightness: number
  glow: number
  lights: number
  /** Seconds that one lives, and the share of them over which it fades. */
  life: number
  fades: number
  seed: number
  /** Born hot: what no longer glows is not seen where it only gives light. */
  hot: boolean
  fall?: FallLook
}

/** How far the air has gone since the plate's first frame, m: the wind of each frame's middle. */
function driftAt(document: ItemDocument, item: ParticlesItem, frame: number, inputs: SignalInputs): Vec3 {
  const rate = frameRate(document.plate)
  const { first } = document.plate
  const gone: [number, number, number] = [0, 0, 0]
  for (let n = first; n < frame; n++) {
    const wind = windAt(particlesAt(document, item, n, inputs), (n + 0.5 - first) / rate)
    for (let a = 0; a < 3; a++) gone[a] = (gone[a] as number) + (wind[a] as number) / rate
  }
  return gone
}

/** The ground and the tops of boxes that receive, at a frame. */
function topsAt(document: ItemDocument, frame: number, inputs: SignalInputs): Top[] {
  return piecesAt(document, frame, inputs).flatMap(([, item]): Top[] => {
    if (!item.roles.receives) return []
    if (item.kind === 'ground') return [{ centre: item.position, half: [item.size, item.size], turn: turnOf(item) }]
    if (!isBox(item)) return []
    const turn = turnOf(item)
    const { high } = solidBounds({
      kind: 'box',
      centre: item.position,
      half: [0, 0, 0],
      rotation: turn,
    }) ?? { high: item.position }
    return [{ centre: [high[0], high[1] + item.height, high[2]], half: [item.width / 2, item.depth / 2], turn }]
  })
}

/** What particles show at a frame: their kept one; rain and snow without any. */
export function particleInstances(
  document: ItemDocument,
  id: string,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<ParticleLook>[] {
  const item = document.items[id]
  if (!isParticles(item)) return []
  const now = particlesAt(document, item, frame, inputs)
  const { first } = document.plate
  const seconds = (frame - first) / frameRate(document.plate)
  const falls = now.way !== 'computed'
  const fall: FallLook | undefined = falls
    ? {
        snow: now.way === 'snow',
        intensity: now.intensity,
        least: now.least,
        near: now.near,
        far: Math.max(now.near + 0.1, now.far),
        most: Math.round(now.most),
        flutter: now.flutter,
        time: seconds,
        drift: driftAt(document, item, frame, inputs),
        wind: windAt(now, seconds),
        tops: now.splashes && now.way === 'rain' ? topsAt(document, frame, inputs) : [],
      }
    : undefined
  const look: ParticleLook = {
    over: now.lays === 'over',
    colour: now.colour,
    brightness: now.brightness,
    glow: now.glow,
    lights: Math.round(now.lights),
    life: now.life,
    fades: now.fades / 100,
    seed: now.seed,
    hot: now.way === 'computed' && now.hot > 0,
    ...(fall ? { fall } : {}),
  }
  return [{ item: id, of: id, frames: falls ? [] : [{ frame, weight: 1, ahead: 0 }], place: AT_HOME, look }]
}
