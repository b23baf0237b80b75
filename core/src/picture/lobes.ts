import type { Crew } from '../base/index.ts'

const SIZE = 32
/** Directions a side that an entry is the mean of. */
const SAMPLES = 24

/** Lays the table of a microfacet lobe's directional reflectance on the heap (kernels/assembly/shading.ts). */
export function uploadLobes(crew: Crew): number {
  const out = crew.heap.alloc(SIZE * SIZE * 8)
  crew.run('lobeTable', { out, samples: SAMPLES }, SIZE)
  return out
}
