import { describe, expect, it } from 'vitest'
import { at, CELLS, close, eachCell, fields, SIZE, SX, SXY } from '../../testing/kernelFields.ts'
import type { Crew } from '../base/index.ts'
import { paddedIndex } from '../data/index.ts'
import { allocateTable } from './rowTables.ts'
import { wholeStore } from './sparseRows.ts'

// Kernels against plain twins: the formula written out cell by cell.
describe('the projection’s parts', () => {
  it('take as divergence what flows out of each fluid cell, less what is prescribed', () => {
    const { crew, noise, view, flags } = fields(4)
    const [u, v, w, expansion, b] = [noise(-1, 1), noise(-1, 1), noise(-1, 1), noise(-2, 2), noise(0, 1)]
    const diag = crew.heap.alloc(CELLS)
    crew.heap.u8(diag, CELLS).fill(0)
    crew.run('countNeighbours', [diag, flags, 0, ...SIZE], SIZE[2])
    const partial = crew.heap.alloc(SIZE[2] * 80)
    crew.run('divergence', [b, u, v, w, expansion, diag, 0.1, partial, 0, ...SIZE], SIZE[2])
    let largest = 0
    eachCell((e) => {
      const fluid = crew.heap.u8(flags, CELLS)[e] === 1
      const out =
        at(view(u), e + 1) -
        at(view(u), e) +
        at(view(v), e + SX) -
        at(view(v), e) +
        at(view(w), e + SXY) -
        at(view(w), e)
      close(at(view(b), e), fluid ? 0.1 * at(view(expansion), e) - out : 0)
      largest = Math.max(largest, Math.abs(at(view(b), e)))
    })
    expect(
      Math.max(...Array.from({ length: SIZE[2] }, (_, k) => crew.heap.f64(partial, SIZE[2] * 2)[k * 2 + 1] ?? 0)),
    ).toBeCloseTo(largest, 6)
  })
  it('count the faces that are not solid, and stop the flow at those that are', () => {
    const { crew, noise, view, flags } = fields(5)
    const [u, v, w, q] = [noise(-1, 1), noise(-1, 1), noise(-1, 1), noise(-1, 1)]
    const marks = crew.heap.u8(flags, CELLS)
    // A corner of the box is open air.
    eachCell((e, i, j, k) => i > 6 && j < 3 && k > 4 && (marks[e] = 2))
    const diag = crew.heap.alloc(CELLS)
    crew.heap.u8(diag, CELLS).fill(0)
    crew.run('countNeighbours', [diag, flags, 0, ...SIZE], SIZE[2])
    const before = [u, v, w].map((field) => view(field).slice())
    crew.run('project', [u, v, w, q, 1, flags, 0, ...SIZE], SIZE[2])
    eachCell((e) => {
      const around = [-1, 1, -SX, SX, -SXY, SXY].filter((o) => marks[e + o] !== 0).length
      expect(crew.heap.u8(diag, CELLS)[e]).toBe(marks[e] === 1 ? around : 0)
    })
    for (const [axis, step] of [1, SX, SXY].entries()) {
      const [field, old] = [view([u, v, w][axis] ?? 0), before[axis] ?? new Float32Array()]
      const [nx, ny, nz] = SIZE.map((n, m) => n + (m === axis ? 1 : 0)) as [number, number, number]
      for (let k = 0; k < nz; k++)
        for (let j = 0; j < ny; j++)
          for (let i = 0; i < nx; i++) {
            const e = paddedIndex(SIZE, i, j, k)
            const open = marks[e] === 2 && marks[e - step] === 2
            close(
              at(field, e),
              marks[e] === 0 || marks[e - step] === 0
                ? 0
                : open
                  ? at(old, e)
                  : at(old, e) - (at(view(q), e) - at(view(q), e - step)),
            )
          }
    }
  })
  it('take a share of the pressure’s slope off before the air sets out, not at walls', () => {
    const { crew, noise, zero, view, flags } = fields(14)
    const marks = crew.heap.u8(flags, CELLS)
    const h = noise(-1, 1)
    for (const [axis, step] of [1, SX, SXY].entries()) {
      const [dst, src] = [zero(), noise(-1, 1)]
      crew.run('reflect', [dst, src, h, flags, axis, 0.3, 0, ...SIZE], SIZE[2])
      eachCell((e) =>
        close(
          at(view(dst), e),
          at(view(src), e) -
            (marks[e] === 0 || marks[e - step] === 0 ? 0 : 0.3 * (at(view(h), e) - at(view(h), e - step))),
        ),
      )
    }
  })
  it('sweep one colour as Gauss and Seidel do', () => {
    const { crew, noise, zero, view, flags } = fields(6)
    const diag = crew.heap.alloc(CELLS)
    crew.heap.u8(diag, CELLS).fill(0)
    crew.run('countNeighbours', [diag, flags, 0, ...SIZE], SIZE[2])
    const marks = crew.heap.u8(flags, CELLS)
    const [x, b] = [zero(), noise(-1, 1)]
    eachCell((e, i, j, k) => {
      if (marks[e] === 1) view(x)[e] = Math.sin(i * 3 + j * 5 + k * 7)
    })
    const before = view(x).slice()
    crew.run('smooth', [x, b, diag, 0, ...SIZE, 1], SIZE[2])
    const touched = new Set<number>()
    eachCell((e, i, j, k) => {
      const count = crew.heap.u8(diag, CELLS)[e] ?? 0
      if (at(view(x), e) === at(before, e)) return
      touched.add((i + j + k) % 2)
      const sum = [-1, 1, -SX, SX, -SXY, SXY].reduce((total, o) => total + at(before, e + o), 0)
      close(at(view(x), e), (at(view(b), e) + sum) / count)
    })
    expect(touched.size).toBe(1)
  })
})

it('what lies in solids is the mean of the free cells beside it, or the air where there are none', () => {
  for (const wall of [[], [0], [8], [4, 5], [0, 1, 2, 3, 4, 5, 6, 7, 8]]) {
    const { crew, noise, view, flags } = fields(17)
    const marks = crew.heap.u8(flags, CELLS)
    eachCell((e, i, j, k) => (marks[e] = wall.includes(i) && j !== 2 && k > 3 ? 0 : 1))
    const f = noise(1, 2)
    const before = view(f).slice()
    crew.run('fillSolid', [f, flags, 0, ...SIZE, 7], SIZE[2])
    eachCell((e) => {
      const free = [-1, 1, -SX, SX, -SXY, SXY].filter((o) => marks[e + o] === 1)
      close(
        at(view(f), e),
        marks[e] === 1
          ? at(before, e)
          : free.length > 0
            ? free.reduce((sum, o) => sum + at(before, e + o), 0) / free.length
            : 7,
      )
    })
  }
})

describe('looking over a field', () => {
  it('finds the fastest face and the range that holds something', () => {
    const { crew, noise, zero, view } = fields(7)
    const [u, v, w] = [noise(-1, 1), noise(-1, 1), noise(-1, 1)]
    const partial = crew.heap.alloc(SIZE[2] * 80)
    view(v)[paddedIndex(SIZE, 3, 2, 5)] = -7
    crew.run('fastest', [u, v, w, partial, 0, ...SIZE], SIZE[2])
    const speeds = crew.heap.f64(partial, SIZE[2])
    expect(Math.max(...speeds)).toBe(7)
    expect(speeds.indexOf(7)).toBe(5)
    const [density, fuel, soot] = [noise(1, 1), zero(), zero()]
    view(density)[paddedIndex(SIZE, 2, 4, 1)] = 0.7
    view(soot)[paddedIndex(SIZE, 8, 1, 1)] = 1
    crew.run('extent', [density, fuel, soot, 0.9, 0.1, 0.1, partial, 0, ...SIZE], SIZE[2])
    const ranges = crew.heap.i32(partial, SIZE[2] * 4)
    expect([...ranges.subarray(4, 8)]).toEqual([2, 8, 1, 4])
    expect((ranges[0] ?? 0) > (ranges[1] ?? 0)).toBe(true)
  })
  it('counts what is flame, layer by layer, and how high it stands', () => {
    const { crew, noise, view, flags } = fields(9)
    const density = noise(1, 1)
    const partial = crew.heap.alloc(SIZE[2] * 80)
    for (const [i, j, k] of [
      [2, 4, 1],
      [3, 5, 1],
      [8, 6, 1],
      [4, 4, 3],
    ] as const)
      view(density)[paddedIndex(SIZE, i, j, k)] = 0.3
    crew.run('flame', [density, flags, 0.37, partial, 0, ...SIZE], SIZE[2])
    // The last of them lies in the wall.
    expect([...crew.heap.f64(partial, SIZE[2] * 2)].slice(0, 8)).toEqual([0, 0, 3, 7, 0, 0, 0, 0])
  })
  it('lets air come in through the upper sides from air that moves with the wind', () => {
    const { crew, noise, view } = fields(10)
    const u = noise(-2, 2)
    const before = view(u).slice()
    crew.run('calmInflow', [u, 0, 0.25, 1, 0, 0, ...SIZE], 1)
    eachCell((e) => expect(at(view(u), e)).toBe(at(before, e)))
    for (const [j, k] of [
      [0, 0],
      [3, 4],
      [6, 7],
    ] as const) {
      const e = paddedIndex(SIZE, SIZE[0], j, k)
      const was = at(before, e)
      close(at(view(u), e), was < 0 ? was + (1 - was) * Math.min(1, -was * 0.25) : was)
    }
  })
  it('leaves the faces of a side that are its own', () => {
    const { crew, noise, view } = fields(13)
    const f = noise(1, 2)
    const before = view(f).slice()
    crew.run('fillGhosts', [f, ...SIZE, 128, 5, 0, 0], SIZE[2] + 2)
    expect(at(view(f), paddedIndex(SIZE, SIZE[0], 3, 3))).toBe(at(before, paddedIndex(SIZE, SIZE[0], 3, 3)))
    expect(at(view(f), paddedIndex(SIZE, -1, 3, 3))).toBe(5)
  })
  it('mirrors ghosts along closed sides and fills them beyond open ones', () => {
    const { crew, noise, view } = fields(8)
    const f = noise(1, 2)
    crew.run('fillGhosts', [f, ...SIZE, 1 + 8, 5, 0, 0], SIZE[2] + 2)
    expect(at(view(f), paddedIndex(SIZE, -1, 3, 3))).toBe(at(view(f), paddedIndex(SIZE, 0, 3, 3)))
    expect(at(view(f), paddedIndex(SIZE, SIZE[0], 3, 3))).toBe(5)
    expect(at(view(f), paddedIndex(SIZE, 3, SIZE[1], 3))).toBe(at(view(f), paddedIndex(SIZE, 3, SIZE[1] - 1, 3)))
    expect(at(view(f), paddedIndex(SIZE, 3, 3, -1))).toBe(5)
  })
})

describe('air', () => {
  // Worked on in part: cells 4 to 7 of the rows 2 to 4 of the layers 2 to 5; open air outside.
  const worked = (i: number, j: number, k: number): boolean => i >= 4 && i < 8 && j >= 2 && j < 5 && k >= 2 && k < 6
  function spansOf(crew: Crew): number {
    const rows = (SIZE[1] + 2) * (SIZE[2] + 2)
    const spans = new Int32Array(2 * rows)
    for (let k = 2; k < 6; k++) for (let j = 2; j < 5; j++) spans.set([4, 8], 2 * ((k + 1) * (SIZE[1] + 2) + j + 1))
    return allocateTable(crew, spans, wholeStore(SIZE))
  }
  it('moves with the wind between cells no pressure orders, and nowhere else', () => {
    for (const axis of [0, 1, 2]) {
      const { crew, noise, view, flags } = fields(61 + axis)
      const [speeds, rows, spans] = [noise(-1, 1), noise(0.5, 1), spansOf(crew)]
      const kinds = crew.heap.u8(flags, CELLS)
      eachCell((e, i, j, k) => (kinds[e] = (i + 2 * j + k) % 3 === 0 ? 1 : 2))
      const before = view(speeds).slice()
      crew.run('resetFaces', [speeds, flags, axis, 3, axis === 1 ? 0 : rows, spans, SIZE[0], SIZE[1]], SIZE[2] + 2, 3)
      let calmed = 0
      eachCell((e, i, j, k) => {
        const calm = worked(i, j, k) && kinds[e] === 2 && kinds[e - ([1, SX, SXY][axis] ?? 0)] === 2
        if (calm) calmed++
        expect(view(speeds)[e]).toBe(calm ? Math.fround(axis === 1 ? 3 : 3 * at(view(rows), j + 1)) : before[e])
      })
      expect(calmed).toBeGreaterThan(5)
    }
  })
  it.each([
    ['the whole box', false],
    ['what is worked on', true],
  ])('leaves %s by its open sides with what its cells hold', (_, tiled) => {
    const { crew, noise, view } = fields(71)
    const [u, v, w, density, fuel, soot, sums] = [
      noise(-1, 1),
      noise(-1, 1),
      noise(-1, 1),
      noise(0.2, 1),
      noise(0, 1),
      noise(0, 1),
      crew.heap.alloc(64),
    ]
    crew.run('outflow', [u, v, w, density, fuel, soot, tiled ? spansOf(crew) : 0, 4, sums, ...SIZE], 1)
    const expected = [0, 0, 0]
    eachCell((e, i, j, k) => {
      if (tiled && !worked(i, j, k)) return
      for (const [axis, [field, place]] of (
        [
          [u, i],
          [v, j],
          [w, k],
        ] as const
      ).entries()) {
        const stride = [1, SX, SXY][axis] ?? 0
        // The ground, axis 1's lower side, is closed.
        const out =
          (place === 0 && axis !== 1 ? Math.max(0, -at(view(field), e)) : 0) +
          (place === (SIZE[axis] ?? 0) - 1 ? Math.max(0, at(view(field), e + stride)) : 0)
        for (const [n, held] of [1 - at(view(density), e), at(view(fuel), e), at(view(soot), e)].entries())
          expected[n] = (expected[n] ?? 0) + out * held
      }
    })
    const measured = [...crew.heap.f64(sums, 3)]
    if (tiled) expect(measured).toEqual([0, 0, 0])
    else expect(Math.min(...expected)).toBeGreaterThan(1)
    measured.forEach((sum, n) => close(sum, expected[n] ?? 0))
  })
})
