import type { ParticleFrame } from '../../data/index.ts'
import { readParticleFrame } from '../../formats/index.ts'
import type { Effect, FigureTable } from '../effect.ts'
import { drawParticles } from './draw.ts'
import { type ParticleLook, particleInstances } from './instances.ts'
import { PARTICLE_PRESETS } from './presets.ts'
import { PARTICLE_VERSIONS, resolveParticles } from './resolve.ts'
import { isKept, isParticles, particlesSchema } from './schema.ts'

export * from './bake.ts'
export * from './draw.ts'
export * from './instances.ts'
export * from './presets.ts'
export * from './resolve.ts'
export * from './schema.ts'

/** Edge of the boxes by which particles tell where they are, m. */
const BOX = 1

function particleExtent({ count, positions }: ParticleFrame): number[] {
  const boxes = new Map<string, number[]>()
  for (let n = 0; n < count; n++) {
    const low = [0, 1, 2].map((a) => Math.floor((positions[3 * n + a] as number) / BOX) * BOX)
    boxes.set(low.join(), [...low, ...low.map((value) => value + BOX)])
  }
  return [...boxes.values()].flat()
}

const kept =
  (name: string) =>
  (table: FigureTable, frame: number): number | undefined => {
    const value = table.get(frame)?.[name]
    return typeof value === 'number' ? value : undefined
  }

/** Sparks, embers, ash, snow, rain. */
export const particlesEffect = {
  kind: 'particles',
  bakes: (item) => isParticles(item) && isKept(item),
  drawn: ['particles'],
  itemSchemas: { particles: particlesSchema },
  versions: PARTICLE_VERSIONS,
  presets: PARTICLE_PRESETS,
  figures: [
    { name: 'count', label: 'Number', unit: '', value: kept('count') },
    { name: 'meanSpeed', label: 'Mean speed, m/s', unit: 'm/s', value: kept('meanSpeed') },
    { name: 'hits', label: 'Meetings with the set', unit: '', value: kept('hits') },
  ],
  frameFigures: ['count', 'meanSpeed', 'highest', 'hits', 'bornSpeed', 'flowSpeed'],
  meshes: (item) => (isParticles(item) && item.bits === 'mesh' ? [item.bitMesh] : []),
  resolve: resolveParticles,
  instances: particleInstances,
  usesPlate: (item) =>
    isParticles(item) && item.way === 'rain' && (item.refracts > 0 || item.follows?.refracts !== undefined),
  onlyBeforeAdded: (item) => isParticles(item) && !isKept(item) && item.falls === 'before added',
  decode: readParticleFrame,
  extent: particleExtent,
  draw: drawParticles,
} as const satisfies Effect<ParticleFrame, ParticleLook>
