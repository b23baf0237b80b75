import { bytesOf } from './index.ts'
import { yardBase64 } from './yard.generated.ts'

/** Compiles the kernels that draw the demo plates. */
export const compileYardKernels = (): WebAssembly.Module => new WebAssembly.Module(bytesOf(yardBase64))
