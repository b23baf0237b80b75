import { Carrying, drawMatte, type MatteItem, type MatteStroke, matteSchema } from '../../core/src/mattes/index.ts'
import { figureOf, walkPlate, workerCover } from '../validate/mattes.ts'
import { keyStrokes } from '../validate/strokeHand.ts'
import { type Bench, timed } from './bench.ts'

/** Rings of 40 points with handles over the frame, as many shapes as a crowd has. */
function crowd(shapes: number, points: number): MatteItem {
  const ring = (n: number) => {
    const [x, y, r] = [100 + ((n * 337) % 1080), 80 + ((n * 211) % 560), 60 + ((n * 17) % 60)]
    return Array.from({ length: points }, (_, k) => {
      const a = (k / points) * 2 * Math.PI
      const out = r * (1 + 0.12 * Math.sin(5 * a + n))
      const handle = (2 * Math.PI * out) / points / 3
      const way = [-Math.sin(a) * handle, Math.cos(a) * handle] as [number, number]
      return {
        at: [x + out * Math.cos(a), y + out * Math.sin(a)],
        before: [-way[0], -way[1]],
        after: way,
        soft: 0,
      }
    })
  }
  const all = Object.fromEntries(
    Array.from({ length: shapes }, (_, n) => [
      `s${n}`,
      { name: `Shape ${n}`, order: n, keys: [{ frame: 1, points: ring(n) }] },
    ]),
  )
  return matteSchema.parse({ kind: 'matte', name: 'Crowd', order: 1, shapes: all })
}

const drawn: Bench = {
  name: 'mattes/drawn-50-shapes',
  size: '1280x720, 50 shapes of 40 points',
  runs: 3,
  threads: [1],
  run() {
    const item = crowd(50, 40)
    const view = { width: 1280, height: 720, scale: 1, opening: 1, closing: 1 }
    let cover = 0
    const ms = timed(3, () => (cover = drawMatte(item, view).data.reduce((sum, value) => sum + value, 0)))
    return { ms, figures: { cover: cover / (1280 * 720) } }
  },
}

/** The demo's worker, stroked as a person would on three frames. */
async function workerStrokes(): Promise<MatteStroke[]> {
  const cover = await workerCover()
  return [1040, 1060, 1080].flatMap((frame) => {
    const own = cover.get(frame)
    return own ? keyStrokes(figureOf(own), frame, 1) : []
  })
}

const cut: Bench = {
  name: 'mattes/stroked-frame',
  size: '1280x720, the first cut of a frame with five strokes',
  runs: 3,
  threads: [1],
  async run(crew) {
    const strokes = (await workerStrokes()).filter(({ frame }) => frame === 1060)
    const plate = walkPlate(crew)
    const begun = performance.now()
    const carrying = new Carrying(crew, { plate, strokes, scale: 1 })
    await carrying.firstCut(1060)
    await carrying.alpha(1060, true)
    return { ms: performance.now() - begun, figures: {} }
  },
}

const carry: Bench = {
  name: 'mattes/carry-41-frames',
  size: '1280x720, a frame of 41 with 36 around them, three stroked; motion and alpha included',
  runs: 1,
  threads: [2],
  async run(crew) {
    const carrying = new Carrying(crew, {
      plate: walkPlate(crew),
      strokes: await workerStrokes(),
      scale: 1,
      from: 1040,
      to: 1080,
    })
    const begun = performance.now()
    await carrying.all(() => undefined)
    for (let frame = 1040; frame <= 1080; frame++) await carrying.alpha(frame)
    return { ms: (performance.now() - begun) / 41, figures: {} }
  },
}

export const matteBenches: readonly Bench[] = [drawn, cut, carry]
