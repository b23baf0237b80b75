import { describe, expect, it } from 'vitest'
import { emptyParticles, type ParticleFrame } from '../data/index.ts'
import { type ParticleFigures, type ParticleSettings, ParticleSimulation } from './index.ts'

describe('from other particles', () => {
  it('begin on the ways of those that are there, with their velocity, and nowhere where there are none', () => {
    const others = emptyParticles(2)
    others.positions.set([1, 2, 3, -4, 5, 6])
    others.velocities.set([24, 0, 0, 0, -12, 0])
    const own: ParticleSettings = {
      seed: 3,
      from: 0,
      to: 100,
      speed: 0,
      speedSpread: 0,
      cone: 0,
      body: { form: 'ball', diameter: 0.002, spread: 0, density: 1000 },
      life: 100,
      lifeSpread: 0,
      flutter: 0,
      flow: 0,
      most: 1e5,
      preRoll: 0,
      moments: [
        {
          centre: [0, 1, 0],
          turn: [0, 0, 0, 1],
          direction: [0, 1, 0],
          rate: 4000,
          wind: [0, 0, 0],
          forces: [],
          solids: [],
        },
      ],
      source: { kind: 'particles' },
      births: { way: 'rate', number: 0, every: 1, lasts: 0 },
      inherits: 1,
      air: { kelvin: 288, drag: 0, gravity: 0 },
      contact: { does: 'pass', restitution: 0, friction: 0, melts: 0 },
    }
    const simulation = new ParticleSimulation(own, 24)
    const finish = (from?: ParticleFrame): ParticleFigures => {
      const steps = simulation.steps(undefined, from)
      let step = steps.next()
      while (!step.done) step = steps.next()
      return step.value
    }
    expect(finish(emptyParticles()).count).toBe(0)
    const told = finish(others)
    expect(told.count).toBeGreaterThan(100)
    expect(told.flowSpeed).toBeGreaterThan(12)
    const { positions, velocities, count } = simulation.keep()
    // Each went on from where its own one was as it was born: now it is where that one is.
    const seen: [number, number] = [0, 0]
    for (let n = 0; n < count; n++) {
      const first = (velocities[3 * n] ?? 0) > 1
      seen[first ? 0 : 1]++
      const wanted = first ? [1, 2, 3] : [-4, 5, 6]
      for (let a = 0; a < 3; a++) expect(positions[3 * n + a]).toBeCloseTo(wanted[a] ?? 0, 4)
    }
    expect(Math.min(...seen) / count).toBeGreaterThan(0.4)
  })
})
