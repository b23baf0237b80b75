import { PROJECTION_BYTES, SCENE_BYTES, VIEW_BYTES, writeProjection, writeScene, writeView } from '@lantern/kernels'
import type { Crew } from '../base/index.ts'
import type { Camera, FloatImage, Material } from '../data/index.ts'
import type { Quaternion, Vec3 } from '../math/index.ts'
import { uploadDisc } from './discs.ts'
import { inWorld, type LaidGas, uploadGas } from './gases.ts'
import { FLAGS, type Instance, uploadInstances } from './instances.ts'
import { type LaidLamp, lampTree, setUpLamp, uploadLamps } from './lamps.ts'
import type { FrameScene, GasVolume, KeyedMesh, Lamp, Lens, PlateLight, Shutter, Thing } from './passes.ts'
import { modelSky, picturedSky } from './sky.ts'
import { uploadLobes, uploadPairs } from './tables.ts'
import { materialUploader, uploadByteTables } from './textures.ts'
import { meshTree, treeStore, uploadTree } from './trees.ts'

/** The sun's half angle, 0.53 degrees across. */
const SUN_DISC = 0.004625
/** What of the light comes back from the ground where no set stands. */
const GROUND_BOUNCE = 0.18
const CONTACT = 0.4

/** A sun and a sky as the kernels take them: value of a white surface square to the sun, and under a whole sky. */
export function lightColours(light: PlateLight): { sun: Vec3; sky: Vec3; bounce: Vec3 } {
  // Held where the sun stands so low that the division would blow up.
  const square = light.sunShare / Math.max(0.1, light.sunDirection[1])
  const scaled = (colour: readonly [number, number, number], by: number): Vec3 => [
    colour[0] * by,
    colour[1] * by,
    colour[2] * by,
  ]
  return {
    sun: scaled(light.sunColour, square),
    sky: scaled(light.skyColour, 1 - light.sunShare),
    bounce: [0, 1, 2].map((c) => {
      const level = light.sunShare * (light.sunColour[c] ?? 1) + (1 - light.sunShare) * (light.skyColour[c] ?? 1)
      return GROUND_BOUNCE * level
    }) as [number, number, number],
  }
}

const nearer = (q: Quaternion, to: Quaternion): Quaternion =>
  q[0] * to[0] + q[1] * to[1] + q[2] * to[2] + q[3] * to[3] < 0 ? [-q[0], -q[1], -q[2], -q[3]] : q

/** Lays a camera on the heap as it moves while the shutter is open. */
export function uploadView(crew: Crew, camera: Camera, shutter?: Shutter, lens?: Lens): number {
  const [opening, closing] = shutter ? [shutter.camera(0), shutter.camera(1)] : [camera, camera]
  const turned = nearer(closing.rotation, opening.rotation)
  const at = crew.heap.alloc(VIEW_BYTES)
  writeView(crew.heap, at, {
    position: [...opening.position, 0],
    rotation: opening.rotation,
    positionChange: [
      closing.position[0] - opening.position[0],
      closing.position[1] - opening.position[1],
      closing.position[2] - opening.position[2],
      0,
    ],
    rotationChange: [
      turned[0] - opening.rotation[0],
      turned[1] - opening.rotation[1],
      turned[2] - opening.rotation[2],
      turned[3] - opening.rotation[3],
    ],
    focal: camera.focalPx,
    centreX: camera.centre[0],
    centreY: camera.centre[1],
    k1: camera.k1,
    k2: camera.k2,
    lens: lens?.radius ?? 0,
    focus: lens?.focus ?? 1,
    squeeze: lens?.squeeze ?? 1,
    blades: lens?.blades ?? 0,
    disc: lens?.disc ? uploadDisc(crew, lens.disc) : 0,
    width: camera.width,
    height: camera.height,
  })
  return at
}

/** A frame on the heap. */
export interface LaidScene {
  scene: number
  view: number
  /** Its things' instances, for where they are seen. */
  things: readonly Instance[]
  /** How many of them send light back or throw shadows. */
  solids: number
  gases: readonly LaidGas[]
  lamps: readonly LaidLamp[]
  /** Of each layer, its place among those whose light and shadow on the set are worked out at points; -1: not among them. */
  lit: readonly number[]
}

/** Lays frames of the plate that are projected on things; each picture once. */
function projectionUploader(crew: Crew, light: PlateLight) {
  const pictures = new Map<FloatImage, number>()
  const { sun, sky, bounce } = lightColours(light)
  return ({ image, camera, pose }: NonNullable<Material['plate']>): number => {
    const pixels = pictures.get(image) ?? layLight(crew, image, 64)
    pictures.set(image, pixels)
    const at = crew.heap.alloc(PROJECTION_BYTES)
    writeProjection(crew.heap, at, {
      pixels,
      width: image.width,
      height: image.height,
      view: uploadView(crew, resized(camera, image.width, image.height)),
      rotation: pose.rotation,
      place: pose.place,
      scale: pose.scale,
      sun: light.sunDirection,
      sunColour: [...sun, 0],
      skyColour: [...sky, 0],
      bounce: [...bounce, 0],
    })
    return at
  }
}

/** Whether a material sends no light back: a filmed element's, whose picture is soft already. */
const shinesAlone = ({ base, metal, roughness, alpha }: Material): boolean =>
  alpha === 'blend' && roughness >= 1 && metal === 0 && base[0] + base[1] + base[2] === 0

/** Lays pieces and things out, and the tree over them. */
function layInstances(crew: Crew, frame: FrameScene, forward: { forward: number; back: number }) {
  const trees = frame.trees ?? treeStore()
  const laid = new Map<string, { tree: ReturnType<typeof meshTree>; mesh: number }>()
  const meshOf = ({ key, mesh }: KeyedMesh) => {
    const known = laid.get(key)
    if (known) return known
    const tree = trees.of(key, () => meshTree(crew, mesh))
    const made = { tree, mesh: uploadTree(crew, tree) }
    laid.set(key, made)
    return made
  }
  const upload = materialUploader(crew, forward, projectionUploader(crew, frame.light))
  const drawn = frame.layers.flatMap(({ drawables }) => drawables.filter((one) => one.kind === 'set'))
  const pieces = [...frame.pieces, ...drawn].map(
    (piece, number): Instance => ({
      ...meshOf(piece),
      opening: piece.opening,
      closing: piece.closing,
      layer: -1,
      flags: (piece.holdsOut ? FLAGS.holdsOut : 0) | (piece.receives ? FLAGS.receives : 0),
      material: 0,
      number,
    }),
  )
  const things = frame.layers.flatMap(({ drawables }, layer) =>
    drawables
      .filter((one): one is Thing => one.kind === 'thing')
      .map((thing): Instance => {
        const seeThrough = thing.materials.some(({ alpha }) => alpha !== 'opaque')
        const own = { ...meshOf(thing), opening: thing.opening, closing: thing.closing, layer }
        const flags = (seeThrough ? FLAGS.seeThrough : 0) | (thing.throwsShadow === false ? FLAGS.noShadow : 0)
        const soft = thing.materials.every(shinesAlone)
        return { ...own, flags, material: upload(thing.materials), number: 0, ...(soft ? { soft: true as const } : {}) }
      }),
  )
  const used = pieces.filter(({ flags }) => flags !== 0)
  const all = [...used, ...things].filter(({ tree }) => tree.indices.length > 0)
  // What neither sends light back nor throws a shadow needs no look for either.
  const solids = things.filter(({ soft, flags }) => !(soft && flags & FLAGS.noShadow)).length
  return { ...uploadInstances(crew, all), things, solids }
}

/** Lays a picture of 3 channels as 4 floats a pixel. */
function layLight(crew: Crew, { data, width, height }: FloatImage, most: number): number {
  const at = crew.heap.alloc(width * height * 16)
  const floats = crew.heap.f32(at, width * height * 4)
  for (let n = 0; n < width * height; n++)
    for (let c = 0; c < 3; c++) floats[n * 4 + c] = Math.min(most, data[n * 3 + c] ?? 0)
  return at
}

/** The camera at another picture size. */
function resized(camera: Camera, width: number, height: number): Camera {
  const k = width / camera.width
  return {
    ...camera,
    width,
    height,
    focalPx: camera.focalPx * k,
    centre: [camera.centre[0] * k, camera.centre[1] * k],
  }
}

const skies = new WeakMap<FloatImage, { key: string; sky: FloatImage }>()
/** The light from all round; undefined where it is even. */
function skyOf(light: PlateLight, ground: Vec3): FloatImage | undefined {
  const { sky = 'even' } = light
  if (sky === 'even') return undefined
  if (sky === 'model') return modelSky(light, ground)
  const key = JSON.stringify([sky.turn, light.sunShare, light.skyColour])
  const known = skies.get(sky.picture)
  if (known?.key === key) return known.sky
  const made = picturedSky(sky.picture, sky.turn, light)
  skies.set(sky.picture, { key, sky: made })
  return made
}

/** Lays all that a frame shows on the crew's heap. */
export function layScene(crew: Crew, frame: FrameScene): LaidScene {
  const { heap } = crew
  const { camera, light, quality, layers, plate } = frame
  const bytes = uploadByteTables(crew)
  const { nodes, instances, things, solids } = layInstances(crew, frame, bytes)
  const volumes = layers.flatMap(({ drawables }, layer) =>
    drawables.filter((one): one is GasVolume => one.kind === 'gas').map((gas) => ({ gas, layer })),
  )
  const count = volumes.reduce((sum, { gas }) => sum + gas.emitters.length, 0)
  const gases = volumes.map(({ gas, layer }) => uploadGas(crew, gas, light, quality, count, layer))
  const blocks = gases.flatMap((one) => one.blocks)
  const list = heap.alloc(Math.max(1, blocks.length) * 4)
  heap.i32(list, blocks.length).set(blocks.map(({ block }) => block))
  const lamps = [
    ...layers.flatMap(({ drawables }, layer) =>
      drawables.filter((one): one is Lamp => one.kind === 'lamp').map((lamp) => setUpLamp(lamp, layer)),
    ),
    ...volumes.flatMap(({ gas, layer }, n) => lampTree(inWorld(gases[n]?.place, gas.emitters), layer)),
  ]
  const colours = lightColours(light)
  // Only what sends light back sees the sky itself.
  const sky = solids > 0 ? skyOf(light, colours.bounce) : undefined
  const shutter = quality.blurs ? frame.shutter : undefined
  const scene = heap.alloc(SCENE_BYTES)
  writeScene(heap, scene, {
    top: nodes,
    instances,
    lamps: uploadLamps(crew, lamps),
    lampCount: lamps.length,
    sun: light.sunDirection,
    sunDisc: light.sunDisc ?? SUN_DISC,
    sunColour: [...colours.sun, 0],
    skyColour: [...colours.sky, 0],
    bounce: [...colours.bounce, 0],
    skyMap: sky ? layLight(crew, sky, 1e4) : 0,
    skyWidth: sky?.width ?? 0,
    skyHeight: sky?.height ?? 0,
    gases: list,
    gasCount: blocks.length,
    layers: layers.length,
    things: solids,
    // Only what sends light back is shaded.
    lobes: solids > 0 ? uploadLobes(crew) : 0,
    plate: plate ? layLight(crew, plate, 4) : 0,
    plateWidth: plate?.width ?? 0,
    plateHeight: plate?.height ?? 0,
    plateView: plate ? uploadView(crew, resized(camera, plate.width, plate.height)) : 0,
    contact: frame.contact ?? CONTACT,
    bytes: bytes.forward,
    pairs: uploadPairs(crew),
  })
  let own = 0
  const lit = layers.map((_, layer) =>
    volumes.some((one) => one.layer === layer) || lamps.some((one) => one.layer === layer) ? own++ : -1,
  )
  return { lamps, scene, view: uploadView(crew, camera, shutter, frame.lens), things, solids, gases, lit }
}
