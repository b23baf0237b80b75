import { existsSync, readFileSync } from 'node:fs'
import { nodeCrew } from '../farm/src/crew/nodeCrew.ts'
import { readCameraGltf, readGasFrame } from '../core/src/formats/index.ts'
import { pictureFrame, renderPicture } from '../core/src/pipeline/index.ts'
import { demoShot, prepareFire } from './bench/picture.ts'
if (!existsSync('/tmp/fire.clgf')) { const c = nodeCrew(2); const t = performance.now(); prepareFire(c, '/tmp'); console.log('prepared', performance.now() - t); c.end() }
const frame = readGasFrame(new Uint8Array(readFileSync('/tmp/fire.clgf')))
console.log(frame.box)
const shot = demoShot()
const path = readCameraGltf(readFileSync('demo/exact/yard-walk-camera.gltf'), 'yard-walk-camera.gltf', { ...shot.plate, rate: 24 })
const only = { ...shot, items: Object.fromEntries(Object.entries(shot.items).filter(([id, item]) => id === 'door-fire' || item.kind === 'box' || item.kind === 'ground')) }
const at = pictureFrame(only, (f) => path.frames[f - shot.plate.first]?.camera, 1061)
const z = Number(process.argv[4] ?? 4.1), y = Number(process.argv[5] ?? 1.75)
const camera = (n: number) => ({ ...at.camera, position: [2.35 + 0.02 * n, y, z] as const, rotation: [0, 0, 0, 1] as const, focalPx: 1000 })
const close = { ...at, camera: camera(0), before: camera(-1), after: camera(1) }
for (const threads of (process.argv[3] ?? '2').split(',').map(Number)) {
  const base = nodeCrew(threads)
  const times = new Map<string, number>()
  const crew = { ...base, run(name: string, args: readonly number[], items: number, chunk?: number) { const t = performance.now(); base.run(name, args, items, chunk); times.set(name, (times.get(name) ?? 0) + performance.now() - t) } }
  for (let r = 0; r < Number(process.argv[6] ?? 2); r++) {
    times.clear()
    const t = performance.now()
    const { smoke, fire } = renderPicture(crew, only, close, () => frame, process.argv[2] as 'look')
    const all = performance.now() - t
    let count = 0
    for (let n = 0; n < fire.width * fire.height; n++) if ((smoke.data[n * 4 + 3] ?? 0) > 0.01 || (fire.data[n * 3] ?? 0) > 0.01) count++
    console.log(threads, process.argv[2], all.toFixed(0), 'covered', (count / fire.width / fire.height).toFixed(3), [...times].map(([k, v]) => `${k} ${v.toFixed(0)}`).join(' '), 'rest', (all - [...times.values()].reduce((a, b) => a + b, 0)).toFixed(0))
  }
  base.end()
}
