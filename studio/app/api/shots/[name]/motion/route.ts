import type { MotionKey } from '@lantern/core/formats'
import { anglesOf } from '@lantern/core/math'
import { getShot } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { bytesOf } from '@/server/body.ts'
import { readAside } from '@/server/reader.ts'
import { store } from '@/server/store.ts'

const MOST_BYTES = 64 * 2 ** 20
const file = z.string().min(1).max(200)
const DEGREES = 180 / Math.PI

/** Reads a motion for a thing of this shot, from a table or from what a camera does in glTF or USD; returns its keys. */
export const POST = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    const name = file.parse(new URL(request.url).searchParams.get('file'))
    const { plate } = (await getShot(opened, (await params).name)).document
    const bytes = await bytesOf(request, MOST_BYTES, name)
    const { keys, frames = [] } = await readAside('motion', bytes, name, {
      ...plate,
      rate: plate.rate[0] / plate.rate[1],
    })
    if (keys) return { keys }
    let near: [number, number, number] = [0, 0, 0]
    return {
      keys: frames.map(({ frame, camera }): MotionKey => {
        near = anglesOf(camera.rotation, near)
        const [turn, tilt, roll] = near.map((angle) => Math.round(angle * DEGREES * 1e4) / 1e4) as [
          number,
          number,
          number,
        ]
        return {
          frame,
          position: camera.position.map((v) => Math.round(v * 1e5) / 1e5) as [number, number, number],
          turn,
          tilt,
          roll,
        }
      }),
    }
  })
