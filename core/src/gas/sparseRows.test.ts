import { describe, expect, it } from 'vitest'
import { unpacked } from '../../testing/rows.ts'
import { type Crew, makeCrew, random } from '../base/index.ts'
import { paddedCells, paddedIndex } from '../data/index.ts'
import { allocateTable, spansOf, storeFor } from './rowTables.ts'
import { eachRow, elementAt, elementOf, type RowStore, storeOf, wholeStore } from './sparseRows.ts'

const SIZE = [24, 16, 16] as const
const CELLS = paddedCells(SIZE)
/** Two tiles that touch at an edge, away from most sides. */
const active = new Uint8Array(12)
active[0] = 1
active[4] = 1

describe('what is stored of a box', () => {
  const store = storeFor(SIZE, active)
  it('has every element once, row after row', () => {
    const seen = new Set<number>()
    let count = 0
    for (let index = 0; index < CELLS; index++) {
      const e = elementAt(store, index)
      if (e < 0) continue
      count++
      seen.add(e)
      expect(e).toBeLessThan(store.cells)
    }
    expect(seen.size).toBe(count)
    expect(count).toBeGreaterThan(2 * 512)
    expect(store.cells).toBeLessThan(CELLS / 2)
    expect(store.cells % (SIZE[2] + 2)).toBe(0)
  })
  it('leaves the zeros that rows without any lie on to themselves', () => {
    eachRow(store, (_, start, __, base) => expect(base + start).toBeGreaterThanOrEqual(SIZE[0] + 2))
    expect(elementOf(store, 12, 14, 14)).toBe(-1)
  })
  it('is all of it where all is worked on', () => {
    expect(storeFor(SIZE)).toEqual(wholeStore(SIZE))
    for (const index of [0, 77, CELLS - 1]) expect(elementAt(wholeStore(SIZE), index)).toBe(index)
  })
  it('is told in padded fields again', () => {
    const field = Float32Array.from({ length: store.cells }, (_, e) => e + 1)
    const whole = unpacked(store, field, -5)
    for (let index = 0; index < CELLS; index++)
      expect(whole[index]).toBe(elementAt(store, index) < 0 ? -5 : elementAt(store, index) + 1)
  })
  it('leaves room after rows that do not end on four cells', () => {
    const odd = [6, 3, 3] as const
    const columns = new Int32Array(50).fill(0)
    columns.set([1, 7, 1, 7], 12)
    const { rows } = storeOf(odd, columns)
    expect((rows?.[3 * 7 + 2] ?? 0) - (rows?.[3 * 6 + 2] ?? 0)).toBe(10)
  })
})

/** A kernel's arguments on fields that are laid in a store: `noise` gives one of seeded numbers, alike in every store. */
interface Place {
  crew: Crew
  store: RowStore
  spans: { cells: number; faces: number; wide: number }
  noise(low: number, high: number): number
  flags: number
}

function place(packed: boolean): Place {
  const crew = makeCrew(1)
  const parts = spansOf(SIZE, active)
  const store = packed ? storeFor(SIZE, active) : wholeStore(SIZE)
  const stream = random(9)
  const bytes = (values: Uint8Array): number => {
    const at = crew.heap.alloc(store.cells)
    const view = crew.heap.u8(at, store.cells).fill(2)
    values.forEach((value, index) => elementAt(store, index) >= 0 && (view[elementAt(store, index)] = value))
    return at
  }
  return {
    crew,
    store,
    spans: {
      cells: allocateTable(crew, parts.cells, store),
      faces: allocateTable(crew, parts.faces, store),
      wide: allocateTable(crew, parts.wide, store, parts.layers),
    },
    noise(low, high) {
      const at = crew.heap.alloc(4 * store.cells)
      const view = crew.heap.f32(at, store.cells).fill(0)
      for (let index = 0; index < CELLS; index++) {
        const value = low + (high - low) * stream.next()
        if (elementAt(store, index) >= 0) view[elementAt(store, index)] = value
      }
      return at
    },
    flags: bytes(Uint8Array.from({ length: CELLS }, (_, index) => (index % 7 === 0 ? 0 : index % 11 === 0 ? 2 : 1))),
  }
}

const size = [...SIZE]
/** By kernel: runs it and says which fields it wrote. */
const KERNELS: Record<string, (p: Place) => number[]> = {
  buoyancy: ({ crew, noise, spans }) =>
    run(crew, 'buoyancy', [noise(-1, 1)], [noise(0.2, 1), noise(0, 0.1), 0.1, spans.faces]),
  baroclinic: ({ crew, noise, spans }) =>
    run(
      crew,
      'baroclinic',
      [noise(-1, 1), noise(-1, 1), noise(-1, 1)],
      [noise(-1, 1), noise(0.2, 1), 0.1, spans.faces],
    ),
  curl: ({ crew, noise, spans }) =>
    run(
      crew,
      'curl',
      [noise(0, 0), noise(0, 0), noise(0, 0), noise(0, 0)],
      [noise(-1, 1), noise(-1, 1), noise(-1, 1), spans.cells],
    ),
  confine: ({ crew, noise, spans }) =>
    run(crew, 'confine', [noise(-1, 1), noise(-1, 1), noise(-1, 1)], [noise(0, 1), 0.3, spans.cells]),
  addCentred: ({ crew, noise, spans }) =>
    run(
      crew,
      'addCentred',
      [noise(-1, 1), noise(-1, 1), noise(-1, 1)],
      [noise(-1, 1), noise(-1, 1), noise(-1, 1), spans.faces],
    ),
  react: ({ crew, noise, spans, flags }) =>
    run(
      crew,
      'react',
      [noise(0.3, 1), noise(0, 0.03), noise(0, 0.001), noise(0, 0.01), noise(0, 0)],
      [
        flags,
        noise(-1, 1),
        noise(-1, 1),
        noise(-1, 1),
        5,
        0.01,
        293,
        4,
        0.6,
        15,
        150,
        0.3,
        0.02,
        1,
        0.2,
        4e-9,
        2250,
        crew.heap.alloc(2000),
        spans.cells,
      ],
    ),
  fillSolid: ({ crew, noise, spans, flags }) => {
    const f = noise(0, 1)
    crew.run('fillSolid', [f, flags, spans.cells, ...size, 1], SIZE[2])
    return [f]
  },
  windFaces: ({ crew, noise, spans }) => run(crew, 'windFaces', [noise(-1, 1)], [0.5, 0, spans.wide]),
  pushFaces: ({ crew, noise, spans }) =>
    run(crew, 'pushFaces', [noise(-1, 1)], [1, 0, 0, 0, 0.1, 1, 1, 1, 0, 1, 0, 2, 1, 0.5, 0, 0.3, 0.1, spans.faces]),
  dragFaces: ({ crew, noise, spans }) =>
    run(crew, 'dragFaces', [noise(-1, 1)], [2, 0, 0, 0, 0.1, 1, 1, 1, 3, 0, 0.3, 0.1, spans.faces]),
  divergence: ({ crew, noise, spans, flags }) =>
    run(
      crew,
      'divergence',
      [noise(0, 0)],
      [noise(-1, 1), noise(-1, 1), noise(-1, 1), noise(0, 1), flags, 0.1, crew.heap.alloc(2000), spans.cells],
    ),
  project: ({ crew, noise, spans, flags }) =>
    run(crew, 'project', [noise(-1, 1), noise(-1, 1), noise(-1, 1)], [noise(-1, 1), 0.4, flags, spans.faces]),
  smooth: ({ crew, noise, spans, flags }) => {
    const x = noise(-1, 1)
    crew.run('smooth', [x, noise(-1, 1), flags, spans.cells, ...size, 1], SIZE[2])
    return [x]
  },
  residual: ({ crew, noise, spans, flags }) =>
    run(crew, 'residual', [noise(0, 0)], [noise(-1, 1), noise(-1, 1), flags, flags, spans.cells]),
  applyDot: ({ crew, noise, spans, flags }) =>
    run(crew, 'applyDot', [noise(0, 0)], [noise(-1, 1), flags, crew.heap.alloc(2000), spans.cells]),
  smoothPass: ({ crew, noise, spans, flags }) => {
    const [x, t] = [noise(-1, 1), noise(0, 0)]
    crew.run(
      'smoothPass',
      [x, noise(-1, 1), flags, spans.cells, ...size, 1, 0, crew.heap.alloc(2000), 0, 0, 0, t, flags, 0, 0, 0, 0],
      SIZE[2],
    )
    return [x, t]
  },
  directionPass: ({ crew, noise, spans, flags }) =>
    run(
      crew,
      'directionPass',
      [noise(0, 0), noise(-1, 1)],
      [noise(-1, 1), flags, 0.4, crew.heap.alloc(2000), 0, 0, 0, spans.cells],
    ),
  fillWide: ({ crew, noise, spans }) => {
    const f = noise(-1, 1)
    crew.run('fillWide', [f, 3, 0, spans.wide, spans.cells, ...size], SIZE[2] + 2)
    return [f]
  },
  fillOutside: ({ crew, noise, spans }) => {
    const f = noise(-1, 1)
    crew.run('fillOutside', [f, 3, 0, spans.faces, spans.wide, ...size], SIZE[2] + 2)
    return [f]
  },
  fillGhosts: ({ crew, noise, spans }) => {
    const f = noise(-1, 1)
    crew.run('fillGhosts', [f, ...size, 1 + 4 + 16, 2, 0, spans.wide], SIZE[2] + 2)
    return [f]
  },
  calmInflow: ({ crew, noise, spans }) => {
    const f = noise(-1, 1)
    crew.run('calmInflow', [f, 1, 0.5, 1, 0, spans.wide, ...size], 1)
    return [f]
  },
  ...Object.fromEntries(
    [0, 1, 2].flatMap((axis) => [
      [
        `reflect ${axis}`,
        ({ crew, noise, spans, flags }: Place) =>
          run(crew, 'reflect', [noise(0, 0)], [noise(-1, 1), noise(-1, 1), flags, axis, 0.4, spans.faces]),
      ],
      [
        `advectScalar ${axis}`,
        ({ crew, noise, spans }: Place) =>
          run(
            crew,
            'advectScalar',
            [noise(0, 0)],
            [
              noise(0, 1),
              axis,
              noise(-1, 1),
              noise(-1, 1),
              (axis + 1) % 3,
              noise(-1, 1),
              (axis + 2) % 3,
              0,
              axis === 0 ? 1 : 0,
              0.3,
              spans.cells,
            ],
          ),
      ],
      [
        `resetFaces ${axis}`,
        ({ crew, noise, spans, flags }: Place) => {
          const f = noise(-1, 1)
          crew.run('resetFaces', [f, flags, axis, 3, 0, spans.faces, SIZE[0], SIZE[1]], SIZE[2] + 2)
          return [f]
        },
      ],
      ...[0, 1, 2].map(
        (comp) =>
          [
            `advectVelocity ${comp} along ${axis}`,
            ({ crew, noise, spans }: Place) => {
              const f = noise(0, 0)
              crew.run(
                'advectVelocity',
                [
                  f,
                  noise(-1, 1),
                  comp,
                  axis,
                  noise(-1, 1),
                  noise(-1, 1),
                  (axis + 1) % 3,
                  noise(-1, 1),
                  (axis + 2) % 3,
                  0.3,
                  spans.faces,
                  ...size,
                ],
                SIZE[2] + (comp === 2 ? 1 : 0),
              )
              return [f]
            },
          ] as const,
      ),
    ]),
  ),
}

function run(crew: Crew, name: string, written: number[], rest: number[]): number[] {
  crew.run(name as Parameters<Crew['run']>[0], [...written, ...rest, ...size], SIZE[2])
  return written
}

it.each(Object.keys(KERNELS))(
  '%s does the same to rows that are stored one after the other as to a whole field, bit for bit',
  (name) => {
    const [whole, packed] = [place(false), place(true)]
    const results = [whole, packed].map(
      (p) => KERNELS[name]?.(p).map((at) => p.crew.heap.f32(at, p.store.cells)) ?? [],
    ) as [Float32Array[], Float32Array[]]
    // Where there is work, what it sees of other rows is stored.
    const { cells } = spansOf(SIZE, active)
    let compared = 0
    results[1].forEach((field, n) => {
      for (let k = 0; k < SIZE[2]; k++)
        for (let j = 0; j < SIZE[1]; j++) {
          const row = (k + 1) * (SIZE[1] + 2) + j + 1
          for (let i = cells[2 * row] ?? 0; i < (cells[2 * row + 1] ?? 0); i++) {
            compared++
            if (!Object.is(field[elementOf(packed.store, i, j, k)], results[0][n]?.[paddedIndex(SIZE, i, j, k)]))
              expect.fail(
                `at ${i} ${j} ${k}: ${field[elementOf(packed.store, i, j, k)]}, not ${results[0][n]?.[paddedIndex(SIZE, i, j, k)]}`,
              )
          }
        }
    })
    expect(compared).toBeGreaterThanOrEqual(1024)
  },
)
