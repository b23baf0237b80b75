import type { Solid } from '../src/data/index.ts'
import { type GasSettings, type SceneInputs, type SourceInputs, type SourceShape, wallsCut } from '../src/gas/index.ts'
import type { Vec3 } from '../src/math/index.ts'

/** A source that burns on the ground, with what is told of it. */
export const smallSource = (over: Partial<SourceInputs> = {}): SourceInputs => ({
  centre: [0, 0, 0],
  rotation: [0, 0, 0, 1],
  heat: 200e3,
  smoke: 0,
  temperature: 400,
  speed: 0.25,
  aim: [0, 1, 0],
  stir: 0.5,
  ...over,
})
export const GROUND: Solid = { kind: 'halfspace', point: [0, 0, 0], normal: [0, 1, 0] }

export type SmallFire = Partial<Omit<GasSettings, 'sources'>> & {
  wind?: Vec3
  solids?: readonly Solid[]
  shape?: SourceShape
  source?: Partial<SourceInputs> | null
}

/** A small fire on the ground, coarse enough to burn in a blink. source: what differs of its source, null for none. */
export function smallFire({
  wind = [0, 0, 0],
  solids = [GROUND],
  shape = { kind: 'disc', radius: 0.4, thickness: 0.06 },
  source = {},
  ...over
}: SmallFire = {}): GasSettings {
  const sceneInputs: readonly SceneInputs[] = over.sceneInputs ?? [
    { sources: source ? [smallSource(source)] : [], forces: [], wind, solids },
  ]
  const cell = over.cell ?? 0.1
  return {
    cell,
    sources: source ? [{ shape, perArea: false, stirSize: 0.2 }] : [],
    forces: [],
    preRoll: 0,
    shear: { exponent: 0, at: 10, ground: 0 },
    black: true,
    fade: 0,
    settle: 0,
    ambient: 293,
    sootYield: 0.02,
    burnTime: 0.25,
    radiant: 0.35,
    confinement: 0.3,
    courant: 0.75,
    bounds: { low: [-3, 0, -3], high: [3, 5, 3] },
    cut: sceneInputs.some((moment) => wallsCut(moment.solids, cell)),
    mostCells: 1e6,
    seed: 1,
    ...over,
    sceneInputs,
  }
}
