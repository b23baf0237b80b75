// What core takes from every engine it runs in, browser or Node, and no more.
declare function atob(text: string): string
declare namespace WebAssembly {
  class Module {
    constructor(bytes: Uint8Array<ArrayBuffer>)
  }
  class Instance {
    constructor(module: Module, imports: Record<string, Record<string, Memory>>)
    readonly exports: Record<string, ((...args: number[]) => number | bigint | undefined) | Memory | Global>
  }
  class Global {
    readonly value: number | bigint
  }
  class Memory {
    constructor(size: { initial: number; maximum: number; shared?: boolean })
    readonly buffer: ArrayBuffer | SharedArrayBuffer
    grow(pages: number): number
  }
}
declare class TextEncoder {
  encode(text: string): Uint8Array<ArrayBuffer>
}
declare class TextDecoder {
  constructor(label?: string, options?: { fatal?: boolean })
  decode(bytes: Uint8Array): string
}
