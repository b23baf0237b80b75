import type { Crew } from '../base/index.ts'

// Images of layers that are ready to be laid, kept from one laying of a frame to the next: where one layer's amount moves, the others need not be brought to the plate's size, blurred and graded again.

interface Held {
  of: object
  images: readonly (Float32Array | undefined)[]
}

const numbers = new WeakMap<object, number>()
let numbered = 0
/** A number for an object that tells it from all others. */
export function numberOf(one: object | undefined): number {
  if (!one) return 0
  const number = numbers.get(one) ?? ++numbered
  numbers.set(one, number)
  return number
}

/** Holds what the last laying made; begin() before each. What that did not use is let go. */
export class AtHand {
  #of: readonly unknown[] = []
  #last = new Map<string, Held>()
  #now = new Map<string, Held>()

  /** of: what all images hang on; where one of these is another one, nothing that is held will do. */
  begin(of: readonly unknown[]): void {
    const same = of.length === this.#of.length && of.every((one, n) => one === this.#of[n])
    this.#last = same ? this.#now : new Map()
    this.#now = new Map()
    this.#of = of
  }

  /** Images of four floats a pixel on the heap, by a key of all that they hang on beside an object (a layer): those that are held, or what make() makes. 0 stands for none. */
  images<T extends readonly number[]>(crew: Crew, key: string, of: object, pixels: number, make: () => T): T {
    const { heap } = crew
    const there = this.#now.get(key) ?? this.#last.get(key)
    if (there?.of === of) {
      this.#now.set(key, there)
      return there.images.map((image) => {
        if (!image) return 0
        const at = heap.alloc(image.byteLength)
        heap.f32(at, image.length).set(image)
        return at
      }) as readonly number[] as T
    }
    const made = make()
    const images = made.map((at) => (at ? heap.f32(at, pixels * 4).slice() : undefined))
    this.#now.set(key, { of, images })
    return made
  }

  /** Bytes that are held. */
  bytes(): number {
    const all = new Set([...this.#last.values(), ...this.#now.values()].flatMap(({ images }) => images))
    return [...all].reduce((sum, image) => sum + (image?.byteLength ?? 0), 0)
  }
}
