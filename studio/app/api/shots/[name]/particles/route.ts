import { LanternError } from '@lantern/core/base'
import { particleRows, readParticleFrame, writeParticlePly } from '@lantern/core/formats'
import { getBlob, getShot, keptFrames, putBlob, resolveShot, shownRun } from '@lantern/store'
import { zipSync } from 'fflate'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { bytesOf } from '@/server/body.ts'
import { readAside } from '@/server/reader.ts'
import { store } from '@/server/store.ts'

const MOST_BYTES = 512 * 2 ** 20
/** Particles of all frames together that are written at once. */
const MOST_WRITTEN = 4_000_000
const file = z.string().min(1).max(200)
const asked = z.object({ item: z.string().max(40), form: z.enum(['csv', 'ply']) })
const plain = (name: string): string => name.replace(/[^A-Za-z0-9_-]+/g, '-')

/** Takes a table (CSV, all frames) or a point cloud (PLY, one frame, numbered by its name) of particles in. Returns the blob of each frame. */
export const POST = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    await getShot(opened, (await params).name)
    const name = file.parse(new URL(request.url).searchParams.get('file'))
    const bytes = await bytesOf(request, MOST_BYTES, name)
    const { frames } = await readAside('particles', bytes, name)
    const kept: { frame: number; blob: string; count: number }[] = []
    for (const { frame, count, bytes: one } of frames)
      kept.push({ frame, count, blob: await putBlob(opened, new Uint8Array(one), 'application/x-lantern-particles') })
    return { frames: kept }
  })

/** The kept frames of an item’s particles, as one table or as an archive of point clouds. */
export const GET = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    const shot = await getShot(opened, (await params).name)
    const { item, form } = asked.parse(Object.fromEntries(new URL(request.url).searchParams))
    const resolved = await resolveShot(opened, shot)
    const own = resolved.items.find((one) => one.item === item && one.kind === 'particles')
    const run = own && shownRun(own)
    const rows = run ? (await keptFrames(opened, [run.key])).sort((a, b) => a.frame - b.frame) : []
    if (!run || rows.length === 0)
      throw new LanternError('no-particles', 'Nothing of these particles is kept yet.', 'Keep them first.', {
        field: 'item',
      })
    const parts: string[] = []
    const files: Record<string, Uint8Array> = {}
    let written = 0
    for (const { frame, blob } of rows) {
      const made = readParticleFrame(await getBlob(opened, blob))
      written += made.count
      if (written > MOST_WRITTEN)
        throw new LanternError(
          'particles-many',
          `${run.name} has more than ${MOST_WRITTEN.toLocaleString('en')} particles in its frames together.`,
          'Keep fewer of them, or a shorter loop alone.',
          { frame },
        )
      if (form === 'csv') parts.push(particleRows(made, frame, parts.length === 0))
      else files[`${plain(run.name)}.${String(frame).padStart(4, '0')}.ply`] = writeParticlePly(made, frame)
    }
    const name = `${plain(shot.name)}-${plain(run.name)}.${form === 'csv' ? 'csv' : 'zip'}`
    return new Response(form === 'csv' ? parts.join('') : new Uint8Array(zipSync(files, { level: 0 })), {
      headers: {
        'content-type': form === 'csv' ? 'text/csv' : 'application/zip',
        'content-disposition': `attachment; filename="${name}"`,
      },
    })
  })
