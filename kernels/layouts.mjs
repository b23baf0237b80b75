// Blocks of memory that TypeScript writes and kernels read. Each is described once here; the build makes readers in AssemblyScript and a writer in TypeScript.
//   f32, i32: a number; at: a pointer; f32x3 and the like: so many floats in a row, read through a pointer to the first of them.
// Fields lie one after another, 4 bytes each; a block is filled up to 16 bytes.
export const LAYOUTS = {
  /** Where the camera is while the shutter is open: at its opening, and how that changes until it closes; rotations as quaternions x y z w. */
  View: {
    position: 'f32x4',
    rotation: 'f32x4',
    positionChange: 'f32x4',
    rotationChange: 'f32x4',
    focal: 'f32',
    centreX: 'f32',
    centreY: 'f32',
    k1: 'f32',
    k2: 'f32',
    /** Radius of the lens, m; 0: everything is sharp. And the distance that is sharp, m. */
    lens: 'f32',
    focus: 'f32',
    /** How many times taller than wide a blur disc is. */
    squeeze: 'f32',
    /** Blades of the iris; 0: round. */
    blades: 'i32',
    /** Places on the lens by a picture of the disc: 64 x 64 of two floats; 0: by its blades. */
    disc: 'at',
    width: 'i32',
    height: 'i32',
  },
  /** A mesh that rays meet, in its own space. */
  MeshBlock: {
    nodes: 'at',
    packets: 'at',
    /** Three vertices a triangle (u32). */
    indices: 'at',
    /** Octahedral, two i16 a vertex; 0: the triangles' own. */
    normals: 'at',
    /** Two floats a vertex; 0: none. */
    uvs: 'at',
    /** r g b a as bytes a vertex; 0: none. */
    colours: 'at',
    /** Material of each triangle (u16), counted from the instance's first; 0: all have that one. */
    parts: 'at',
    /** 1: packets hold how their corners move until the shutter closes. */
    deforms: 'i32',
  },
  /** A mesh as it stands: its pose when the shutter opens and closes. */
  Instance: {
    rotation: 'f32x4',
    place: 'f32x3',
    scale: 'f32',
    rotationAtClose: 'f32x4',
    placeAtClose: 'f32x3',
    scaleAtClose: 'f32',
    mesh: 'at',
    /** Its layer, from 0; -1: a piece of the set. */
    layer: 'i32',
    /** FLAGS. */
    flags: 'i32',
    /** First of its materials. */
    material: 'at',
    /** Which light-grid or other item it belongs to: unused, kept 0. */
    number: 'i32',
  },
  /** How a surface looks (glTF's metallic-roughness). Textures are Texture blocks, 0: none. */
  Material: {
    base: 'f32x4',
    emission: 'f32x4',
    metal: 'f32',
    roughness: 'f32',
    normalScale: 'f32',
    /** Alpha below which nothing is seen; 0: it is see-through by its alpha; -1: it is opaque. */
    cutoff: 'f32',
    baseMap: 'at',
    normalMap: 'at',
    /** Roughness in green, metal in blue. */
    surfaceMap: 'at',
    emissionMap: 'at',
    doubleSided: 'i32',
    /** A plate's frame that was projected on it (Projection), 0: none. */
    plate: 'at',
  },
  /** A frame of the plate on a thing: its light (r g b 0 floats), the camera that it was seen through, where the thing stood then, and the light that fell on it. */
  Projection: {
    pixels: 'at',
    width: 'i32',
    height: 'i32',
    view: 'at',
    rotation: 'f32x4',
    place: 'f32x3',
    scale: 'f32',
    sun: 'f32x3',
    sunColour: 'f32x4',
    skyColour: 'f32x4',
    bounce: 'f32x4',
  },
  /** A picture with its smaller versions (each half the size), r g b a as bytes. */
  Texture: {
    width: 'i32',
    height: 'i32',
    levels: 'i32',
    /** 1: bytes are sRGB. */
    srgb: 'i32',
    /** How it goes on past its edge, across and down: 0 repeats, 1 holds, 2 mirrors. */
    wrapX: 'i32',
    wrapY: 'i32',
    /** Pointers to the levels (u32). */
    at: 'at',
  },
  /** What shines beside sun and sky. intensity: value x m^2 along its axis. */
  Lamp: {
    place: 'f32x3',
    radius: 'f32',
    intensity: 'f32x3',
    layer: 'i32',
    /** 0: a ball that shines all round; 1: a spot; 2: a rectangle. */
    kind: 'i32',
    /** Half edges of a rectangle, m; the axis of a spot or rectangle is their cross product. */
    axisX: 'f32x3',
    axisY: 'f32x3',
    axis: 'f32x3',
    /** Cosines of a spot's half angles: full within the first, nothing beyond the second. */
    inner: 'f32',
    outer: 'f32',
    /** How far those that it stands for lie from it, m; 0: it is one lamp. They come right after it. And how many lamps on the next is that is none of them. */
    extent: 'f32',
    skip: 'i32',
    /** 1: set up by hand, it lights as sun and sky do; 0: a part of a fire. */
    setUp: 'i32',
  },
  /** All that a picture is rendered from. */
  Scene: {
    top: 'at',
    instances: 'at',
    lamps: 'at',
    lampCount: 'i32',
    /** Unit, towards the sun; tangent of the half angle that it fills. */
    sun: 'f32x3',
    sunDisc: 'f32',
    /** Value of a white surface square to the sun. */
    sunColour: 'f32x4',
    /** Value of a white surface under a whole sky. */
    skyColour: 'f32x4',
    /** Value of what lies below the horizon and is not modelled. */
    bounce: 'f32x4',
    /** Surroundings: r g b 0 floats, `skyWidth` x `skyHeight`, from straight up down; 0: the sky's colour alone. */
    skyMap: 'at',
    skyWidth: 'i32',
    skyHeight: 'i32',
    /** Gas blocks (u32) and how many. */
    gases: 'at',
    gasCount: 'i32',
    layers: 'i32',
    /** How many instances are things. */
    things: 'i32',
    /** Directional reflectance of the microfacet lobe without and with Fresnel (shading.ts). */
    lobes: 'at',
    /** The plate as light: r g b 0 floats, seen through plateView; 0: none. */
    plate: 'at',
    plateWidth: 'i32',
    plateHeight: 'i32',
    plateView: 'at',
    /** Contact: sky rays blocked within so many m count. */
    contact: 'f32',
    /** Linear light of sRGB bytes and of plain ones: 512 floats. */
    bytes: 'at',
    /** Table of sample pairs (sampler.ts). */
    pairs: 'at',
  },
  /** How a picture's tiles are rendered, and where to. */
  Job: {
    scene: 'at',
    view: 'at',
    /** Samples of a pixel: first; where things or edges are; where those leave noise. */
    few: 'i32',
    many: 'i32',
    most: 'i32',
    /** Standard error of a pixel's value that is good enough. */
    noise: 'f32',
    /** 1: light that comes by way of other surfaces. */
    bounces: 'i32',
    /** Marches through gas: at first, and where those differ. Step in cells. Seconds that the shutter is open. */
    marches: 'i32',
    mostMarches: 'i32',
    step: 'f32',
    open: 'f32',
    salt: 'i32',
    /** Scratch of every thread, and its size. */
    scratch: 'at',
    scratchBytes: 'i32',
    /** A byte for each block of 8 x 8 pixels in which things may be seen. */
    busy: 'at',
    busyWidth: 'i32',
    /** Tiles to render (u32: number of the tile, by rows), and where each goes. */
    tiles: 'at',
    tilesAcross: 'i32',
    out: 'at',
    slotBytes: 'i32',
    /** Splats in tile lists (splats.ts), 0: none. */
    splats: 'at',
    splatOffsets: 'at',
    splatLists: 'at',
    /** Mattes in front: planes of f32 over the picture, 16 bytes of each (putMatte), and how many. */
    mattes: 'at',
    matteTable: 'at',
    matteCount: 'i32',
  },
}

const WORDS = { f32: 1, i32: 1, at: 1, f32x3: 3, f32x4: 4 }
const lower = (name) => name[0].toLowerCase() + name.slice(1)
const upper = (name) => name[0].toUpperCase() + name.slice(1)
const constant = (name) => name.replace(/(?<!^)([A-Z])/g, '_$1').toUpperCase()

function placed(fields) {
  let at = 0
  const all = Object.entries(fields).map(([name, type]) => {
    const offset = at
    at += WORDS[type] * 4
    return { name, type, offset }
  })
  return { all, bytes: Math.ceil(at / 16) * 16 }
}

/** Readers for the kernels: sceneTop(p), lampPlace(p), and LAMP_BYTES. */
export function readerModule() {
  const parts = Object.entries(LAYOUTS).map(([block, fields]) => {
    const { all, bytes } = placed(fields)
    const readers = all.map(({ name, type, offset }) => {
      const head = `// @ts-ignore: decorator\n@inline\nexport function ${lower(block)}${upper(name)}(p: usize)`
      if (type === 'at') return `${head}: usize { return <usize>load<u32>(p, ${offset}) }`
      if (type === 'f32' || type === 'i32') return `${head}: ${type} { return load<${type}>(p, ${offset}) }`
      return `${head}: usize { return p + ${offset} }`
    })
    return `export const ${constant(block)}_BYTES: usize = ${bytes}\n${readers.join('\n')}\n`
  })
  return `// Made by build.mjs from layouts.mjs.\n${parts.join('\n')}`
}

/** Writers for TypeScript: writeScene(heap, at, { ... }), and SCENE_BYTES. */
export function writerModule() {
  const typeOf = (type) =>
    type === 'f32x3' || type === 'f32x4' ? `readonly [${Array(WORDS[type]).fill('number').join(', ')}]` : 'number'
  const parts = Object.entries(LAYOUTS).map(([block, fields]) => {
    const { all, bytes } = placed(fields)
    const members = all.map(({ name, type }) => `  ${name}: ${typeOf(type)}\n`)
    const floats = all.filter(({ type }) => type.startsWith('f32'))
    const words = all.filter(({ type }) => !type.startsWith('f32'))
    const set = ({ name, type, offset }, view) =>
      type === 'f32x3' || type === 'f32x4'
        ? `  ${view}.set(fields.${name}, ${offset / 4})\n`
        : `  ${view}[${offset / 4}] = fields.${name}\n`
    return (
      `export interface ${block} {\n${members.join('')}}\nexport const ${constant(block)}_BYTES = ${bytes}\n` +
      `export function write${block}(heap: Views, at: number, fields: ${block}): void {\n` +
      `  const floats = heap.f32(at, ${bytes / 4})\n  const words = heap.i32(at, ${bytes / 4})\n` +
      `${floats.map((one) => set(one, 'floats')).join('')}${words.map((one) => set(one, 'words')).join('')}}\n`
    )
  })
  return `interface Views {\n  f32(at: number, length: number): Float32Array\n  i32(at: number, length: number): Int32Array\n}\n${parts.join('\n')}`
}
