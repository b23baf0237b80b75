import { random } from '../../core/src/base/index.ts'
import {
  type Camera,
  type GasFrame,
  PLAIN,
  type SurfaceMesh,
  scaleCamera,
  TILE,
  toHalf,
} from '../../core/src/data/index.ts'
import { writePicture } from '../../core/src/formats/index.ts'
import { GLOW_FROM, GLOW_STEP, glowTable } from '../../core/src/light/index.ts'
import {
  estimatePicture,
  FINAL,
  type FrameScene,
  type GasVolume,
  LOOK,
  renderPicture,
  treeStore,
} from '../../core/src/picture/index.ts'
import { uploadInstances } from '../../core/src/picture/instances.ts'
import { meshTree, uploadTree } from '../../core/src/picture/trees.ts'
import { frameOf, ground, NOON, thing } from '../../core/testing/frames.ts'
import { nodeDeflate } from '../../farm/src/io/deflate.ts'
import { type Bench, timed } from './bench.ts'

// Solids: trees, rays, and a frame with a third of it solid.

/** A bumpy ball of about so many triangles. */
function lump(triangles: number, radius = 1): SurfaceMesh {
  const rings = Math.round(Math.sqrt(triangles / 4))
  const across = 2 * rings + 1
  const stream = random(5)
  const bumps = Array.from({ length: 40 }, () => [stream.next() * 6, stream.next() * 9, stream.next() * 6.28])
  const positions = new Float32Array((rings + 1) * across * 3)
  for (let j = 0; j <= rings; j++)
    for (let i = 0; i < across; i++) {
      const [a, b] = [(j / rings) * Math.PI, (i / (across - 1)) * 2 * Math.PI]
      const r =
        radius *
        (1 + bumps.reduce((sum, [m = 0, n = 0, p = 0]) => sum + 0.006 * Math.sin(m * a + Math.round(n) * b + p), 0))
      positions.set(
        [r * Math.sin(a) * Math.cos(b), r * Math.cos(a), r * Math.sin(a) * Math.sin(b)],
        (j * across + i) * 3,
      )
    }
  const indices: number[] = []
  for (let j = 0; j < rings; j++)
    for (let i = 0; i < across - 1; i++) {
      const n = j * across + i
      indices.push(n, n + 1, n + across, n + 1, n + across + 1, n + across)
    }
  return { positions, indices: Uint32Array.from(indices) }
}

const tree: Bench = {
  name: 'picture/solids-tree-1M',
  size: '1 M triangles',
  runs: 3,
  threads: [1, 2],
  run(crew) {
    const mesh = lump(1e6)
    let bytes = 0
    const ms = timed(1, () => (bytes = meshTree(crew, mesh).nodes.length + meshTree(crew, mesh).packets.length)) / 2
    return { ms, figures: { triangles: mesh.indices.length / 3, treeMb: bytes / 1e6 } }
  },
}

/** Millions of nearest hits a second against 100,000 triangles, on however many threads: what other figures are read beside. */
const rays: Bench = {
  name: 'picture/reference-rays',
  size: '1 M rays, 100 k triangles',
  runs: 3,
  threads: [1, 2],
  run(crew) {
    const built = meshTree(crew, lump(1e5))
    const pose = { rotation: [0, 0, 0, 1] as const, place: [0, 0, 0] as const, scale: 1 }
    const whole = {
      tree: built,
      mesh: uploadTree(crew, built),
      opening: pose,
      closing: pose,
      layer: 0,
      flags: 0,
      material: 0,
      number: 0,
    }
    const top = uploadInstances(crew, [whole])
    const count = 1e6
    const at = crew.heap.alloc(count * 32)
    const floats = crew.heap.f32(at, count * 8)
    for (let n = 0; n < count; n++) {
      const [x, y] = [((n % 1000) / 1000 - 0.5) * 3, (Math.floor(n / 1000) / 1000 - 0.5) * 3]
      const l = Math.hypot(x, y, 4)
      floats.set([0, 0, 4, x / l, y / l, -4 / l, 1e30, 0], n * 8)
    }
    const [stacks, out] = [crew.heap.alloc(32768 * crew.threads), crew.heap.alloc(count * 20)]
    const ms = timed(3, () => crew.run('castRays', { ...top, stacks, rays: at, any: 0, out }, count, 4096))
    return { ms, figures: { raysPerSecond: (1000 * count) / ms } }
  },
}

/** A cube of thin smoke with a fire's lamps in it. */
function smoke(): GasVolume {
  const side = 6
  const tiles = side ** 3
  const channels = Array.from({ length: 6 }, () => new Uint16Array(tiles * TILE ** 3))
  const stream = random(9)
  const soot = channels[0] as Uint16Array
  for (let n = 0; n < soot.length; n++) soot[n] = toHalf(0.05 * stream.next())
  const frame: GasFrame = {
    box: { cell: 0.0433, origin: [-24, 0, -24], size: [side * TILE, side * TILE, side * TILE] },
    ambient: 290,
    tiles: Int32Array.from({ length: tiles }, (_, n) => n),
    channels,
  }
  const emitters = Array.from({ length: 64 }, (_, n) => ({
    at: [(n % 4) * 0.2 - 0.3, 0.3 + Math.floor(n / 8) * 0.15, ((n >> 2) % 2) * 0.3] as const,
    intensity: [0.02, 0.012, 0.005] as const,
    radius: 0.08,
  }))
  return {
    kind: 'gas',
    frames: [{ frame, weight: 1, ahead: 0 }],
    place: { turn: [0, 0, 0, 1], scale: 1, mirror: false, shift: [2.4, 0, 0] },
    emitters,
    glow: { from: GLOW_FROM, step: GLOW_STEP, table: glowTable(400, 1) },
    albedo: 0.4,
    forward: 0.4,
    extinctionPerSoot: 8700,
  }
}
const camera: Camera = {
  position: [0, 1.6, 7],
  rotation: [0, 0, 0, 1],
  focalPx: 1000,
  centre: [640, 360],
  k1: 0,
  k2: 0,
  width: 1280,
  height: 720,
}

/** 30 % of the frame solid, 100,000 triangles, smoke on some 15 %, lit by its fire. */
function thirdSolid(quality = FINAL, seen = camera): FrameScene {
  const one = lump(33_000, 1.25)
  const place = (x: number, y: number, z: number) => ({
    rotation: [0, 0, 0, 1] as const,
    place: [x, y, z] as const,
    scale: 1,
  })
  const layers = {
    left: [thing(one, { opening: place(-2.6, 1.3, 0) })],
    middle: [thing(one, { opening: place(-0.2, 1.3, -0.5) })],
    back: [thing(one, { opening: place(-1.4, 3.2, -1.5) })],
    smoke: [smoke()],
  }
  const trees = treeStore()
  return frameOf(layers, { camera: seen, pieces: [ground()], light: { ...NOON, sunShare: 0.4 }, quality, trees })
}

const third: Bench = {
  name: 'picture/solids-1280x720-final',
  size: '1280x720, 30 % solid, 100 k triangles, 15 % smoke, 64 lamps',
  runs: 1,
  threads: [2],
  run(crew) {
    const told = estimatePicture(crew, thirdSolid(), () => performance.now() / 1000)
    const begun = performance.now()
    const picture = renderPicture(crew, thirdSolid())
    const ms = performance.now() - begun
    const cover = (id: string): number =>
      (picture.layers.find((layer) => layer.id === id)?.alpha?.data.filter((value) => value > 0.02).length ?? 0) /
      (1280 * 720)
    const written = performance.now()
    const bytes = writePicture(picture, nodeDeflate).length
    const solid = cover('left') + cover('middle') + cover('back')
    return {
      ms,
      figures: {
        solid,
        toldMs: 1000 * told,
        smoke: cover('smoke'),
        fileMb: bytes / 1e6,
        writeMs: performance.now() - written,
      },
    }
  },
}

/** The same frame as the browser draws it. */
const look: Bench = {
  name: 'picture/solids-look',
  size: '640x360 of the same frame',
  runs: 3,
  threads: [1, 2],
  run(crew) {
    const frame = thirdSolid(LOOK, scaleCamera(camera, 0.5))
    const begun = performance.now()
    renderPicture(crew, frame)
    const first = performance.now() - begun
    // What stands still is known from the frame before.
    return { ms: timed(1, () => renderPicture(crew, frame)), figures: { first } }
  },
}

const place = (x: number, y: number, z: number) => ({
  rotation: [0, 0, 0, 1] as const,
  place: [x, y, z] as const,
  scale: 1,
})

/** Rubble: as many things as debris has, over the ground of the frame. */
const many: Bench = {
  name: 'picture/solids-10k-instances',
  size: '1280x720, 10,000 instances of 1,000 triangles',
  runs: 1,
  threads: [2],
  run(crew) {
    const one = lump(1000, 0.05)
    const stream = random(3)
    const things = Array.from({ length: 10_000 }, () =>
      thing(one, { opening: place(8 * stream.next() - 4, 0.05 + 0.9 * stream.next(), 2 - 5 * stream.next()) }),
    )
    const begun = performance.now()
    const picture = renderPicture(
      crew,
      frameOf({ rubble: things }, { camera, pieces: [ground()], light: { ...NOON, sunShare: 0.4 }, quality: FINAL }),
    )
    const cover = (picture.layers[0]?.alpha?.data.filter((value) => value > 0.02).length ?? 0) / (1280 * 720)
    return { ms: performance.now() - begun, figures: { cover } }
  },
}

/** Twelve layers of about 15 % each, as a file. */
const layers: Bench = {
  name: 'picture/solids-12-layers-file',
  size: '1280x720, 12 layers',
  runs: 1,
  threads: [2],
  run(crew) {
    const one = lump(8000, 3)
    const glass = [{ ...PLAIN, alpha: 'blend', base: [0.5, 0.5, 0.5, 0.3] }] as const
    const each = Object.fromEntries(
      Array.from({ length: 12 }, (_, n) => [
        `layer ${n}`,
        [thing(one, { materials: glass, opening: place(((n % 4) - 1.5) * 1.3, 1.6, -2 - n) })],
      ]),
    )
    const quality = { ...FINAL, few: 4, many: 4, most: 4 }
    const picture = renderPicture(crew, frameOf(each, { camera, pieces: [ground()], light: NOON, quality }))
    const begun = performance.now()
    const bytes = writePicture(picture, nodeDeflate).length
    const covers = picture.layers.map(
      ({ alpha }) => (alpha?.data.filter((value) => value > 0.02).length ?? 0) / (1280 * 720),
    )
    const cover = covers.reduce((sum, value) => sum + value, 0) / covers.length
    return { ms: performance.now() - begun, figures: { fileMb: bytes / 1e6, cover } }
  },
}

export const solidBenches: readonly Bench[] = [tree, rays, third, look, many, layers]
