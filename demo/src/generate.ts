// Draws the demo plates again: node scripts/run-ts.mjs demo/src/generate.ts [--plate NAME] [--out DIR] [--frames N]
import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { writeCameraGltf } from '@lantern/core/formats'
import { platePainter, sensor } from './draw.ts'
import { PLATES, type PlateSpec } from './paths.ts'

const WIDTH = 1280
const HEIGHT = 720

async function draw(spec: PlateSpec, out: string, frames: number): Promise<void> {
  const painter = platePainter(spec, WIDTH, HEIGHT, 2)
  const last = spec.first + frames - 1
  const path = Array.from({ length: frames }, (_, n) => ({ frame: spec.first + n, camera: painter.camera(spec.first + n) }))
  writeFileSync(join(out, `${spec.name}-camera.gltf`), writeCameraGltf(spec.name, path, spec.rate))
  const ffmpeg = spawn('ffmpeg', ['-v', 'error', '-y', '-f', 'rawvideo', '-pix_fmt', 'rgb24', '-s', `${WIDTH}x${HEIGHT}`, '-r', String(spec.rate), '-i', '-', '-vf', 'scale=out_color_matrix=bt709:out_range=tv', '-c:v', 'libx264', '-preset', 'slow', '-tune', 'grain', '-crf', '22', '-pix_fmt', 'yuv420p', '-colorspace', 'bt709', '-color_primaries', 'bt709', '-color_trc', 'iec61966-2-1', '-threads', '1', '-flags', '+bitexact', '-fflags', '+bitexact', join(out, `${spec.name}.mp4`)], { stdio: ['pipe', 'inherit', 'inherit'] })
  const started = performance.now()
  for (let frame = spec.first; frame <= last; frame++) {
    const bytes = sensor(painter.draw(frame), WIDTH, HEIGHT, frame, spec.seed)
    if (!ffmpeg.stdin.write(bytes)) await once(ffmpeg.stdin, 'drain')
    const done = frame - spec.first + 1
    if (done % 12 === 0) console.log(`${spec.name}: frame ${frame}, ${Math.round(((performance.now() - started) / done / 1000) * (frames - done))} s left`)
  }
  ffmpeg.stdin.end()
  const [code] = (await once(ffmpeg, 'close')) as [number]
  if (code !== 0) throw new Error(`ffmpeg ended with ${code} on ${spec.name}`)
}

const { values } = parseArgs({ options: { plate: { type: 'string' }, out: { type: 'string', default: 'demo/plates' }, frames: { type: 'string' } } })
mkdirSync(values.out, { recursive: true })
for (const spec of PLATES) if (!values.plate || values.plate === spec.name) await draw(spec, values.out, values.frames ? Number(values.frames) : spec.frames)
