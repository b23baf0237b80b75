import type { Crew } from '../../core/src/base/index.ts'
import { paddedCells, paddedIndex } from '../../core/src/data/index.ts'
import { allocateFields, emptyBudget, type GasSettings, type SceneInputs, stepGas } from '../../core/src/gas/index.ts'
import type { Row } from './row.ts'

const EDGE = 64
const DEEP = 8

/** Taylor and Green's vortex in a free-slip box, inviscid: what is left of its energy after 1 / (kU) and 2 pi / (kU), with steps of one cell of travel. */
export function vortexRows(crew: Crew): Row[] {
  const cell = 1 / EDGE
  const size = [EDGE, EDGE, DEEP] as const
  const wall = (point: [number, number, number], normal: [number, number, number]) => ({
    kind: 'halfspace' as const,
    point,
    normal,
  })
  const deep = DEEP * cell
  const still: SceneInputs = {
    sources: [],
    forces: [],
    wind: [0, 0, 0],
    solids: [
      wall([0, 0, 0], [1, 0, 0]),
      wall([1, 0, 0], [-1, 0, 0]),
      wall([0, 0, 0], [0, 1, 0]),
      wall([0, 1, 0], [0, -1, 0]),
      wall([0, 0, 0], [0, 0, 1]),
      wall([0, 0, deep], [0, 0, -1]),
    ],
  }
  const settings: GasSettings = {
    cell,
    sources: [],
    forces: [],
    sceneInputs: [still],
    preRoll: 0,
    ambient: 288,
    shear: { exponent: 0, at: 10, ground: 0 },
    sootYield: 0,
    burnTime: 1,
    radiant: 0,
    black: true,
    fade: 0,
    settle: 0,
    confinement: 0,
    courant: 1,
    cut: false,
    mostCells: 1e7,
    seed: 1,
    bounds: { low: [0, 0, 0], high: [1, 1, deep] },
  }
  const mark = crew.heap.mark()
  const fields = allocateFields(crew, mark, { cell, origin: [0, 0, 0], size: [...size] }, settings, still)
  const view = (pointer: number): Float32Array => crew.heap.f32(pointer, paddedCells(size))
  const [x, y] = [(i: number): number => (Math.PI * i) / EDGE, (j: number): number => (Math.PI * j) / EDGE]
  for (let k = 0; k < DEEP; k++)
    for (let j = 0; j <= EDGE; j++)
      for (let i = 0; i <= EDGE; i++) {
        const e = paddedIndex(size, i, j, k)
        if (j < EDGE) view(fields.pointers.u)[e] = Math.sin(x(i)) * Math.cos(y(j + 0.5))
        if (i < EDGE) view(fields.pointers.v)[e] = -Math.cos(x(i + 0.5)) * Math.sin(y(j))
      }
  const energy = (): number => {
    let sum = 0
    for (const name of ['u', 'v', 'w'] as const) {
      const speeds = view(fields.pointers[name])
      for (let k = 0; k < DEEP; k++)
        for (let j = 0; j < EDGE; j++)
          for (let i = 0; i < EDGE; i++) sum += (speeds[paddedIndex(size, i, j, k)] ?? 0) ** 2
    }
    return sum
  }
  const start = energy()
  const budget = emptyBudget()
  const after: number[] = []
  for (const until of [EDGE / Math.PI, 2 * EDGE]) {
    while (budget.steps < Math.round(until))
      stepGas(crew, fields, settings, { before: still, now: still }, [], budget, cell, 0)
    after.push((100 * energy()) / start)
  }
  crew.heap.release(mark)
  return [
    ['1/(kU)', 97],
    ['2 pi/(kU)', 87],
  ].map(([when, least], n) => ({
    case: `vortex decay, energy left at ${when}, %`,
    reference: 'Taylor & Green 1937, 2-D, inviscid: 100',
    expected: `> ${least}`,
    measured: after[n] ?? 0,
    tolerance: 'least; only ever improved',
    pass: (after[n] ?? 0) > Number(least),
  }))
}
