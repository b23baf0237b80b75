import { mkdirSync, writeFileSync } from 'node:fs'
import { Document, WebIO } from '@gltf-transform/core'
import { random } from '@lantern/core/base'
import { aboutAxis, multiply, type Quaternion, type Vec3 } from '@lantern/core/math'
import { Shape, WHOLE } from './shape.ts'
import { boards, brick, rust } from './surfaces.ts'

// The yard's things that stand in the plate: a hand cart and a heap of bricks, made here as somebody's scans would be, written as GLB.  node scripts/run-ts.mjs demo/src/things/make.ts

const FOLDER = 'demo/things'

interface Surface {
  base: Uint8Array
  normal: Uint8Array
}

/** A document with one mesh of several surfaces. */
async function write(
  name: string,
  parts: readonly { shape: Shape; surface: Surface; roughness: number; metal: number }[],
): Promise<void> {
  const document = new Document()
  const buffer = document.createBuffer()
  const mesh = document.createMesh(name)
  parts.forEach(({ shape, surface, roughness, metal }, n) => {
    const accessor = (values: Float32Array | Uint32Array, type: 'VEC2' | 'VEC3' | 'SCALAR') =>
      document.createAccessor().setArray(values).setType(type).setBuffer(buffer)
    const texture = (bytes: Uint8Array, what: string) =>
      document
        .createTexture(`${name}-${n}-${what}`)
        .setImage(bytes as Uint8Array<ArrayBuffer>)
        .setMimeType('image/jpeg')
    const material = document
      .createMaterial(`${name}-${n}`)
      .setRoughnessFactor(roughness)
      .setMetallicFactor(metal)
      .setBaseColorTexture(texture(surface.base, 'base'))
      .setNormalTexture(texture(surface.normal, 'normal'))
    mesh.addPrimitive(
      document
        .createPrimitive()
        .setMaterial(material)
        .setAttribute('POSITION', accessor(Float32Array.from(shape.positions), 'VEC3'))
        .setAttribute('NORMAL', accessor(Float32Array.from(shape.normals), 'VEC3'))
        .setAttribute('TEXCOORD_0', accessor(Float32Array.from(shape.uvs), 'VEC2'))
        .setIndices(accessor(Uint32Array.from(shape.indices), 'SCALAR')),
    )
  })
  document.createScene(name).addChild(document.createNode(name).setMesh(mesh))
  const bytes = await new WebIO().writeBinary(document)
  mkdirSync(FOLDER, { recursive: true })
  writeFileSync(`${FOLDER}/${name}.glb`, bytes)
  const triangles = parts.reduce((sum, { shape }) => sum + shape.indices.length / 3, 0)
  console.log(`${name}.glb: ${triangles} triangles, ${(bytes.length / 1024).toFixed(0)} KiB`)
}

const about = (x: number, y: number, z: number): Quaternion =>
  multiply(multiply(aboutAxis([0, 1, 0], y), aboutAxis([1, 0, 0], x)), aboutAxis([0, 0, 1], z))

/** A two-wheeled hand cart, 1.9 m with its shafts, standing on its wheels and a leg. */
async function cart(): Promise<void> {
  const [wood, iron] = [new Shape(), new Shape()]
  const rough = { depth: 0.006, size: 0.05, part: 0.04 }
  const bed = 0.58
  let seed = 1
  const plank = (middle: Vec3, size: Vec3, turn: Quaternion = WHOLE): void =>
    wood.box(middle, size, turn, rough, 1.1, seed++)
  for (let n = 0; n < 6; n++) plank([0, bed, -0.3 + n * 0.12], [1.15, 0.03, 0.112], about(0, 0.006 * (n - 2), 0))
  for (const z of [-0.36, 0.36]) {
    for (const y of [0.1, 0.22]) plank([0, bed + y, z], [1.15, 0.105, 0.025], about(0.02 * Math.sign(z), 0, 0.008))
    for (const x of [-0.5, 0, 0.5]) plank([x, bed + 0.14, z * 1.06], [0.05, 0.34, 0.045])
    plank([0.35, bed - 0.045, z * 0.8], [1.95, 0.06, 0.06], about(0, 0, 0.07))
  }
  plank([-0.575, bed + 0.16, 0], [0.025, 0.22, 0.7])
  plank([0.42, 0.27, 0], [0.05, 0.54, 0.05])
  plank([-0.15, bed - 0.1, 0], [0.09, 0.09, 0.8])
  for (const z of [-0.46, 0.46]) {
    const hub: Vec3 = [-0.15, 0.42, z]
    wood.ring(hub, 0.37, 0.05, 0.06, 1.1, seed)
    seed += 40
    for (let n = 0; n < 8; n++) {
      const a = (n / 8) * 2 * Math.PI + 0.1
      const middle: Vec3 = [hub[0] + 0.2 * Math.cos(a), hub[1] + 0.2 * Math.sin(a), z]
      wood.bar(middle, 0.34, 0.018, aboutAxis([0, 0, 1], a), 1.1, seed++)
    }
    wood.bar(hub, 0.16, 0.07, about(0, Math.PI / 2, 0), 1.1, seed++, 18)
    iron.ring(hub, 0.408, 0.05, 0.014, 2, seed)
    seed += 40
    iron.bar(hub, 0.18, 0.03, about(0, Math.PI / 2, 0), 2, seed++)
  }
  iron.bar([-0.15, 0.42, 0], 0.98, 0.018, about(0, Math.PI / 2, 0), 2, seed++)
  for (const z of [-0.385, 0.385])
    iron.box([0.5, bed + 0.14, z], [0.035, 0.3, 0.006], WHOLE, { depth: 0, size: 1, part: 1 }, 2, seed++)
  await write('cart', [
    { shape: wood, surface: await boards(), roughness: 0.85, metal: 0 },
    { shape: iron, surface: await rust(), roughness: 0.7, metal: 0.5 },
  ])
}

/** A heap of old bricks, some 1.5 m across, each lying on those below it. */
async function bricks(): Promise<void> {
  const shape = new Shape()
  const stream = random(77)
  const rough = { depth: 0.007, size: 0.04, part: 0.045 }
  let seed = 900
  const layers = [18, 12, 7, 3]
  layers.forEach((count, layer) => {
    const reach = 0.62 - layer * 0.16
    for (let n = 0; n < count; n++) {
      const a = (n / count) * 2 * Math.PI + stream.next()
      const r = reach * Math.sqrt(stream.next())
      const tilt = layer === 0 ? 0.06 : 0.35
      const turn = about((stream.next() - 0.5) * tilt, stream.next() * Math.PI, (stream.next() - 0.5) * tilt)
      const broken = stream.next() < 0.25 ? 0.5 + 0.3 * stream.next() : 1
      const middle: Vec3 = [r * Math.cos(a), 0.034 + layer * 0.06 + 0.008 * stream.next(), r * Math.sin(a)]
      shape.box(middle, [0.215 * broken, 0.065, 0.1025], turn, rough, 2.6, seed++)
    }
  })
  await write('bricks', [{ shape, surface: await brick(), roughness: 0.9, metal: 0 }])
}

/** A crate of boards on battens, 0.6 m. */
async function crate(): Promise<void> {
  const shape = new Shape()
  const rough = { depth: 0.004, size: 0.05, part: 0.05 }
  const [wide, tall] = [0.6, 0.52]
  let seed = 500
  const plank = (middle: Vec3, size: Vec3): void => shape.box(middle, size, WHOLE, rough, 1.3, seed++)
  for (const side of [-1, 1]) {
    const at = side * (wide / 2 - 0.01)
    for (let n = 0; n < 4; n++) {
      plank([0, 0.065 + n * 0.13, at], [wide, 0.122, 0.02])
      plank([at, 0.065 + n * 0.13, 0], [0.02, 0.122, wide - 0.04])
    }
    for (const end of [-1, 1]) {
      plank([end * (wide / 2 - 0.05), tall / 2, side * (wide / 2 + 0.011)], [0.07, tall, 0.022])
      plank([side * (wide / 2 + 0.011), tall / 2, end * (wide / 2 - 0.05)], [0.022, tall, 0.07])
    }
  }
  for (let n = 0; n < 5; n++)
    for (const y of [0.012, tall - 0.012]) plank([-0.24 + n * 0.12, y, 0], [0.112, 0.024, wide])
  await write('crate', [{ shape, surface: await boards(), roughness: 0.85, metal: 0 }])
}

await cart()
await crate()
await bricks()
