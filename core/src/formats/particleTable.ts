import Papa from 'papaparse'
import { z } from 'zod'
import { LanternError } from '../base/index.ts'
import { emptyParticles, FLYING, type ParticleFrame, STUCK } from '../data/index.ts'
import { readTable } from './csv/table.ts'

// Particles in and out as open formats: tables (CSV) of all frames, and point clouds (PLY), one a frame. Metres, m/s, seconds, kelvin.

const COLUMNS = ['x', 'y', 'z', 'vx', 'vy', 'vz', 'size', 'age', 'temperature', 'spin'] as const
type Column = (typeof COLUMNS)[number]
const MOST_ROWS = 1_000_000
const MOST_POINTS = 5_000_000
const FARTHEST = 1e6
/** Of particles whose file says nothing of it. */
const WITHOUT = { size: 0.005, temperature: 288.15 } as const

const HELP =
  'Write the columns frame, x, y, z and, if wanted, id, vx, vy, vz, size, age, temperature, spin and state; in metres, seconds and kelvin.'
const wrong =
  (file: string) =>
  (what: string): LanternError =>
    new LanternError('particles-file', `${file} ${what}`, HELP, { file })

const columnOf = (frame: ParticleFrame, n: number, column: Column): number => {
  const axis = 'xyz'.indexOf(column.at(-1) ?? '')
  if (column.length === 1) return frame.positions[3 * n + axis] as number
  if (column[0] === 'v') return frame.velocities[3 * n + axis] as number
  const lists = { size: frame.sizes, age: frame.ages, temperature: frame.temperatures, spin: frame.spins }
  return lists[column as keyof typeof lists][n] as number
}
const put = (frame: ParticleFrame, n: number, column: Column, value: number): void => {
  const axis = 'xyz'.indexOf(column.at(-1) ?? '')
  if (column.length === 1) frame.positions[3 * n + axis] = value
  else if (column[0] === 'v') frame.velocities[3 * n + axis] = value
  else {
    const lists = { size: frame.sizes, age: frame.ages, temperature: frame.temperatures, spin: frame.spins }
    lists[column as keyof typeof lists][n] = value
  }
}

/** Rows of a table of particles: of one frame; head: with the columns' names. */
export function particleRows(frame: ParticleFrame, number: number, head: boolean): string {
  const data = Array.from({ length: frame.count }, (_, n) => [
    number,
    frame.ids[n],
    ...COLUMNS.map((column) => Number(columnOf(frame, n, column).toPrecision(7))),
    frame.states[n],
  ])
  const text = Papa.unparse({ fields: ['frame', 'id', ...COLUMNS, 'state'], data }, { header: head, newline: '\n' })
  return text === '' ? '' : `${text}\n`
}

const whole = z.coerce.number().int()
const number = z.coerce.number().int().min(0).max(0xffffffff)
const cell = z.coerce.number().refine((value) => Number.isFinite(value) && Math.abs(value) <= FARTHEST)
/** A number in a cell; undefined where it is left out. Throws ZodError on what is none. */
const cellOf = (row: Record<string, string>, column: string): number | undefined => {
  const text = row[column]?.trim()
  return text === undefined || text === '' ? undefined : cell.parse(text)
}

/** Reads a table of particles: frame, x, y, z, and what more of them it has. By frame, in order. Throws LanternError 'particles-file' naming the row. */
export function readParticleCsv(bytes: Uint8Array, file: string): Map<number, ParticleFrame> {
  const refuse = wrong(file)
  const rows = readTable(bytes, ['frame', 'x', 'y', 'z'], MOST_ROWS, refuse)
  const byFrame = new Map<number, number[]>()
  rows.forEach((row, n) => {
    const parsed = whole.safeParse(row.frame?.trim() || 'none')
    if (!parsed.success) throw refuse(`has a row ${n + 2} without a whole number of a frame: ${row.frame ?? ''}.`)
    const list = byFrame.get(parsed.data) ?? []
    list.push(n)
    byFrame.set(parsed.data, list)
  })
  const frames = new Map<number, ParticleFrame>()
  for (const [own, list] of [...byFrame].sort(([a], [b]) => a - b)) {
    const frame = emptyParticles(list.length)
    list.forEach((r, n) => fillRow(frame, n, rows[r] ?? {}, r + 2, refuse))
    frames.set(own, frame)
  }
  return frames
}
function fillRow(
  frame: ParticleFrame,
  n: number,
  row: Record<string, string>,
  line: number,
  refuse: (what: string) => LanternError,
): void {
  try {
    for (const column of COLUMNS) {
      const value = cellOf(row, column) ?? WITHOUT[column as keyof typeof WITHOUT] ?? 0
      if (column === 'size' && value < 0) throw new RangeError('size')
      put(frame, n, column, value)
    }
    if (['x', 'y', 'z'].some((axis) => cellOf(row, axis) === undefined)) throw new RangeError('place')
    frame.ids[n] = row.id?.trim() ? number.parse(row.id) : n
    frame.states[n] = Math.min(STUCK, Math.max(FLYING, cellOf(row, 'state') ?? FLYING))
  } catch {
    throw refuse(`has a row ${line} that is no particle: ${Object.values(row).join(', ').slice(0, 80)}.`)
  }
}

/** Bytes of a vertex that this writes: the columns as floats, the number and the state. */
const VERTEX = 4 * COLUMNS.length + 4 + 1

/** A frame as a point cloud: binary PLY, little-endian. */
export function writeParticlePly(frame: ParticleFrame, number: number): Uint8Array<ArrayBuffer> {
  const head = [
    'ply',
    'format binary_little_endian 1.0',
    'comment Coal Lantern particles: metres, m/s, seconds, kelvin',
    `comment frame ${number}`,
    `element vertex ${frame.count}`,
    ...COLUMNS.map((column) => `property float ${column}`),
    'property uint id',
    'property uchar state',
    'end_header\n',
  ].join('\n')
  const text = new TextEncoder().encode(head)
  const bytes = new Uint8Array(text.length + frame.count * VERTEX)
  bytes.set(text)
  const view = new DataView(bytes.buffer)
  for (let n = 0; n < frame.count; n++) {
    const at = text.length + n * VERTEX
    COLUMNS.forEach((column, k) => view.setFloat32(at + 4 * k, columnOf(frame, n, column), true))
    view.setUint32(at + 4 * COLUMNS.length, frame.ids[n] as number, true)
    view.setUint8(at + 4 * COLUMNS.length + 4, frame.states[n] as number)
  }
  return bytes
}

const PLY_TYPES = {
  char: [1, 'getInt8'],
  int8: [1, 'getInt8'],
  uchar: [1, 'getUint8'],
  uint8: [1, 'getUint8'],
  short: [2, 'getInt16'],
  int16: [2, 'getInt16'],
  ushort: [2, 'getUint16'],
  uint16: [2, 'getUint16'],
  int: [4, 'getInt32'],
  int32: [4, 'getInt32'],
  uint: [4, 'getUint32'],
  uint32: [4, 'getUint32'],
  float: [4, 'getFloat32'],
  float32: [4, 'getFloat32'],
  double: [8, 'getFloat64'],
  float64: [8, 'getFloat64'],
} as const
type PlyType = keyof typeof PLY_TYPES
interface PlyHead {
  format: string
  count: number
  properties: { type: PlyType; name: string; at: number }[]
  /** Bytes of the head, and of a vertex. */
  head: number
  stride: number
}

/** The head of a PLY whose first element are its vertices. */
function plyHead(bytes: Uint8Array, refuse: (what: string) => LanternError): PlyHead {
  const text = new TextDecoder('latin1').decode(bytes.subarray(0, 65_536))
  const end = /end_header\r?\n/.exec(text)
  if (!text.startsWith('ply') || !end) throw refuse('is no PLY: its head is missing.')
  const head: PlyHead = { format: '', count: -1, properties: [], head: end.index + end[0].length, stride: 0 }
  let element = ''
  for (const line of text.slice(0, end.index).split(/\r?\n/)) {
    const [word, a = '', b = '', c] = line.trim().split(/\s+/)
    if (word === 'format') head.format = a
    if (word === 'element') {
      if (element === '' && a !== 'vertex') throw refuse(`begins with ${a}, not with its vertices.`)
      element = a
      if (a === 'vertex') head.count = Number(b)
    }
    if (word !== 'property' || element !== 'vertex') continue
    if (!Object.hasOwn(PLY_TYPES, a) || c !== undefined)
      throw refuse(`has a property of its vertices that is no number: ${line}.`)
    head.properties.push({ type: a as PlyType, name: b.toLowerCase(), at: head.stride })
    head.stride += PLY_TYPES[a as PlyType][0]
  }
  if (!Number.isInteger(head.count) || head.count < 0) throw refuse('does not say how many vertices it has.')
  if (head.count > MOST_POINTS) throw refuse(`has ${head.count} points; ${MOST_POINTS} are the most.`)
  for (const axis of ['x', 'y', 'z'])
    if (!head.properties.some(({ name }) => name === axis)) throw refuse(`has no ${axis} of its points.`)
  return head
}

/** Values of a PLY's vertices: of vertex n its property k. */
function plyValues(
  bytes: Uint8Array,
  head: PlyHead,
  refuse: (what: string) => LanternError,
): (n: number, k: number) => number {
  const { properties, count, stride } = head
  if (head.format === 'ascii') {
    const words = new TextDecoder('latin1')
      .decode(bytes.subarray(head.head))
      .trim()
      .split(/\s+/, count * properties.length)
    if (count > 0 && words.length < count * properties.length) throw refuse('ends before its last point.')
    return (n, k) => Number(words[n * properties.length + k])
  }
  if (!/^binary_(little|big)_endian$/.test(head.format)) throw refuse(`is of a form that is not known: ${head.format}.`)
  if (bytes.length < head.head + count * stride) throw refuse('ends before its last point.')
  const little = head.format === 'binary_little_endian'
  const view = new DataView(bytes.buffer, bytes.byteOffset + head.head)
  return (n, k) => {
    const { type, at } = properties[k] as PlyHead['properties'][number]
    return view[PLY_TYPES[type][1]](n * stride + at, little)
  }
}

/** Reads a point cloud (PLY, text or binary) as particles: x, y, z, and what more of the columns it has; `radius` stands for half a size. Throws LanternError 'particles-file'. */
export function readParticlePly(bytes: Uint8Array, file: string): ParticleFrame {
  const refuse = wrong(file)
  const head = plyHead(bytes, refuse)
  const value = plyValues(bytes, head, refuse)
  const frame = emptyParticles(head.count)
  frame.sizes.fill(WITHOUT.size)
  frame.temperatures.fill(WITHOUT.temperature)
  frame.ids.forEach((_, n) => (frame.ids[n] = n))
  head.properties.forEach(({ name }, k) => {
    const column = COLUMNS.find((one) => one === name)
    if (!column && name !== 'radius' && name !== 'id' && name !== 'state') return
    for (let n = 0; n < head.count; n++) {
      const own = value(n, k)
      const bad = name === 'id' ? !number.safeParse(own).success : !Number.isFinite(own) || Math.abs(own) > FARTHEST
      if (bad || ((name === 'size' || name === 'radius') && own < 0))
        throw refuse(`has a point ${n + 1} whose ${name} is no number that can be used.`)
      if (column) put(frame, n, column, own)
      else if (name === 'radius') frame.sizes[n] = 2 * own
      else if (name === 'id') frame.ids[n] = own
      else frame.states[n] = Math.min(STUCK, Math.max(FLYING, own))
    }
  })
  return frame
}
