import { describe, expect, it } from 'vitest'
import { makeCrew } from '../base/index.ts'
import { uploadLobes } from './tables.ts'

describe('A surface under an even sky', () => {
  const crew = makeCrew(1)
  const lobes = uploadLobes(crew)
  /** What it sends back by the directions that the picture takes, and by directions that know nothing of its lobe. */
  const under = (cosine: number, base: number, metal: number, roughness: number, samples = 128): number[] => {
    const out = crew.heap.alloc(8)
    crew.run('testReflection', { lobes, cosine, base, metal, roughness, samples, out }, 1)
    return [...crew.heap.f32(out, 2)]
  }
  const roughnesses = [0.3, 0.45, 0.6, 0.8, 1]

  it('that is white sends all of it back, metal or not, from every side', () => {
    for (const roughness of roughnesses)
      for (const metal of [0, 1])
        for (const cosine of [0.2, 0.5, 0.8, 1]) {
          const [sent = 0, plain = 0] = under(cosine, 1, metal, roughness)
          expect(sent, `metal ${metal}, roughness ${roughness}, cosine ${cosine}`).toBeCloseTo(1, 1.7)
          // The same by the formula itself, where its peak is wide enough for even directions.
          if (roughness >= 0.45) expect(plain / sent).toBeCloseTo(1, 1.5)
        }
  })

  it('that is black and not metal sends back only what its gloss reflects', () => {
    const [sent = 0] = under(1, 0, 0, 0.5)
    expect(sent).toBeGreaterThan(0.03)
    expect(sent).toBeLessThan(0.06)
    expect(under(0.1, 0, 0, 0.5)[0]).toBeGreaterThan(0.15)
  })

  it('that is a grey metal sends back no more than its grey, and less the rougher it is', () => {
    for (const roughness of roughnesses) expect(under(0.9, 0.5, 1, roughness)[0]).toBeLessThan(0.56)
    expect(under(0.9, 0.5, 1, 1)[0]).toBeLessThan(under(0.9, 0.5, 1, 0.3)[0] ?? 0)
  })
})
