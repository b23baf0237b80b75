/** A box of cells on the world's lattice: cell (i, j, k) of the box spans cell x (origin + (i, j, k)) to one more, in metres. */
export interface CellBox {
  /** Edge of a cell, metres. */
  cell: number
  /** Lattice index of the box's first cell. */
  origin: readonly [number, number, number]
  /** Cells along x, y, z. */
  size: readonly [number, number, number]
}

export const paddedCells = ([nx, ny, nz]: readonly [number, number, number]): number => (nx + 2) * (ny + 2) * (nz + 2)

/** Element of cell (i, j, k), each from -1 to n, in a padded field. */
export const paddedIndex = ([nx, ny]: readonly [number, number, number], i: number, j: number, k: number): number =>
  ((k + 1) * (ny + 2) + (j + 1)) * (nx + 2) + i + 1
