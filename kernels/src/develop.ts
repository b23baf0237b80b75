import { developBase64 } from './develop.generated.ts'
import { bytesOf } from './index.ts'

/** What the kernels that develop the demo plates give: pointers are bytes in their own memory, see assembly/develop. */
export interface DevelopKernels {
  memory: WebAssembly.Memory
  scaleRows(
    plane: number,
    out: number,
    from: number,
    weights: number,
    padded: number,
    width: number,
    height: number,
  ): void
  scaleColumns(plane: number, out: number, from: number, weights: number, width: number, height: number): void
  blurThree(
    plane: number,
    between: number,
    padded: number,
    w0: number,
    w1: number,
    w2: number,
    width: number,
    height: number,
  ): void
  gatherEighths(plane: number, small: number, w: number, h: number, width: number, height: number): void
  glowAndFall(
    plane: number,
    small: number,
    line: number,
    w: number,
    columns: number,
    columnShares: number,
    rows: number,
    rowShares: number,
    fall: number,
    glow: number,
    width: number,
    height: number,
  ): void
  deviates(noise: number, key: number, count: number): void
  addGrain(
    plane: number,
    noise: number,
    smear: number,
    even: number,
    photon: number,
    read: number,
    width: number,
    height: number,
  ): void
  codesOf(
    plane: number,
    table: number,
    out: number,
    channel: number,
    scale: number,
    steps: number,
    count: number,
    wide: boolean,
  ): void
}

/** Instances of these kernels, each with memory of its own. */
export const developKernels = (): DevelopKernels =>
  new WebAssembly.Instance(new WebAssembly.Module(bytesOf(developBase64)), {}).exports as unknown as DevelopKernels
