import type { Crew } from '../src/base/index.ts'
import { paddedIndex } from '../src/data/index.ts'
import { stopAtWalls } from '../src/gas/faces.ts'
import type { GasFields } from '../src/gas/fields.ts'
import { projectVelocity } from '../src/gas/projection.ts'
import { elementAt } from '../src/gas/sparseRows.ts'

const FLUID = 1

/** Largest difference, over cells of gas, between what flows out of a cell through its open faces and what it grows by, as share of the cell in `dt` seconds. Nothing flows through what no gas stands behind. */
export function flowsWrong(
  crew: Crew,
  { box, store, pointers, expansion, flags, open }: GasFields,
  dt: number,
): number {
  const faces = [pointers.u, pointers.v, pointers.w].map((pointer) => crew.heap.f32(pointer, store.cells))
  const shares = open?.map((pointer) => crew.heap.u8(pointer, store.cells))
  const growth = crew.heap.f32(expansion, store.cells)
  const kinds = crew.heap.u8(flags, store.cells)
  const [nx, ny, nz] = box.size
  let worst = 0
  for (let k = 0; k < nz; k++)
    for (let j = 0; j < ny; j++)
      for (let i = 0; i < nx; i++) {
        const e = elementAt(store, paddedIndex(box.size, i, j, k))
        if (e < 0 || kinds[e] !== FLUID) continue
        const next = [
          [i + 1, j, k],
          [i, j + 1, k],
          [i, j, k + 1],
        ] as const
        let out = 0
        for (const [axis, [a, b, c]] of next.entries()) {
          const past = elementAt(store, paddedIndex(box.size, a, b, c))
          for (const [face, sign] of [
            [past, 1],
            [e, -1],
          ] as const)
            out += (sign * (faces[axis]?.[face] ?? 0) * (shares?.[axis]?.[face] ?? 255)) / 255
        }
        worst = Math.max(worst, Math.abs(out / box.cell - (growth[e] ?? 0)) * dt)
      }
  return worst
}

/** The same after what stands of a run has been projected once more, by its faces themselves and not by what the solver says of it. The run is not to go on from there. */
export function flowsWrongOf(crew: Crew, fields: GasFields, dt: number): number {
  stopAtWalls(crew, fields)
  projectVelocity(crew, fields, dt)
  return flowsWrong(crew, fields, dt)
}
