import { readFileSync } from 'node:fs'
import { z } from 'zod'
import type { Camera } from '../../core/src/data/index.ts'
import { readCameraGltf } from '../../core/src/formats/index.ts'
import type { Vec3 } from '../../core/src/math/index.ts'

const PLATE = { width: 1280, height: 720, first: 1001, last: 1120, rate: 24 }

/** Points of the scene that a demo plate sees, and its exact cameras, frame by frame. */
export function exactLandmarks(name: string): { points: Vec3[]; cameras: Camera[] } {
  const { landmarks } = z
    .object({ landmarks: z.array(z.tuple([z.number(), z.number(), z.number()])) })
    .parse(JSON.parse(readFileSync(`demo/exact/${name}.json`, 'utf8')))
  const file = `demo/exact/${name}-camera.gltf`
  return {
    points: landmarks,
    cameras: readCameraGltf(readFileSync(file), file, PLATE).frames.map(({ camera }) => camera),
  }
}
