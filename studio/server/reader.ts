import { existsSync } from 'node:fs'
import { resolve } from 'node:path'
import { Worker } from 'node:worker_threads'
import { LanternError } from '@lantern/core/base'
import type { Camera } from '@lantern/core/data'
import type { MotionKey, PlateFrame } from '@lantern/core/formats'
import type { MeshBody } from '@lantern/core/set'

/** What a file may take, s and MiB, before it is given up. */
const MOST_SECONDS = 20
const MOST_MEMORY = 1500

/** The reader's own program: beside the studio, or below the folder that tests run in. */
const script = (): string => {
  const places = ['../farm/dist/reader.mjs', 'farm/dist/reader.mjs'].map((path) =>
    resolve(/* turbopackIgnore: true */ path),
  )
  return places.find((path) => existsSync(path)) ?? (places[0] as string)
}

/** As farm/src/io/meshes.ts has it. */
interface MeshTaken {
  glb: Uint8Array
  light?: Uint8Array
  triangles: number
  low: [number, number, number]
  high: [number, number, number]
  animations: { name: string; seconds: number }[]
  notes: string[]
  body: MeshBody
}
interface Read {
  camera: { notes: string[] }
  motion: {
    keys?: MotionKey[]
    frames?: { frame: number; camera: Camera }[]
  }
  points: { count: number; first: number; last: number }
  particles: { frames: { frame: number; count: number; bytes: Uint8Array }[] }
  volume: { grids: string[] }
  mesh: MeshTaken
  /** As farm/src/io/surfacePictures.ts has it. */
  surface: { glb: Uint8Array; aspect: number; raised: boolean; notes: string[] }
  /** As farm/src/io/greyPictures.ts has them. */
  stamp: { width: number; height: number; values: string }
  heights: { width: number; height: number; values: string; notes: string[] }
  /** As OpenEXR, with where it is brightest: degrees from behind the set to the right, and above the horizon. */
  surroundings: { exr: Uint8Array; from: number; height: number }
}

const NO_PLATE: PlateFrame = { width: 1, height: 1, first: 1, last: 1, rate: 24 }

/**
 * Reads a sent file beside the server, within a limit of time and memory, so that no file holds up anyone else.
 * Throws LanternError as the file's own reader does; 'file-slow' where it takes more than the limits.
 */
export function readAside<W extends keyof Read>(
  what: W,
  bytes: Uint8Array,
  file: string,
  plate = NO_PLATE,
  seconds = MOST_SECONDS,
): Promise<Read[W]> {
  return new Promise((done, failed) => {
    const worker = new Worker(/* turbopackIgnore: true */ script(), {
      workerData: { what, bytes, file, plate },
      resourceLimits: { maxOldGenerationSizeMb: MOST_MEMORY },
    })
    const slow = (why: string): LanternError =>
      new LanternError('file-slow', `${file} ${why}.`, 'Write it with less in it.', { file })
    const timer = setTimeout(() => {
      failed(slow(`takes more than ${seconds} s to read`))
      void worker.terminate()
    }, seconds * 1000)
    worker.on('message', ({ value, refused }: { value?: Read[W]; refused?: LanternError }) => {
      if (refused) failed(new LanternError(refused.code, refused.message, refused.remedy, refused.place))
      else done(value as Read[W])
    })
    worker.on('error', (error) =>
      failed(
        'code' in error && error.code === 'ERR_WORKER_OUT_OF_MEMORY'
          ? slow('takes more memory to read than there is for it')
          : error,
      ),
    )
    worker.on('exit', () => clearTimeout(timer))
  })
}
