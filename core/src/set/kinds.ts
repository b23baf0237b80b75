import { boxMesh, type Mesh, type pixelRay, planeMesh, type Solid } from '../data/index.ts'
import { add, conjugate, panTiltRoll, type Quaternion, radians, rotate, type Vec3 } from '../math/index.ts'
import { type Setting, settingsOf } from '../settings/index.ts'
import { formBounds, formKey, formSolid, formTriangles, formTurn, meetForm } from './forms.ts'
import {
  type BoxItem,
  boxSchema,
  type FormItem,
  formSchema,
  type GroundItem,
  groundSchema,
  type PieceItem,
} from './schema.ts'

/** A ray from an eye; `along` need not be unit. */
type Ray = ReturnType<typeof pixelRay>

/** All that the product knows of one kind of set piece. */
export interface PieceKind<I extends PieceItem> {
  settings: readonly Setting[]
  turn(item: I): Quaternion
  /** The shape that gas and light stop at. */
  solid(item: I): Solid
  /** The triangles that rays meet, in the piece's own space: its place is where that begins. */
  mesh(item: I): Mesh
  /** What decides its mesh, where that is not its size alone. */
  key?(item: I): unknown
  /** Edge lengths, m: to the right, up, towards the camera. What has no height is flat. */
  size(item: I): Vec3
  /** Parameter of a ray where it meets the piece; undefined where it does not. */
  meet(item: I, ray: Ray): number | undefined
}

const boxTurn = (item: BoxItem): Quaternion => panTiltRoll(radians(item.turn), radians(item.tilt), radians(item.roll))

/** The middle of a box, which stands on its place. */
export const middleOf = (item: BoxItem): Vec3 => add(item.position, rotate(boxTurn(item), [0, item.height / 2, 0]))
const halfOf = (item: BoxItem): Vec3 => [item.width / 2, item.height / 2, item.depth / 2]

const ground: PieceKind<GroundItem> = {
  settings: settingsOf(groundSchema),
  turn: (item) => panTiltRoll(radians(item.turn), 0, 0),
  // A ground reaches down without end.
  solid: (item) => ({ kind: 'halfspace', point: item.position, normal: [0, 1, 0] }),
  mesh: (item) => planeMesh([0, 0, 0], item.size / 2, item.size / 2, [0, 0, 0, 1]),
  size: (item) => [item.size, 0, item.size],
  meet(item, ray) {
    const t = (item.position[1] - ray.from[1]) / ray.along[1]
    const at = [ray.from[0] + t * ray.along[0], ray.from[2] + t * ray.along[2]] as const
    const far = Math.max(Math.abs(at[0] - item.position[0]), Math.abs(at[1] - item.position[2]))
    return far <= item.size ? t : undefined
  },
}

/** Where a ray enters a box, by slabs (Kay & Kajiya 1986). */
function meetBox(item: BoxItem, ray: Ray): number | undefined {
  const back = conjugate(boxTurn(item))
  const [middle, half] = [middleOf(item), halfOf(item)]
  const from = rotate(back, [ray.from[0] - middle[0], ray.from[1] - middle[1], ray.from[2] - middle[2]])
  const along = rotate(back, ray.along)
  let [near, far] = [-Infinity, Infinity]
  for (let a = 0; a < 3; a++) {
    const inverse = 1 / (along[a] === 0 ? 1e-12 : (along[a] ?? 0))
    const [t0, t1] = [(-(half[a] ?? 0) - (from[a] ?? 0)) * inverse, ((half[a] ?? 0) - (from[a] ?? 0)) * inverse]
    near = Math.max(near, Math.min(t0, t1))
    far = Math.min(far, Math.max(t0, t1))
  }
  return near < far ? near : undefined
}

const box: PieceKind<BoxItem> = {
  settings: settingsOf(boxSchema),
  turn: boxTurn,
  solid: (item) => ({ kind: 'box', centre: middleOf(item), half: halfOf(item), rotation: boxTurn(item) }),
  mesh: (item) => boxMesh([0, item.height / 2, 0], halfOf(item), [0, 0, 0, 1]),
  size: (item) => [item.width, item.height, item.depth],
  meet: meetBox,
}

const form: PieceKind<FormItem> = {
  settings: settingsOf(formSchema),
  turn: formTurn,
  solid: formSolid,
  mesh: formTriangles,
  key: formKey,
  size(item) {
    const { low, high } = formBounds(item)
    return [high[0] - low[0], high[1], high[2] - low[2]]
  },
  meet: meetForm,
}

/** Schemas of the set's kinds, by kind. */
export const PIECE_SCHEMAS = { ground: groundSchema, box: boxSchema, form: formSchema } as const
export type PieceKindName = keyof typeof PIECE_SCHEMAS
type ItemOf<K extends PieceKindName> = Extract<PieceItem, { kind: K }>

/** The set's kinds: a new one is named missing here by the compiler. */
export const PIECE_KINDS: { readonly [K in PieceKindName]: PieceKind<ItemOf<K>> } = { ground, box, form }

/** The kind of a piece; its functions take that piece. */
const kindOf = (item: PieceItem): PieceKind<PieceItem> => PIECE_KINDS[item.kind] as PieceKind<PieceItem>

export const isPieceKind = (kind: string): kind is PieceKindName => Object.hasOwn(PIECE_KINDS, kind)
export const pieceSettings = (item: PieceItem): readonly Setting[] => kindOf(item).settings
/** How a piece is turned. */
export const turnOf = (item: PieceItem): Quaternion => kindOf(item).turn(item)
export const solidOf = (item: PieceItem): Solid => kindOf(item).solid(item)
export const meshOf = (item: PieceItem): Mesh => kindOf(item).mesh(item)
/** What decides a piece's mesh. */
export const meshKeyOf = (item: PieceItem): unknown => ({
  kind: item.kind,
  size: sizeOf(item),
  ...(kindOf(item).key ? { form: kindOf(item).key?.(item) } : {}),
})
export const sizeOf = (item: PieceItem): Vec3 => kindOf(item).size(item)
/** Parameter along a pixel's ray where it meets the piece. */
export const meetPiece = (item: PieceItem, ray: Ray): number | undefined => kindOf(item).meet(item, ray)
export const isForm = (item: { kind: string } | undefined): item is FormItem => item?.kind === 'form'
export const isBox = (item: { kind: string } | undefined): item is BoxItem => item?.kind === 'box'
/** Whether a piece has no height: the ground, a plane. */
export const isFlat = (item: PieceItem): boolean => sizeOf(item)[1] === 0
