import { paddedCells } from '../src/data/index.ts'
import { eachRow, type RowStore } from '../src/gas/index.ts'

/** A field as a padded one, `value` where nothing is stored. */
export function unpacked(store: RowStore, field: Float32Array, value: number): Float32Array {
  if (!store.rows) return field
  const whole = new Float32Array(paddedCells(store.size)).fill(value)
  eachRow(store, (row, start, stop, base) =>
    whole.set(field.subarray(base + start, base + stop), row * (store.size[0] + 2) + start),
  )
  return whole
}
