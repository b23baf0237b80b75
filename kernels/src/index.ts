import { kernelsBase64, mathBase64 } from './bytes.generated.ts'

export { KERNEL_PARAMETERS, type KernelArguments } from './calls.generated.ts'
export * from './layouts.generated.ts'

/** A kernel takes numbers (pointers in bytes, sizes, factors) and ends with a slab range [from, to). */
export type Kernel = (...args: number[]) => number | undefined

export interface KernelTable {
  readonly names: readonly string[]
  readonly functions: readonly Kernel[]
}

/** Elementary functions that give the same bits in every engine. Angles in radians. */
export interface ElementaryFunctions {
  exp(x: number): number
  log(x: number): number
  log10(x: number): number
  pow(x: number, y: number): number
  sin(x: number): number
  cos(x: number): number
  tan(x: number): number
  atan(x: number): number
  atan2(y: number, x: number): number
  asin(x: number): number
  acos(x: number): number
  tanh(x: number): number
  cbrt(x: number): number
}

export function bytesOf(base64: string): Uint8Array<ArrayBuffer> {
  const text = atob(base64)
  const bytes = new Uint8Array(text.length)
  for (let i = 0; i < text.length; i++) bytes[i] = text.charCodeAt(i)
  return bytes
}

/** Compiles the kernel module; a compiled module may be sent to other threads. */
export function compileKernels(): WebAssembly.Module {
  return new WebAssembly.Module(bytesOf(kernelsBase64))
}

/** Instantiates the kernels over a memory, for the thread of a crew with this number. Names are sorted, so that an index means the same kernel on every thread. */
export function instantiateKernels(
  module: WebAssembly.Module,
  memory: WebAssembly.Memory,
  seat = 0,
): KernelTable & { heapBase: number } {
  const { exports } = new WebAssembly.Instance(module, { env: { memory } })
  if (typeof exports.takeSeat === 'function') exports.takeSeat(seat)
  const names = Object.keys(exports)
    .filter((name) => typeof exports[name] === 'function' && name !== 'takeSeat')
    .sort()
  const functions = names.map((name) => {
    const kernel = exports[name]
    if (typeof kernel !== 'function') throw new TypeError(`kernel ${name} is missing`)
    return (...args: number[]): number | undefined => Number(kernel(...args))
  })
  const base = exports.__heap_base
  const heapBase = base instanceof WebAssembly.Global ? Number(base.value) : 65536
  return { names, functions, heapBase }
}

export function elementaryFunctions(): ElementaryFunctions {
  const { exports } = new WebAssembly.Instance(new WebAssembly.Module(bytesOf(mathBase64)), {})
  const one = (name: string) => {
    const f = exports[name]
    if (typeof f !== 'function') throw new TypeError(`function ${name} is missing`)
    return (x: number): number => Number(f(x))
  }
  const two = (name: string) => {
    const f = exports[name]
    if (typeof f !== 'function') throw new TypeError(`function ${name} is missing`)
    return (x: number, y: number): number => Number(f(x, y))
  }
  return {
    exp: one('exp'),
    log: one('log'),
    log10: one('log10'),
    pow: two('pow'),
    sin: one('sin'),
    cos: one('cos'),
    tan: one('tan'),
    atan: one('atan'),
    atan2: two('atan2'),
    asin: one('asin'),
    acos: one('acos'),
    tanh: one('tanh'),
    cbrt: one('cbrt'),
  }
}
