import { LanternError } from '@lantern/core/base'
import { isThing, takenMesh } from '@lantern/core/set'
import { getBlob, getShot, putBlob } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { bytesOf } from '@/server/body.ts'
import { readAside } from '@/server/reader.ts'
import { store } from '@/server/store.ts'

const MOST_BYTES = 2 ** 30
const MOST_SECONDS = 120
const file = z.string().min(1).max(200)
const GLB = 'model/gltf-binary'

/** The bytes (GLB) of a mesh, or of a surface's pictures, that an item of this shot names. */
export const GET = async (request: Request, { params }: { params: Promise<{ name: string }> }) => {
  let bytes: Uint8Array<ArrayBuffer> | undefined
  const failed = await answer(async () => {
    const opened = await store()
    const { document } = await getShot(opened, (await params).name)
    const wanted = z
      .string()
      .regex(/^[0-9a-f]{64}$/)
      .parse(new URL(request.url).searchParams.get('blob'))
    const named = Object.values(document.items).some((item) =>
      isThing(item)
        ? item.mesh.blob === wanted || item.mesh.standIn === wanted
        : 'surfacePictures' in item && item.surfacePictures?.blob === wanted,
    )
    if (!named)
      throw new LanternError('no-mesh', 'Nothing in this shot has that mesh.', 'Load the page again.', {
        field: 'blob',
      })
    bytes = await getBlob(opened, wanted)
    return {}
  })
  return bytes
    ? new Response(bytes, { headers: { 'content-type': GLB, 'cache-control': 'private, max-age=31536000, immutable' } })
    : failed
}

/** Takes a mesh in: one file, or an archive of several. Returns what a thing holds of it. */
export const POST = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    await getShot(opened, (await params).name)
    const name = file.parse(new URL(request.url).searchParams.get('file'))
    const bytes = await bytesOf(request, MOST_BYTES, name)
    const { glb, light, ...found } = await readAside('mesh', bytes, name, undefined, MOST_SECONDS)
    const blob = await putBlob(opened, glb, GLB)
    return {
      mesh: takenMesh.parse({ blob, standIn: light ? await putBlob(opened, light, GLB) : blob, file: name, ...found }),
    }
  })
