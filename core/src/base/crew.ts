import {
  compileKernels,
  instantiateKernels,
  KERNEL_PARAMETERS,
  type Kernel,
  type KernelArguments,
} from '@lantern/kernels'
import { LanternError } from './errors.ts'

// The crew: the threads of one process that run kernels over slabs. One driver for worker_threads and web workers; only starting a thread differs
// and is handed in. Layout of the control words (Int32, shared):
//   0 generation   1 next chunk   2 chunks   3 threads still busy   4 kernel index   5 items per chunk   6 items   7 args   8 quit   9 failed   10 seats taken
// and, from byte 64 on, the arguments as Float64.
const WORDS = {
  generation: 0,
  next: 1,
  chunks: 2,
  busy: 3,
  kernel: 4,
  chunk: 5,
  items: 6,
  args: 7,
  quit: 8,
  failed: 9,
  seats: 10,
} as const
const ARGS_AT = 64
const MOST_ARGS = 40
/** Looks at the generation word before a thread goes to sleep: about 20 microseconds. */
const SPINS = 4000
const PAGE = 65536
const MOST_PAGES = 65536
const GIB = 1073741824

/** What a crew thread is started with. */
export interface CrewSeat {
  module: WebAssembly.Module
  memory: WebAssembly.Memory
  control: SharedArrayBuffer
}

/** Starts one thread that calls `sit` with the seat; returns how to end it. */
export type StartThread = (seat: CrewSeat) => () => void

/** Threads and the memory they share. Work is called for synchronously by the thread that owns the crew, never by a browser's main thread when threads > 1. */
export interface Crew {
  readonly threads: number
  readonly memory: WebAssembly.Memory
  readonly heap: Heap
  /**
   * Runs a kernel over items [0, items) in chunks. Chunks are handed out in any order, so a kernel writes only what belongs to its items.
   * args: by name, or in the kernel's order. Throws TypeError where one is missing.
   */
  run<K extends keyof KernelArguments>(
    kernel: K,
    args: KernelArguments[K] | readonly number[],
    items: number,
    chunk?: number,
  ): void
  end(): void
}

/** Byte ranges of the shared memory, handed out upward; freed all at once back to a mark. 64-byte aligned, with 64 bytes of slack behind each. */
export interface Heap {
  alloc(bytes: number): number
  mark(): number
  release(mark: number): void
  /** Bytes handed out now, and the most so far. */
  used(): number
  peak(): number
  f32(pointer: number, length: number): Float32Array
  f64(pointer: number, length: number): Float64Array
  i32(pointer: number, length: number): Int32Array
  u8(pointer: number, length: number): Uint8Array
}

function makeHeap(memory: WebAssembly.Memory, base: number): Heap {
  const start = Math.ceil(base / 64) * 64
  let top = start
  let peak = start
  return {
    alloc(bytes) {
      const pointer = top
      const next = Math.ceil((pointer + bytes + 64) / 64) * 64
      if (next > memory.buffer.byteLength) {
        const pages = Math.ceil((next - memory.buffer.byteLength) / PAGE)
        if (memory.buffer.byteLength / PAGE + pages > MOST_PAGES)
          throw new LanternError(
            'memory',
            `The computation needs ${(next / GIB).toFixed(1)} GiB at once; 4 GiB is the most.`,
            'Choose a larger cell or a smaller box.',
          )
        memory.grow(pages)
      }
      top = next
      peak = Math.max(peak, top)
      return pointer
    },
    mark: () => top,
    release(mark) {
      top = mark
    },
    used: () => top - start,
    peak: () => peak - start,
    f32: (pointer, length) => new Float32Array(memory.buffer, pointer, length),
    f64: (pointer, length) => new Float64Array(memory.buffer, pointer, length),
    i32: (pointer, length) => new Int32Array(memory.buffer, pointer, length),
    u8: (pointer, length) => new Uint8Array(memory.buffer, pointer, length),
  }
}

/** Takes chunks until none are left. */
function takeChunks(control: Int32Array, args: Float64Array, functions: readonly Kernel[]): void {
  const kernel = functions[control[WORDS.kernel] ?? 0]
  const chunk = control[WORDS.chunk] ?? 1
  const items = control[WORDS.items] ?? 0
  const chunks = control[WORDS.chunks] ?? 0
  const values = Array.from(args.subarray(0, control[WORDS.args]))
  if (!kernel) return
  for (;;) {
    const mine = Atomics.add(control, WORDS.next, 1)
    if (mine >= chunks) return
    kernel(...values, mine * chunk, Math.min(items, (mine + 1) * chunk))
  }
}

/** Arguments in the order that the kernel takes them. Throws TypeError where one is missing or too many. */
function inOrder<K extends keyof KernelArguments>(
  kernel: K,
  args: KernelArguments[K] | readonly number[],
): readonly number[] {
  const names = KERNEL_PARAMETERS[kernel]
  const given = Array.isArray(args) ? (args as readonly number[]) : undefined
  const values = given ?? names.map((name) => (args as Readonly<Record<string, number>>)[name] ?? Number.NaN)
  const missing = given ? undefined : names.find((_, n) => Number.isNaN(values[n]))
  if (missing) throw new TypeError(`Kernel ${kernel} lacks its argument ${missing}`)
  if (values.length !== names.length)
    throw new TypeError(`Kernel ${kernel} takes ${names.length} arguments, not ${values.length}`)
  return values
}

/** The loop of a crew thread; returns when the crew ends. */
export function sit(seat: CrewSeat): void {
  const control = new Int32Array(seat.control, 0, ARGS_AT / 4)
  const { functions } = instantiateKernels(seat.module, seat.memory, Atomics.add(control, WORDS.seats, 1) + 1)
  const args = new Float64Array(seat.control, ARGS_AT, MOST_ARGS)
  let seen = 0
  for (;;) {
    let spins = 0
    while (Atomics.load(control, WORDS.generation) === seen)
      if (++spins > SPINS) Atomics.wait(control, WORDS.generation, seen)
    seen = Atomics.load(control, WORDS.generation)
    if (Atomics.load(control, WORDS.quit)) return
    try {
      takeChunks(control, args, functions)
    } catch {
      Atomics.store(control, WORDS.failed, 1)
    }
    if (Atomics.sub(control, WORDS.busy, 1) === 1) Atomics.notify(control, WORDS.busy)
  }
}

/**
 * A crew of `threads`, the caller among them; `module`: other kernels than the product's. With one thread nothing is started and nothing waits, so it also works where memory can't be shared.
 * Throws LanternError 'memory' when the shared memory can't be had.
 */
export function makeCrew(threads: number, start?: StartThread, module: WebAssembly.Module = compileKernels()): Crew {
  const memory = new WebAssembly.Memory({ initial: 64, maximum: MOST_PAGES, shared: true })
  const { names, functions, heapBase } = instantiateKernels(module, memory)
  const ends: (() => void)[] = []
  const bytes = ARGS_AT + 8 * MOST_ARGS
  const shared = threads > 1 && start ? new SharedArrayBuffer(bytes) : undefined
  const words = shared ?? new ArrayBuffer(bytes)
  const control = new Int32Array(words, 0, ARGS_AT / 4)
  const argWords = new Float64Array(words, ARGS_AT, MOST_ARGS)
  if (shared && start) for (let i = 1; i < threads; i++) ends.push(start({ module, memory, control: shared }))
  const indices = new Map(names.map((name, index) => [name, index]))
  const heap = makeHeap(memory, heapBase)

  return {
    threads: ends.length + 1,
    memory,
    heap,
    run(name, given, items, chunk = 1) {
      const index = indices.get(name)
      const kernel = index === undefined ? undefined : functions[index]
      if (index === undefined || !kernel) throw new TypeError(`No kernel is called ${name}`)
      if (items <= 0) return
      const args = inOrder(name, given)
      if (ends.length === 0 || items <= chunk) {
        kernel(...args, 0, items)
        return
      }
      control[WORDS.kernel] = index
      control[WORDS.chunk] = chunk
      control[WORDS.items] = items
      control[WORDS.chunks] = Math.ceil(items / chunk)
      control[WORDS.args] = args.length
      argWords.set(args)
      Atomics.store(control, WORDS.next, 0)
      Atomics.store(control, WORDS.busy, ends.length)
      Atomics.add(control, WORDS.generation, 1)
      Atomics.notify(control, WORDS.generation)
      takeChunks(control, argWords, functions)
      let spins = 0
      for (;;) {
        const busy = Atomics.load(control, WORDS.busy)
        if (busy === 0) break
        if (++spins > SPINS) Atomics.wait(control, WORDS.busy, busy)
      }
      if (Atomics.exchange(control, WORDS.failed, 0)) throw new Error(`Kernel ${name} failed on a crew thread`)
    },
    end() {
      Atomics.store(control, WORDS.quit, 1)
      Atomics.add(control, WORDS.generation, 1)
      Atomics.notify(control, WORDS.generation)
      for (const stop of ends.splice(0)) stop()
    },
  }
}
