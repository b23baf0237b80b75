import { describe, expect, it } from 'vitest'
import { LanternError, random } from '../../base/index.ts'
import { GAS_CHANNELS, type GasFrame, TILE, toHalf } from '../../data/index.ts'
import { gasGrids, gasOfGrids, readVdb, writeVdb } from '../index.ts'
import type { VdbGrid, VdbLeaf } from './layout.ts'

const ID = '01234567-89ab-cdef-0123-456789abcdef'
const CUBES = [0.1, 0, 0, 0, 0, 0.1, 0, 0, 0, 0, 0.1, 0, 0.05, 0.05, 0.05, 1]

function leaf(origin: [number, number, number], size: number, seed: number): VdbLeaf {
  const stream = random(seed)
  const out: VdbLeaf = { origin, active: new Uint8Array(64), values: new Float32Array(512 * size) }
  for (let n = 0; n < 512; n++) {
    if (stream.next() < 0.4) continue
    out.active[n >> 3] = (out.active[n >> 3] ?? 0) | (1 << (n & 7))
    // Quarters: the same as half floats.
    for (let c = 0; c < size; c++) out.values[n * size + c] = Math.round(stream.next() * 400) / 4
  }
  return out
}
const grid = (over: Partial<VdbGrid> = {}): VdbGrid => ({
  name: 'density',
  kind: 'float',
  class: 'fog volume',
  half: false,
  transform: CUBES,
  background: [0],
  leaves: [leaf([0, 0, 0], 1, 1), leaf([-8, 4096, 128], 1, 2)],
  tiles: [],
  metadata: {},
  ...over,
})

/** A frame with seeded values, its box off the lattice of eights. */
function frame(origin: [number, number, number] = [-13, 2, 5]): GasFrame {
  const stream = random(4)
  return {
    box: { cell: 0.04, origin, size: [24, 16, 16] },
    ambient: 288.5,
    tiles: Int32Array.of(0, 4, 7),
    channels: GAS_CHANNELS.map((name) =>
      Uint16Array.from({ length: 3 * TILE ** 3 }, () =>
        toHalf(name === 'u' || name === 'v' || name === 'w' ? 8 * stream.next() - 4 : 1500 * stream.next()),
      ),
    ),
  }
}
/** What a frame holds by cell of the world, empty cells left out. */
function cells({ box, tiles, channels }: GasFrame): Map<string, number[]> {
  const [tx, ty] = [Math.ceil(box.size[0] / TILE), Math.ceil(box.size[1] / TILE)]
  const out = new Map<string, number[]>()
  tiles.forEach((tile, t) => {
    for (let n = 0; n < TILE ** 3; n++) {
      const values = channels.map((channel) => channel[t * TILE ** 3 + n] ?? 0)
      if (values.some((v) => v !== 0))
        out.set(
          [
            (tile % tx) * TILE + (n % TILE) + box.origin[0],
            (Math.floor(tile / tx) % ty) * TILE + (Math.floor(n / TILE) % TILE) + box.origin[1],
            Math.floor(tile / (tx * ty)) * TILE + Math.floor(n / TILE ** 2) + box.origin[2],
          ].join(),
          values,
        )
    }
  })
  return out
}

describe('OpenVDB files', () => {
  it('come back as they went, full and half floats, numbers and vectors, far and negative corners', async () => {
    const grids = [
      grid(),
      grid({ name: 'temperature', half: true, background: [288] }),
      grid({
        name: 'velocity',
        kind: 'vector',
        class: 'staggered',
        half: true,
        background: [0, 0, 0],
        leaves: [leaf([8, 8, 8], 3, 3)],
      }),
    ]
    const { grids: back, skipped } = await readVdb(writeVdb(grids, ID))
    expect(skipped).toEqual([])
    for (const [n, one] of grids.entries()) {
      const read = back[n] as VdbGrid
      expect(read).toMatchObject({
        name: one.name,
        kind: one.kind,
        class: one.class,
        half: one.half,
        transform: one.transform,
        background: one.background,
        tiles: [],
      })
      const by = (leaves: readonly VdbLeaf[]): VdbLeaf[] => [...leaves].sort((a, b) => a.origin[0] - b.origin[0])
      for (const [m, want] of by(one.leaves).entries()) {
        const got = by(read.leaves)[m] as VdbLeaf
        expect(got.origin).toEqual(want.origin)
        expect(got.active).toEqual(want.active)
        for (let v = 0; v < 512; v++)
          for (let c = 0; c < (one.kind === 'vector' ? 3 : 1); c++)
            expect(got.values[v * (one.kind === 'vector' ? 3 : 1) + c]).toBe(
              (want.active[v >> 3] ?? 0) & (1 << (v & 7))
                ? want.values[v * (one.kind === 'vector' ? 3 : 1) + c]
                : one.background[c],
            )
      }
    }
  })
  it('hold an empty grid, and turned ones', async () => {
    const turned = [0.1, 0, 0, 0, 0, 0, 0.1, 0, 0, -0.1, 0, 0, 1, 2, 3, 1]
    const { grids } = await readVdb(writeVdb([grid({ leaves: [], transform: turned })], ID))
    expect(grids[0]).toMatchObject({ leaves: [], transform: turned })
  })
  it('are refused where they are none, too old, cut, or lie about their lengths', async () => {
    const whole = writeVdb([grid()], ID)
    await expect(readVdb(new Uint8Array(100), 'x.vdb')).rejects.toThrow(/x.vdb is not an OpenVDB file/)
    const old = whole.slice()
    old[8] = 200
    await expect(readVdb(old)).rejects.toThrow(/version 200/)
    await expect(readVdb(whole.slice(0, whole.length - 40))).rejects.toThrow(/places of its grids|ends too early/)
    const blosc = whole.slice()
    const flags = blosc.findIndex((_, n) => n > 60 && [3, 0, 0, 0].every((byte, o) => blosc[n + o] === byte))
    blosc[flags] = 6
    await expect(readVdb(blosc)).rejects.toThrow(/Blosc/)
  })
  it('whatever happened to them are read or refused plainly', async () => {
    const whole = writeVdb(
      [grid(), grid({ name: 'v', kind: 'vector', half: true, background: [0, 0, 0], leaves: [leaf([8, 8, 8], 3, 3)] })],
      ID,
    )
    const refusedOrRead = async (bytes: Uint8Array, how: string): Promise<void> => {
      try {
        gasOfGrids((await readVdb(bytes)).grids, 'x.vdb')
      } catch (error) {
        expect(error, how).toBeInstanceOf(LanternError)
      }
    }
    for (let seed = 0; seed < 200; seed++) {
      const stream = random(seed)
      const bytes = whole.slice()
      // Half of the time among the first bytes, where lengths and places stand.
      for (let flips = 1 + Math.floor(stream.next() * 6); flips > 0; flips--)
        bytes[Math.floor(stream.next() * (seed % 2 ? 600 : bytes.length))] = Math.floor(stream.next() * 256)
      await refusedOrRead(bytes, `seed ${seed}`)
      await refusedOrRead(whole.slice(0, Math.floor(stream.next() * whole.length)), `cut, seed ${seed}`)
    }
  })
})

describe('a gas as OpenVDB', () => {
  it('comes back exactly: soot, heat, fuel and velocity, wherever its box began', async () => {
    const one = frame()
    const back = gasOfGrids((await readVdb(writeVdb(gasGrids(one, false), ID))).grids, 'x.vdb')
    expect(back.ambient).toBe(288.5)
    expect(back.box.cell).toBeCloseTo(0.04, 12)
    // Kept halves are exact, temperatures above the air to the half next to them.
    const [before, after] = [
      cells(one),
      cells({ ...back, box: { ...back.box, origin: back.box.origin.map(Math.round) as [number, number, number] } }),
    ]
    expect(after.size).toBe(before.size)
    for (const [place, values] of before)
      for (const [c, value] of values.entries())
        expect(Math.abs((after.get(place)?.[c] ?? 99999) - value), `${place} ${GAS_CHANNELS[c]}`).toBeLessThanOrEqual(
          c === 1 ? 1 : 0,
        )
  })
  it('lies where it lay: a voxel’s centre is its cell’s', () => {
    const [density] = gasGrids(frame(), true)
    const m = density?.transform ?? []
    const origin = density?.leaves[0]?.origin ?? [0, 0, 0]
    expect((origin[0] ?? 0) * (m[0] ?? 0) + (m[12] ?? 0)).toBeCloseTo(0.04 * ((origin[0] ?? 0) + 0.5), 9)
  })
  it('takes staggered velocities to the cells’ centres, other units, and blocks of one value', () => {
    const full: VdbLeaf = {
      origin: [0, 0, 0],
      active: new Uint8Array(64).fill(255),
      values: Float32Array.from({ length: 1536 }, (_, n) => (n % 3 === 0 ? (n / 3) >> 6 : 0)),
    }
    const next: VdbLeaf = { ...full, origin: [8, 0, 0], values: full.values.map((v, n) => (n % 3 === 0 ? v + 8 : 0)) }
    const back = gasOfGrids(
      [
        grid({ leaves: [], tiles: [{ origin: [0, 0, 0], edge: 8, value: [2] }] }),
        grid({ name: 'Temperature', background: [15], leaves: [{ ...full, values: new Float32Array(512).fill(500) }] }),
        grid({ name: 'vel', kind: 'vector', class: 'staggered', background: [0, 0, 0], leaves: [full, next] }),
      ],
      'x.vdb',
      { density: 3, kelvin: 1, kelvinAt0: 273.15 },
    )
    const held = cells(back)
    expect(back.ambient).toBeCloseTo(288.15, 6)
    expect(held.get('3,4,5')?.slice(0, 2)).toEqual([toHalf(6), toHalf(485)])
    // Face 3 and face 4; at the end of a leaf the next one's face.
    expect(held.get('3,4,5')?.[3]).toBe(toHalf(3.5))
    expect(held.get('7,4,5')?.[3]).toBe(toHalf(7.5))
  })
  it('says plainly what it cannot take', () => {
    expect(() => gasOfGrids([grid({ name: 'sdf' })], 'x.vdb')).toThrow(
      /no grid called density or temperature; it has sdf/,
    )
    expect(() =>
      gasOfGrids([grid({ transform: [0, 0.1, 0, 0, -0.1, 0, 0, 0, 0, 0, 0.1, 0, 0, 0, 0, 1] })], 'x.vdb'),
    ).toThrow(/turned/)
    expect(() =>
      gasOfGrids([grid(), grid({ name: 'temperature', transform: CUBES.map((v) => v * 2) })], 'x.vdb'),
    ).toThrow(/another lattice/)
    expect(() =>
      gasOfGrids([grid({ leaves: [leaf([0, 0, 0], 1, 1), leaf([80000, 80000, 80000], 1, 2)] })], 'x.vdb'),
    ).toThrow(/more than can be held/)
    expect(gasOfGrids([grid({ leaves: [] })], 'x.vdb').tiles).toHaveLength(0)
  })
})
