import { canonicalJson, textKey } from '../../base/index.ts'
import {
  boundsOfBodies,
  facesMesh,
  INNER,
  isOutside,
  LAID_OPEN,
  type Roughness,
  roughMesh,
  skinOf,
} from '../../breaking/index.ts'
import {
  type BrokenFrame,
  bodyWithin,
  type Convex,
  type FormPlane,
  HELD,
  type Material,
  measureConvex,
  PLAIN,
  planesOf,
  type SurfaceMesh,
} from '../../data/index.ts'
import { add, dot, multiply, type Quaternion, rotate, scale, subtract, unit, type Vec3 } from '../../math/index.ts'
import type { Drawable, Placement, Pose } from '../../picture/index.ts'
import { markMaterial, stampedBy } from '../../set/index.ts'
import type { DrawContext, EffectInstance } from '../effect.ts'
import { laidOut } from './innerPattern.ts'
import { insideOf } from './inside.ts'
import type { BreakingLook } from './instances.ts'
import { markOnPieces } from './marked.ts'

// Pieces as the picture draws them: each where it is, with the frozen plate on its outside; what is still held as the set that it was.

/** m by which walls of a hollow stand inside of the hole, so that they hide its own. */
const INSET = 0.002
/** What of its light the wall of a hollow sends back, against the inside of pieces. */
const HOLLOW_LEVEL = 0.35
/** A face this straight to the front is open: cosine. */
const FRONT = 0.5
const FAR: Vec3 = [1000, 1000, 1000]

/** What is made of the pieces of a run, kept with them. */
interface Made {
  key: string
  skin: readonly FormPlane[]
  meshes: Map<number, SurfaceMesh>
  middles: readonly Vec3[]
  bounds: readonly { low: Vec3; high: Vec3 }[]
  /** Marks on each piece, by the mark's stamp. */
  marked: Map<string, ReadonlyMap<number, SurfaceMesh>>
}
const made = new WeakMap<object, Map<string, Made>>()

const middleOf = (bodies: readonly Convex[]): Vec3 => {
  let [sum, whole]: [Vec3, number] = [[0, 0, 0], 0]
  for (const body of bodies) {
    const { volume, middle } = measureConvex(body)
    sum = add(sum, scale(middle, volume))
    whole += volume
  }
  return whole > 0 ? scale(sum, 1 / whole) : [0, 0, 0]
}

function madeOf(pieces: NonNullable<BrokenFrame['pieces']>, rough: Roughness, worn = ''): Made {
  const all = made.get(pieces) ?? new Map<string, Made>()
  made.set(pieces, all)
  const look = canonicalJson({ rough, worn })
  const known = all.get(look)
  if (known) return known
  const print = pieces.map((bodies) => bodies.map(({ corners }) => corners.flat()))
  const own = {
    key: textKey(look + JSON.stringify(print)),
    skin: skinOf(pieces),
    meshes: new Map(),
    middles: pieces.map(middleOf),
    bounds: pieces.map((bodies) => boundsOfBodies(bodies)),
    marked: new Map<string, ReadonlyMap<number, SurfaceMesh>>(),
  }
  all.set(look, own)
  return own
}

/** A piece of a mesh: parts of its outside by its own materials or all by one, what was laid open by the last. */
function meshPiece(
  mesh: SurfaceMesh,
  rough: Roughness,
  worn: readonly Material[] | undefined,
  pattern: boolean,
): SurfaceMesh {
  const plain = roughMesh(mesh, rough)
  const first = mesh.positions.length / 3
  const made = pattern ? laidOut(plain, (vertex) => vertex >= first) : plain
  const [none, inner] = worn ? [worn.length - 1, worn.length] : [0, 1]
  const parts = made.parts?.map((part) => (part === LAID_OPEN ? inner : Math.min(part, none)))
  return parts ? { ...made, parts } : made
}

/** A turn carried on by a spin (1/s) over a time. */
function spun(turn: Quaternion, [x, y, z]: Vec3, seconds: number): Quaternion {
  const half = seconds / 2
  const by = multiply([x * half, y * half, z * half, 1], turn)
  return unit(by)
}

/** Where a run's space is shown, of a pose in it. Right for left is in the mesh itself. */
function shownPose({ turn, scale: size, mirror, shift }: Placement, rotation: Quaternion, place: Vec3): Pose {
  const [x, y, z, w] = rotation
  const own: Quaternion = mirror ? [x, -y, -z, w] : rotation
  const at: Vec3 = mirror ? [-place[0], place[1], place[2]] : place
  return { rotation: multiply(turn, own), place: add(shift, rotate(turn, scale(at, size))), scale: size }
}

const mirrored = (mesh: SurfaceMesh): SurfaceMesh => ({
  ...mesh,
  positions: mesh.positions.map((value, n) => (n % 3 === 0 ? -value : value)),
  indices: mesh.indices.map((_, n, all) => all[n % 3 === 1 ? n + 1 : n % 3 === 2 ? n - 1 : n] as number),
})

/** A piece at a frame, carried by its own speed. */
function poseOfPiece(frame: BrokenFrame, n: number, middle: Vec3, seconds: number): { turn: Quaternion; place: Vec3 } {
  const at = (values: Float32Array, k: number): number => values[k] as number
  const turn: Quaternion = [0, 1, 2, 3].map((k) => at(frame.turns, 4 * n + k)) as unknown as Quaternion
  const vector = (values: Float32Array): Vec3 => [at(values, 3 * n), at(values, 3 * n + 1), at(values, 3 * n + 2)]
  const place = vector(frame.places)
  if (seconds === 0 || frame.states[n] === HELD) return { turn, place }
  const centre = add(add(place, rotate(turn, middle)), scale(vector(frame.velocities), seconds))
  const next = spun(turn, vector(frame.spins), seconds)
  return { turn: next, place: subtract(centre, rotate(next, middle)) }
}

/** Walls of the hollow behind it, seen from within: those that face the camera. */
function hollowMesh({ hollow, front }: NonNullable<BreakingLook['home']>, eye: Vec3, rough: Roughness): SurfaceMesh {
  const bodies = hollow.flatMap((planes): Convex[] => {
    const body = bodyWithin(
      planes.map(({ normal, offset, beyond }) => ({ normal, offset: beyond === INNER ? offset : offset - INSET })),
      FAR,
    )
    if (!body) return []
    const faces = planesOf(body).flatMap(({ normal, offset }, n) => {
      const own = planes.find((plane) => dot(plane.normal, normal) > 1 - 1e-9)
      const open = own?.beyond === INNER || dot(normal, front) > FRONT || dot(normal, eye) > offset
      const face = body.faces[n]
      return face && !open ? [{ beyond: INNER, ring: [...face.ring].reverse() }] : []
    })
    return [{ corners: body.corners, faces }]
  })
  return facesMesh([{ bodies, wanted: () => true }], { ...rough, height: 0 }, [])
}

const overlap = (a: { low: Vec3; high: Vec3 }, b: { low: Vec3; high: Vec3 }): boolean =>
  [0, 1, 2].every(
    (n) => (a.low[n] as number) <= (b.high[n] as number) + 1e-3 && (b.low[n] as number) <= (a.high[n] as number) + 1e-3,
  )

/** What is still held, as the set that it was, and what the break laid open of it. */
function drawHome(
  home: NonNullable<BreakingLook['home']> & { pattern: boolean },
  pieces: NonNullable<BrokenFrame['pieces']>,
  { key, skin, bounds }: Made,
  held: readonly number[],
  rough: Roughness,
  materials: readonly Material[],
  camera: Vec3,
): Drawable[] {
  const { turn, place, holdsOut, receives, back, pattern } = home
  const pose: Pose = { rotation: turn, place, scale: 1 }
  const still = textKey(`${key}/${held.join()}`)
  const out: Drawable[] = []
  if (held.length > 0) {
    const bodies = held.map((n) => ({ bodies: pieces[n] ?? [], wanted: isOutside }))
    const mesh = facesMesh(bodies, rough, skin)
    const { parts: _, colours: __, ...plain } = mesh
    out.push({ kind: 'set', key: `${still}-set`, mesh: plain, opening: pose, closing: pose, holdsOut, receives })
  }
  const gone = pieces.flatMap((_, n) => (held.includes(n) ? [] : [n]))
  const beside = held.filter((n) => gone.some((m) => overlap(bounds[n] as never, bounds[m] as never)))
  const open = beside.map((n) => ({ bodies: pieces[n] ?? [], wanted: (beyond: number) => !isOutside(beyond) }))
  const backs = back
    ? gone.map((n) => ({ bodies: (pieces[n] ?? []).map((body) => backOf(body, home.front)), wanted: () => true }))
    : []
  const faces = facesMesh([...open, ...backs], rough, skin)
  const laid = pattern ? laidOut(faces) : faces
  const thing = (mesh: SurfaceMesh, name: string, own: readonly Material[]): void => {
    if (mesh.indices.length > 0)
      out.push({ kind: 'thing', key: `${still}-${name}`, mesh, materials: own, opening: pose, closing: pose })
  }
  thing(laid, 'open', materials)
  if (home.hollow.length > 0) {
    const [r, g, b] = materials[1]?.base ?? [0.5, 0.5, 0.5]
    const dark: Material = {
      ...PLAIN,
      base: [r * HOLLOW_LEVEL, g * HOLLOW_LEVEL, b * HOLLOW_LEVEL, 1],
      roughness: 1,
    }
    const eye = rotate([-turn[0], -turn[1], -turn[2], turn[3]], subtract(camera, place))
    const mesh = hollowMesh(home, eye, rough)
    const name = textKey(JSON.stringify([...mesh.positions]))
    thing(mesh, `hollow-${name}`, [dark, dark])
  }
  return out
}

/** A body's back, turned to the front: what stays where a piece left. */
function backOf(body: Convex, front: Vec3): Convex {
  const faces = planesOf(body).flatMap(({ normal, beyond }, n) => {
    const face = body.faces[n]
    return face && isOutside(beyond) && dot(normal, front) < -FRONT
      ? [{ beyond: INNER, ring: [...face.ring].reverse() }]
      : []
  })
  return { corners: body.corners, faces }
}

/** What the picture draws of something that breaks. frames: the run's first, which has the pieces, then those that are shown. */
export function drawBreaking(
  { look, frames: shown, place }: EffectInstance<BreakingLook>,
  frames: readonly BrokenFrame[],
  context: DrawContext,
): Drawable[] {
  const { pieces, meshes } = frames[0] ?? {}
  const order = shown.map((one, n) => ({ ...one, n })).slice(1)
  const nearest = order.sort((a, b) => b.weight - a.weight || a.n - b.n)[0]
  const now = nearest && frames[nearest.n]
  if (!pieces || !now || now.count !== pieces.length) return []
  const rough: Roughness = { height: look.roughness, step: look.step, seed: look.seed }
  const worn = look.worn && context.worn?.(look.worn)
  const own = madeOf(pieces, rough, `${worn ? look.worn?.blob : ''}/${look.surface ?? ''}`)
  const patterned = (made: SurfaceMesh): SurfaceMesh => (look.surface ? laidOut(made) : made)
  const outer: Material = context.frozen
    ? { ...PLAIN, plate: context.frozen }
    : { ...PLAIN, base: [...(look.outer ?? look.inside), 1] }
  const inner = insideOf(look, context.frozen, pieces)
  const materials = worn ? [...worn, inner] : [outer, inner]
  const half = context.shutter ? context.shutter.seconds / 2 : 0
  const { home } = look
  const free: Drawable[] = pieces.flatMap((bodies, n): Drawable[] => {
    if (home && now.states[n] === HELD) return []
    const mesh = meshes?.[n]
    const plain =
      own.meshes.get(n) ??
      (mesh
        ? meshPiece(mesh, rough, worn, look.surface !== undefined)
        : patterned(facesMesh([{ bodies, wanted: () => true }], rough, own.skin)))
    own.meshes.set(n, plain)
    const pose = (seconds: number): Pose => {
      const at = poseOfPiece(now, n, own.middles[n] as Vec3, nearest.ahead + seconds)
      return shownPose(place, at.turn, at.place)
    }
    const shown = place.mirror ? mirrored(plain) : plain
    const key = `${own.key}/${n}${place.mirror ? '-mirrored' : ''}`
    return [{ kind: 'thing', key, mesh: shown, materials, opening: pose(-half), closing: pose(half) }]
  })
  const held = home ? pieces.flatMap((_, n) => (now.states[n] === HELD ? [n] : [])) : []
  const still = home
    ? drawHome(
        { ...home, pattern: look.surface !== undefined },
        pieces,
        own,
        held,
        rough,
        materials,
        context.camera.position,
      )
    : []
  const marks = markedPieces(look, pieces, own, context, (n) => {
    if (home && now.states[n] === HELD) return { rotation: home.turn, place: home.place, scale: 1 }
    const at = poseOfPiece(now, n, own.middles[n] as Vec3, nearest.ahead)
    return shownPose(place, at.turn, at.place)
  })
  return [...still, ...free, ...marks]
}

/** Marks on pieces, each with its piece. */
function markedPieces(
  { marks = [], piece = '' }: BreakingLook,
  pieces: NonNullable<BrokenFrame['pieces']>,
  own: Made,
  { taken }: DrawContext,
  poseOf: (n: number) => Pose,
): Drawable[] {
  return marks.flatMap((mark) => {
    const { key, stamped } = stampedBy(mark, taken)
    const mesh = stamped.find(({ item }) => item === piece)?.mesh
    if (!mesh) return []
    const parts = own.marked.get(key) ?? markOnPieces(mesh, pieces)
    own.marked.set(key, parts)
    const materials = [markMaterial(mark)]
    return [...parts].map(([n, part]): Drawable => {
      const pose = poseOf(n)
      const name = `mark/${key}/${own.key}/${n}`
      return { kind: 'thing', key: name, mesh: part, materials, opening: pose, closing: pose, throwsShadow: false }
    })
  })
}
