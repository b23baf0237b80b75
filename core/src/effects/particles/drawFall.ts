import { strokesCover } from '../../data/index.ts'
import { conjugate, cos, rotate, sin, subtract, type Vec3 } from '../../math/index.ts'
import {
  dripsAt,
  dropClasses,
  dropSpeed,
  type Falling,
  type FallSettings,
  fallingAt,
  heightOf,
  type Ripple,
  rainSizes,
  ripplesAt,
  Seen,
  snowSizes,
  splashesAt,
  terminalSpeed,
} from '../../particles/index.ts'
import type { Drawable } from '../../picture/index.ts'
import type { DrawContext } from '../effect.ts'
import type { FallLook, ParticleLook, Wet } from './instances.ts'
import { shadeOf } from './shadows.ts'
import { MOST_IN_LOOK, SplatWriter, vectorAt } from './splatWriter.ts'

// Rain and snow as the picture draws them: drops, crowns, rings on the water, drops off edges.

const CLASSES = 14
/** Snow by its melted drops: flakes are so many times as wide, and so dense. */
const FLAKE = { wide: 3, density: 60 } as const

/** What falls, as the domain has it. */
export function fallOf(look: Pick<ParticleLook, 'seed'>, fall: FallLook, inLook: boolean): FallSettings {
  const law = fall.snow ? snowSizes(fall.intensity) : rainSizes(fall.intensity)
  return {
    seed: look.seed,
    law,
    classes: dropClasses(law, fall.least, CLASSES),
    speedOf: fall.snow ? (d) => terminalSpeed('flake', (FLAKE.wide * d) / 1000, FLAKE.density) : dropSpeed,
    near: fall.near,
    far: fall.far,
    flutter: fall.flutter,
    most: inLook ? Math.min(fall.most, MOST_IN_LOOK) : fall.most,
  }
}

/** Rings drawn at most, and the lines that each is made of. */
const RINGS = { most: 4000, sides: 14 } as const
/** What of the light above a ring's slope sends on: a few per cent more than the level water does. */
const RING_LIGHT = 0.06

/** How much of a place is under water. */
const wetness = (wet: readonly Wet[]) => {
  const backs = wet.map(({ rotation }) => conjugate(rotation))
  return (x: number, y: number, z: number): number =>
    wet.reduce((most, { position, strokes }, n) => {
      const own = rotate(backs[n] as (typeof backs)[number], subtract([x, y, z], position))
      return Math.max(most, strokesCover(strokes, own, 0))
    }, 0)
}

/** A ring on the water: its slopes that face away send on the bright sky, those that face the camera less of it. */
function addRing(writer: SplatWriter, look: ParticleLook, { centre, radius, strength }: Ripple): void {
  const at = (n: number): Vec3 => {
    const turn = (2 * Math.PI * n) / RINGS.sides
    return [centre[0] + radius * cos(turn), centre[1] + 0.001, centre[2] + radius * sin(turn)]
  }
  for (let n = 0; n < RINGS.sides; n++) {
    const far = 0.5 - 0.5 * sin((2 * Math.PI * (n + 0.5)) / RINGS.sides)
    const times = RING_LIGHT * look.brightness * strength * (0.1 + 0.9 * far * far)
    writer.line(at(n), at(n + 1), [look.colour[0] * times, look.colour[1] * times, look.colour[2] * times], 0.8)
  }
}

export function drawFall(look: ParticleLook, fall: FallLook, context: DrawContext): Drawable[] {
  const settings = fallOf(look, fall, !context.finer)
  const drops = fallingAt(settings, context.camera, fall.time, fall.drift, fall.wind)
  const crowns = fall.splashes ? splashesAt(settings, look.tops, context.camera, fall.time) : undefined
  const seen = new Seen(context.camera, fall.near, fall.far)
  const below = heightOf(look.tops)
  const drips =
    fall.edges.length > 0 ? dripsAt(look.seed, fall.edges, below, seen, fall.time, settings.most) : undefined
  const rings =
    fall.wet.length > 0 && !fall.beforeAdded
      ? ripplesAt(settings, look.tops, seen, fall.time, wetness(fall.wet), RINGS.most)
      : []
  const room = drops.count + (crowns?.count ?? 0) + (drips?.count ?? 0) + RINGS.sides * rings.length
  const writer = new SplatWriter(Math.ceil(1.3 * room), look, context)
  const wide = fall.snow ? FLAKE.wide : 1
  const shade = shadeOf(look, context, (point) => writer.add(point))
  const put = ({ count, positions, velocities, sizes }: Falling, times: number): void => {
    for (let n = 0; n < count; n++) {
      const [at, diameter] = [vectorAt(positions, n), times * (sizes[n] as number)]
      writer.add({ at, velocity: vectorAt(velocities, n), diameter, share: 1, drop: !fall.snow })
      shade?.(at, diameter, 1)
    }
  }
  put(drops, wide)
  if (crowns) put(crowns, 1)
  if (drips) put(drips, 1)
  for (const ring of rings) addRing(writer, look, ring)
  return writer.splats()
}
