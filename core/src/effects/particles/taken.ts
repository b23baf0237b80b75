import { LanternError, type Recipe, recipeKey, textKey } from '../../base/index.ts'
import { emptyParticles, type ParticleFrame } from '../../data/index.ts'
import { readParticleFrame, writeParticleFrame } from '../../formats/index.ts'
import type { ItemDocument } from '../../settings/index.ts'
import type { Bake, Run } from '../effect.ts'
import { PARTICLE_MEDIA_TYPE } from './bake.ts'
import type { ParticlesItem } from './schema.ts'

// Particles that were computed elsewhere: their frames are kept as they came in.

/** Raised whenever the same recipe gives other bits. */
const VERSION = 1

/** Frames of the plate on which they are there, and the blob of each. Throws LanternError 'source' where nothing is taken in. */
function takenOf({ name, taken }: ParticlesItem, { plate }: Pick<ItemDocument, 'plate'>) {
  if (!taken)
    throw new LanternError(
      'source',
      `“${name}” is taken in from files, and none are.`,
      'Take in a table (CSV) or point clouds (PLY), or choose what else it is.',
      { field: 'way' },
    )
  const numbers = taken.frames.map(({ frame }) => frame)
  const [low, high] = [numbers.reduce((a, b) => Math.min(a, b)), numbers.reduce((a, b) => Math.max(a, b))]
  const by = taken.at - low
  return {
    first: Math.max(plate.first, taken.at),
    last: Math.min(plate.last, high + by),
    blobs: new Map(taken.frames.map(({ frame, blob }) => [frame + by, blob])),
  }
}

/** Whether a frame of the plate lies within theirs. */
export function isTakenAt(item: ParticlesItem, document: ItemDocument, frame: number): boolean {
  if (!item.taken) return false
  const { first, last } = takenOf(item, document)
  return frame >= first && frame <= last
}

const figuresOf = ({ count, positions, velocities }: ParticleFrame): Record<string, number> => {
  let [speed, highest] = [0, 0]
  for (let n = 0; n < count; n++) {
    const [u, v, w] = velocities.subarray(3 * n, 3 * n + 3) as unknown as [number, number, number]
    speed += Math.sqrt(u * u + v * v + w * w)
    highest = Math.max(highest, positions[3 * n + 1] as number)
  }
  return { count, meanSpeed: count > 0 ? speed / count : 0, highest, hits: 0, bornSpeed: 0, flowSpeed: 0 }
}

/** A frame that the files leave out has none. */
const bakeOf = (blobs: ReadonlyMap<number, string>): Bake => ({
  way: 'frames',
  prepare: async ({ blob, deflate }) => ({
    async frame(frame) {
      const key = blobs.get(frame)
      const own = key === undefined ? emptyParticles() : readParticleFrame(await blob(key), deflate)
      return { bytes: writeParticleFrame(own, deflate), mediaType: PARTICLE_MEDIA_TYPE, figures: figuresOf(own) }
    },
  }),
})

/** The run of particles that were taken in. Throws LanternError 'source' where none were, or none lie in the plate. */
export function takenRun(document: ItemDocument, id: string, item: ParticlesItem): Run {
  const { first, last, blobs } = takenOf(item, document)
  if (last < first)
    throw new LanternError(
      'source',
      `No frame of “${item.name}” lies within the plate.`,
      `Let it begin within ${document.plate.first} to ${document.plate.last}.`,
      { field: 'at' },
    )
  const frameKeys = new Map<number, string>()
  for (let frame = first; frame <= last; frame++)
    frameKeys.set(frame, textKey(`particles-taken:${VERSION}:${blobs.get(frame) ?? ''}`))
  const recipe: Recipe = {
    kind: 'particles',
    version: VERSION,
    settings: { first, taken: [...frameKeys.values()] },
    inputs: [],
  }
  return {
    item: id,
    name: item.name,
    output: 'particles',
    recipe,
    key: recipeKey(recipe),
    first,
    last,
    preRoll: 0,
    inputs: [],
    needs: () => [],
    frameKeys,
    checkMemory: () => undefined,
    work: 0.1,
    bake: bakeOf(blobs),
  }
}
