import { type Camera, type FloatImage, pixelRay } from '../../data/index.ts'
import { cross, normalise, rotate, scale, subtract, type Vec3 } from '../../math/index.ts'

// The passes of another program's render: which of a file's channels are which, and what they are in metres.

/** Channels of each pass, by their names in the file; empty: there is none. */
export interface Passes {
  colour: readonly string[]
  alpha: readonly string[]
  depth: readonly string[]
  normal: readonly string[]
  position: readonly string[]
  albedo: readonly string[]
}

/** Channels that belong together: those of one prefix. */
export interface ChannelGroup {
  /** Prefix; empty for channels without one. */
  name: string
  channels: readonly string[]
}

/** A file's channels by their prefixes, in an order of their own: r g b a, x y z, then by name. */
export function channelGroups(names: readonly string[]): ChannelGroup[] {
  const groups = new Map<string, string[]>()
  for (const full of names) {
    const dot = full.lastIndexOf('.')
    const prefix = dot < 0 ? '' : full.slice(0, dot)
    groups.set(prefix, [...(groups.get(prefix) ?? []), full])
  }
  const rank = (full: string): number => {
    const last = full.slice(full.lastIndexOf('.') + 1).toLowerCase()
    const place = ['r', 'red', 'x', 'g', 'green', 'y', 'b', 'blue', 'z', 'a', 'alpha'].indexOf(last)
    return place < 0 ? 99 : place
  }
  return [...groups].map(([name, channels]) => ({
    name,
    channels: [...channels].sort((a, b) => rank(a) - rank(b) || (a < b ? -1 : 1)),
  }))
}

const last = (full: string): string => full.slice(full.lastIndexOf('.') + 1).toLowerCase()
const is = (full: string, ...ends: readonly string[]): boolean => ends.includes(last(full))
/** The three of a group that go by such names; empty where one of them is missing. */
function triple({ channels }: ChannelGroup, ways: readonly (readonly [string, string, string])[]): string[] {
  for (const way of ways) {
    const found = way.map((end) => channels.find((one) => last(one) === end))
    if (found.every((one) => one !== undefined)) return found
  }
  return []
}
const RGB = [
  ['r', 'g', 'b'],
  ['red', 'green', 'blue'],
] as const
const XYZ = [['x', 'y', 'z'], ...RGB] as const

/** The first group whose prefix's last word is one of these. */
const named = (groups: readonly ChannelGroup[], pattern: RegExp): ChannelGroup | undefined =>
  groups.find(({ name }) => pattern.test(name.slice(name.lastIndexOf('.') + 1)))

const COLOUR = /^(rgba?|beauty|combined|colou?r|c|image|main)$/i
const NORMAL = /^(n|nn|nrm|normals?|world_?normals?|nworld)$/i
const POSITION = /^(p|pos|positions?|world_?pos(ition)?|pworld|point)$/i
const ALBEDO = /^(albedo|base_?colou?r|diff(use)?_?(albedo|colou?r|col)|reflectance)$/i
const DEPTH = /^(z|depth|zdepth|depthz|distance)$/i

/** Guesses which channels are which by their names. */
export function guessPasses(names: readonly string[]): Passes {
  const groups = channelGroups(names)
  const plain = groups.find(({ name }) => name === '')
  const colourGroup =
    plain && triple(plain, RGB).length > 0
      ? plain
      : (named(groups, COLOUR) ?? groups.find((one) => triple(one, RGB).length > 0))
  const colour = colourGroup ? triple(colourGroup, RGB) : []
  const alpha = colourGroup?.channels.find((one) => is(one, 'a', 'alpha')) ?? names.find((one) => is(one, 'alpha', 'a'))
  const depthGroup = named(groups, DEPTH)
  const depth =
    plain?.channels.find((one) => is(one, 'z', 'depth')) ??
    depthGroup?.channels.find((one) => is(one, 'z', 'v', 'y', 'r', 'depth')) ??
    names.find((one) => is(one, 'depth', 'zdepth'))
  const of = (pattern: RegExp, ways: Parameters<typeof triple>[1]): string[] => {
    const group = named(groups, pattern)
    return group && group !== colourGroup ? triple(group, ways) : []
  }
  return {
    colour,
    alpha: alpha ? [alpha] : [],
    depth: depth && !colour.includes(depth) ? [depth] : [],
    normal: of(NORMAL, XYZ),
    position: of(POSITION, XYZ),
    albedo: of(ALBEDO, RGB),
  }
}

/** All channels that passes are read from, each once. */
export const channelsOf = (passes: Passes): string[] => [...new Set(Object.values(passes).flat())]

/** How a depth pass says how far things are. */
export type DepthWay = 'along the view' | 'from the camera' | 'inverted'

/** A frame's passes as they are meant: colour premultiplied; distance along the ray, m; 0 where nothing is. */
export interface RenderFrame {
  width: number
  height: number
  colour: Float32Array
  alpha: Float32Array
  /** From the camera, m; Infinity where nothing tells it. */
  distance: Float32Array
  normal?: Float32Array
  albedo?: Float32Array
}

const plane = ({ width, height, channels, data }: FloatImage, at: number): Float32Array =>
  Float32Array.from({ length: width * height }, (_, n) => (at < 0 ? 0 : (data[n * channels + at] ?? 0)))

let lengths: { key: string; lengths: Float32Array } | undefined
/** How long the ray of a pixel is for a metre along the view: kept of the lens that was asked last. */
function rayLengths(camera: Camera): Float32Array {
  const { focalPx, centre, k1, k2, width, height } = camera
  const key = JSON.stringify([focalPx, centre, k1, k2, width, height])
  if (lengths?.key !== key) lengths = { key, lengths: makeLengths(camera) }
  return lengths.lengths
}
function makeLengths(camera: Camera): Float32Array {
  return Float32Array.from({ length: camera.width * camera.height }, (_, n) => {
    const [x, y, z] = pixelRay(camera, (n % camera.width) + 0.5, Math.floor(n / camera.width) + 0.5).along
    return Math.sqrt(x * x + y * y + z * z)
  })
}

/**
 * Reads a frame's passes. image: the channels of channelsOf(passes), in that order, of the camera's size.
 * unit: m of one unit of depth and position; premultiplied: whether colour was multiplied with alpha; standing: m along the view where nothing tells a depth.
 */
export function readPasses(
  image: FloatImage,
  passes: Passes,
  camera: Camera,
  how: { depthWay: DepthWay; unit: number; premultiplied: boolean; standing: number; normals: 'world' | 'camera' },
): RenderFrame {
  const all = channelsOf(passes)
  const planes = new Map(all.map((name, n) => [name, plane(image, n)]))
  const [width, height] = [image.width, image.height]
  const area = width * height
  const three = (names: readonly string[]): Float32Array | undefined => {
    if (names.length < 3) return undefined
    const own = names.map((name) => planes.get(name))
    return Float32Array.from({ length: area * 3 }, (_, n) => own[n % 3]?.[Math.floor(n / 3)] ?? 0)
  }
  const colour = three(passes.colour) ?? new Float32Array(area * 3)
  const alpha = planes.get(passes.alpha[0] ?? '') ?? new Float32Array(area).fill(1)
  for (let n = 0; n < area; n++) {
    const there = Number.isFinite(alpha[n]) ? Math.min(1, Math.max(0, alpha[n] ?? 0)) : 0
    alpha[n] = there
    for (let c = 0; c < 3; c++) {
      const value = colour[3 * n + c] ?? 0
      colour[3 * n + c] = (Number.isFinite(value) ? Math.max(0, value) : 0) * (how.premultiplied ? 1 : there)
    }
  }
  const rays = rayLengths(camera)
  const depth = planes.get(passes.depth[0] ?? '')
  const position = three(passes.position)
  const distance = new Float32Array(area)
  for (let n = 0; n < area; n++) {
    const length = rays[n] ?? 1
    const value = depth?.[n] ?? 0
    const told = how.depthWay === 'inverted' ? (value > 0 ? 1 / value : Infinity) : value
    if (depth) distance[n] = told > 0 ? told * how.unit * (how.depthWay === 'from the camera' ? 1 : length) : Infinity
    else if (position) {
      const away = subtract(
        [position[3 * n] ?? 0, position[3 * n + 1] ?? 0, position[3 * n + 2] ?? 0].map((v) => v * how.unit) as Vec3 &
          number[],
        camera.position,
      )
      distance[n] = Math.sqrt(away[0] ** 2 + away[1] ** 2 + away[2] ** 2)
    } else distance[n] = how.standing * length
  }
  const normal = three(passes.normal)
  if (normal)
    for (let n = 0; n < area; n++) {
      const own: Vec3 = [normal[3 * n] ?? 0, normal[3 * n + 1] ?? 0, normal[3 * n + 2] ?? 0]
      if (own.every((part) => part === 0)) continue
      const turned = how.normals === 'camera' ? rotate(camera.rotation, own) : own
      normal.set(normalise(turned), 3 * n)
    }
  const albedo = three(passes.albedo)
  return { width, height, colour, alpha, distance, ...(normal ? { normal } : {}), ...(albedo ? { albedo } : {}) }
}

/** A frame whose pixels are as far away as a shape that stands where it is (m along the view, of its size), and face as that does; where that is not seen they stay. */
export function onShape(frame: RenderFrame, shape: Float32Array, camera: Camera): RenderFrame {
  const rays = rayLengths(camera)
  const distance = frame.distance.map((far, n) => {
    const depth = shape[n] ?? Infinity
    return depth < Infinity ? depth * (rays[n] ?? 1) : far
  })
  return { ...frame, distance }
}

/** Directions out of how far a frame's pixels are, where it has no normals of its own: those of the surface through its neighbours. */
export function normalsOfDistance({ width, height, distance, alpha }: RenderFrame, camera: Camera): Float32Array {
  const out = new Float32Array(width * height * 3)
  const at = (x: number, y: number): Vec3 | undefined => {
    const n = y * width + x
    const far = distance[n] ?? Infinity
    if (x < 0 || y < 0 || x >= width || y >= height || far === Infinity || (alpha[n] ?? 0) <= 0) return undefined
    return scale(normalise(pixelRay(camera, x + 0.5, y + 0.5).along), far)
  }
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const own = at(x, y)
      if (!own) continue
      const [right, left, low, top] = [at(x + 1, y), at(x - 1, y), at(x, y + 1), at(x, y - 1)]
      const along = right ? subtract(right, own) : left && subtract(own, left)
      const down = low ? subtract(low, own) : top && subtract(own, top)
      if (!along || !down) continue
      out.set(normalise(cross(down, along)), 3 * (y * width + x))
    }
  return out
}

/** A frame at another size: means over what a pixel covers, of what is there. */
export function resizedFrame(frame: RenderFrame, width: number, height: number): RenderFrame {
  if (frame.width === width && frame.height === height) return frame
  const area = width * height
  const out = { width, height, colour: new Float32Array(area * 3), alpha: new Float32Array(area) }
  const distance = new Float32Array(area).fill(Infinity)
  const normal = frame.normal && new Float32Array(area * 3)
  const albedo = frame.albedo && new Float32Array(area * 3)
  const [sx, sy] = [frame.width / width, frame.height / height]
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const [x0, x1] = [Math.floor(x * sx), Math.max(Math.floor(x * sx) + 1, Math.floor((x + 1) * sx))]
      const [y0, y1] = [Math.floor(y * sy), Math.max(Math.floor(y * sy) + 1, Math.floor((y + 1) * sy))]
      const n = y * width + x
      const count = (x1 - x0) * (y1 - y0)
      let [there, far, told] = [0, 0, 0]
      for (let v = y0; v < y1; v++)
        for (let u = x0; u < x1; u++) {
          const m = v * frame.width + u
          const share = frame.alpha[m] ?? 0
          there += share
          if ((frame.distance[m] ?? Infinity) < Infinity) {
            // What only gives light counts a little: it has a distance too.
            const weight = share + 1e-6
            far += weight * (frame.distance[m] ?? 0)
            told += weight
          }
          for (let c = 0; c < 3; c++) {
            out.colour[3 * n + c] = (out.colour[3 * n + c] ?? 0) + (frame.colour[3 * m + c] ?? 0) / count
            if (normal) normal[3 * n + c] = (normal[3 * n + c] ?? 0) + share * (frame.normal?.[3 * m + c] ?? 0)
            if (albedo) albedo[3 * n + c] = (albedo[3 * n + c] ?? 0) + share * (frame.albedo?.[3 * m + c] ?? 0)
          }
        }
      out.alpha[n] = there / count
      if (told > 0) distance[n] = far / told
      if (there <= 0) continue
      if (normal) {
        const own: Vec3 = [normal[3 * n] ?? 0, normal[3 * n + 1] ?? 0, normal[3 * n + 2] ?? 0]
        if (own.some((part) => part !== 0)) normal.set(normalise(own), 3 * n)
      }
      if (albedo) for (let c = 0; c < 3; c++) albedo[3 * n + c] = (albedo[3 * n + c] ?? 0) / there
    }
  return { ...out, distance, ...(normal ? { normal } : {}), ...(albedo ? { albedo } : {}) }
}
