// What of particles goes on from frame to frame.

/** Numbers that a particle is kept by while a run goes on. */
export const FIELDS = ['x', 'y', 'z', 'u', 'v', 'w', 'size', 'age', 'life', 'kelvin', 'spin', 'rested'] as const
type Field = (typeof FIELDS)[number]
export type ParticleFields = Record<Field, Float64Array>

export interface ParticleState {
  done: number
  count: number
  ids: Uint32Array
  states: Uint8Array
  fields: ParticleFields
  hits: number
}
export interface ParticleFigures {
  count: number
  /** m/s, m above 0, and meetings with the set in the frame. */
  meanSpeed: number
  highest: number
  hits: number
  /** Mean speed of those born in the frame, m/s. */
  bornSpeed: number
  /** Mean speed of the gas where they were born, m/s. */
  flowSpeed: number
}

/** Room for so many. */
export const emptyFields = (room: number): ParticleFields =>
  Object.fromEntries(FIELDS.map((name) => [name, new Float64Array(room)])) as ParticleFields
