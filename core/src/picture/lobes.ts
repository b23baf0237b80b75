import type { Crew } from '../base/index.ts'

const SIZE = 32
/** Directions a side that an entry is the mean of. */
const SAMPLES = 24

const tables = new WeakMap<Crew, Float32Array>()

/** Lays the table of a microfacet lobe's directional reflectance on the heap (kernels/assembly/shading.ts); worked out once for a crew. */
export function uploadLobes(crew: Crew): number {
  const { heap } = crew
  const out = heap.alloc(SIZE * SIZE * 8)
  const known = tables.get(crew)
  if (known) heap.f32(out, SIZE * SIZE * 2).set(known)
  else {
    crew.run('lobeTable', { out, samples: SAMPLES }, SIZE)
    tables.set(crew, heap.f32(out, SIZE * SIZE * 2).slice())
  }
  return out
}
