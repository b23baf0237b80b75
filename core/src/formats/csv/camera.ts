import Papa from 'papaparse'
import { LanternError } from '../../base/index.ts'
import {
  type Axes,
  type Camera,
  type MatchScene,
  OWN_AXES,
  placeIn,
  placeOut,
  turnIn,
  turnOut,
} from '../../data/index.ts'
import { aboutAxis, multiply, type Quaternion, radians, unit } from '../../math/index.ts'
import type { PlateFrame, ReadCamera } from '../cameraFile.ts'

// A camera as a table: a row a frame, its columns named in the first row. Lines that begin with # are remarks; ours state axes and unit.

const COLUMNS = [
  'frame',
  'x',
  'y',
  'z',
  'qx',
  'qy',
  'qz',
  'qw',
  'focal_px',
  'centre_x',
  'centre_y',
  'k1',
  'k2',
  'width',
  'height',
] as const

const nine = (value: number): number => Number(value.toPrecision(12))

/** shift: added to the plate's frame numbers. */
export function writeCameraCsv(
  { cameras, rate }: Pick<MatchScene, 'cameras' | 'rate'>,
  axes: Axes = OWN_AXES,
  shift = 0,
): string {
  const rows = cameras.map(({ frame, camera }) => {
    const { focalPx, centre, k1, k2, width, height } = camera
    return [
      frame + shift,
      ...placeOut(axes, camera.position),
      ...turnOut(axes, camera.rotation),
      focalPx,
      ...centre,
      k1,
      k2,
      width,
      height,
    ].map(nine)
  })
  return `# camera to world, looks along -z of its own; up ${axes.up}; metres in a unit ${axes.metres}; ${rate} frames a second; distorted = straight (1 + k1 r^2 + k2 r^4)\n${Papa.unparse({ fields: [...COLUMNS], data: rows }, { newline: '\n' })}\n`
}

/**
 * A camera's table. Wanted: frame, x y z, and a turn as qx qy qz qw or as rx ry rz (degrees, about x, then y, then z); a lens as focal_px, or as focal_mm with aperture_mm (the sensor's width).
 * Axes and unit as its first remark states them, else Y up and metres. Throws LanternError 'csv-camera' naming the row and the column.
 */
export function readCameraCsv(bytes: Uint8Array, file: string, plate: PlateFrame): ReadCamera {
  const text = new TextDecoder().decode(bytes)
  const wrong = (what: string, frame?: number): LanternError =>
    new LanternError(
      'csv-camera',
      `${file} ${what}.`,
      'Write a table with the columns frame, x, y, z, qx, qy, qz, qw, focal_px.',
      { file, frame },
    )
  const remark = /^#(.*)$/m.exec(text)?.[1] ?? ''
  const axes: Axes = {
    up: /up z/.test(remark) ? 'z' : 'y',
    metres: Number(/metres in a unit ([\d.e+-]+)/.exec(remark)?.[1] ?? 1),
  }
  const [head = [], ...data] = Papa.parse<string[]>(text, { comments: '#', skipEmptyLines: 'greedy' }).data
  const names = head.map((name) => name.trim().toLowerCase())
  const columns = new Set(names)
  const turned = ['qx', 'qy', 'qz', 'qw'].every((name) => columns.has(name))
  for (const name of ['frame', 'x', 'y', 'z', ...(turned ? [] : ['rx', 'ry', 'rz'])])
    if (!columns.has(name)) throw wrong(`has no column “${name}”`)
  const inMm = columns.has('focal_mm') && columns.has('aperture_mm')
  if (!columns.has('focal_px') && !inMm) throw wrong('has no column “focal_px”, nor “focal_mm” with “aperture_mm”')
  const frames = data.map((row, n) => {
    const number = (name: string, missing?: number): number => {
      const value = row[names.indexOf(name)]?.trim()
      if ((value === undefined || value === '') && missing !== undefined) return missing
      const read = value ? Number(value) : Number.NaN
      if (!Number.isFinite(read)) throw wrong(`has no number under “${name}” in its row ${n + 1}`)
      return read
    }
    const about = (name: string, axis: readonly [number, number, number]): Quaternion =>
      aboutAxis(axis, radians(number(name)))
    const rotation = turned
      ? unit([number('qx'), number('qy'), number('qz'), number('qw')])
      : multiply(about('rz', [0, 0, 1]), multiply(about('ry', [0, 1, 0]), about('rx', [1, 0, 0])))
    const scale = plate.width / number('width', plate.width)
    const focalPx =
      inMm && !columns.has('focal_px')
        ? (plate.width * number('focal_mm')) / number('aperture_mm')
        : number('focal_px') * scale
    if (!(focalPx > 0)) throw wrong(`has no focal length above nothing in its row ${n + 1}`)
    const camera: Camera = {
      position: placeIn(axes, [number('x'), number('y'), number('z')]),
      rotation: turnIn(axes, rotation),
      focalPx,
      centre: [
        number('centre_x', plate.width / 2 / scale) * scale,
        number('centre_y', plate.height / 2 / scale) * scale,
      ],
      k1: number('k1', 0),
      k2: number('k2', 0),
      width: plate.width,
      height: plate.height,
    }
    return { frame: Math.round(number('frame')), camera }
  })
  const rate = Number(/([\d.]+) frames a second/.exec(remark)?.[1] ?? plate.rate)
  return { frames: frames.sort((a, b) => a.frame - b.frame), rate }
}
