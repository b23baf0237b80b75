import { mkdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { LanternError, stopIfCancelled } from '@lantern/core/base'
import { readPicture, writeExr } from '@lantern/core/formats'
import {
  channelsOf,
  composeFrame,
  type PictureQualityName,
  pictureChannels,
  plateGrain,
  sensorOf,
} from '@lantern/core/pipeline'
import { shotLayers } from '@lantern/core/shot'
import { toDisplay } from '@lantern/core/sit'
import { getAsset, getBlob, keptFrame, keptReport, pictureKeysOf, resolveShot, type Shot } from '@lantern/store'
import { nodeDeflate } from '../io/deflate.ts'
import { movieWriter } from '../io/movie.ts'
import { plateLight, stackOf } from '../io/stackOf.ts'
import type { JobContext } from './context.ts'

export interface HandOffPlan {
  movie?: string
  exr?: string
  quality: PictureQualityName
  frames: readonly number[]
}

/** Lays every frame's stack at the plate's full size and writes the movie and the OpenEXR sequence. The pictures must be kept. Throws LanternError 'no-picture' naming the frame. */
export async function writeHandOff(context: JobContext, shot: Shot, plan: HandOffPlan): Promise<void> {
  const { store, crew } = context
  const { document } = shot
  const { plate } = document
  const resolved = await resolveShot(store, shot)
  const keys = pictureKeysOf(resolved, plan.quality, plan.frames)
  const report = await keptReport(store, document)
  const grain = plateGrain(report, (await getAsset(store, plate.asset)).info.grain?.[plate.encoding])
  const movie = plan.movie ? movieWriter(plan.movie, plate.width, plate.height, plate.rate) : undefined
  if (plan.exr) await mkdir(plan.exr, { recursive: true })
  const names = new Map(shotLayers(document).map(({ id, name }) => [id, name]))
  let done = 0
  try {
    for (const frame of plan.frames) {
      if (context.progress) stopIfCancelled(context.progress)
      const kept = await keptFrame(store, keys.get(frame) ?? '', frame)
      const empty = keys.size === 0
      if (!kept && !empty)
        throw new LanternError(
          'no-picture',
          `The picture of frame ${frame} is not kept.`,
          'Ask for the picture, then hand off.',
          { frame },
        )
      const picture = kept ? readPicture(await getBlob(store, kept.blob), nodeDeflate) : undefined
      const light = await plateLight(context, resolved, frame, 'full')
      const at = { frame, quality: plan.quality, size: 'full' as const, light, ...(picture ? { picture } : {}) }
      const result = composeFrame(
        crew,
        light,
        picture,
        await stackOf(context, resolved, grain, at, report),
        plate.width,
        frame,
      )
      if (movie) await movie.frame(toDisplay(crew, result, 0, document.sit.curve, sensorOf(document.sit)))
      if (plan.exr) {
        const fits = picture?.width === plate.width ? pictureChannels(picture, (id) => names.get(id) ?? id) : []
        const bytes = writeExr(
          {
            width: plate.width,
            height: plate.height,
            channels: [
              ...channelsOf(result, ['R', 'G', 'B', 'A']),
              ...channelsOf(light, ['plate.R', 'plate.G', 'plate.B']),
              ...fits,
            ],
            attributes: { software: 'Coal Lantern', shot: shot.name, frame: String(frame) },
          },
          nodeDeflate,
        )
        await writeFile(
          join(plan.exr, `${shot.name.replace(/[^A-Za-z0-9_-]+/g, '-')}.${String(frame).padStart(4, '0')}.exr`),
          bytes,
        )
      }
      context.progress?.report(++done / plan.frames.length, `frame ${frame}`)
    }
  } finally {
    await movie?.end()
  }
}
