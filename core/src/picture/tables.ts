import type { Crew } from '../base/index.ts'

// Tables that kernels work out once: kept for a crew, laid on its heap for every picture.

/** Of kernels/assembly/shading.ts and sampler.ts. */
const LOBES = 32
/** Directions a side that an entry is the mean of. */
const LOBE_SAMPLES = 24
const SCRAMBLES = 256
const PAIRS = 64

function keeper(bytes: number, fill: (crew: Crew, out: number) => void): (crew: Crew) => number {
  const kept = new WeakMap<Crew, Uint8Array>()
  return (crew) => {
    const { heap } = crew
    const out = heap.alloc(bytes)
    const known = kept.get(crew)
    if (known) heap.u8(out, bytes).set(known)
    else {
      fill(crew, out)
      kept.set(crew, heap.u8(out, bytes).slice())
    }
    return out
  }
}

/** Lays the table of a microfacet lobe's directional reflectance on the heap. */
export const uploadLobes = keeper(LOBES * LOBES * 8, (crew, out) =>
  crew.run('lobeTable', { out, samples: LOBE_SAMPLES }, LOBES),
)
/** Lays the table of sample pairs on the heap. */
export const uploadPairs = keeper(SCRAMBLES * PAIRS * 8, (crew, out) => crew.run('pairTable', { out }, SCRAMBLES, 32))
