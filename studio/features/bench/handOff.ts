import type { PictureQualityName } from '@lantern/core/pipeline'
import type { ShotState } from '../shot/shotStore.ts'

export interface HandOffRow {
  title: string
  text: string
  form: 'movie' | 'exr'
  quality: PictureQualityName
  busy: boolean
  error: boolean
  download?: string
}

/** The hand-offs of the shot as it is now, and their state. */
export function handOffs({ status, shot, refreshStatus }: ShotState): { rows: HandOffRow[]; refresh: () => void } {
  const name = (shot?.name ?? 'shot').replace(/[^\w .-]+/g, '-')
  const rows = (['final', 'look'] as const).flatMap((quality) =>
    (['movie', 'exr'] as const).map((form): HandOffRow => {
      const one = status?.handOffs[`${form}-${quality}`]
      const busy = one?.state === 'running' || one?.state === 'waiting'
      const size = typeof one?.bytes === 'number' ? `${(one.bytes / 2 ** 20).toFixed(1)} MB` : ''
      return {
        title: `${form === 'movie' ? 'Movie, H.264' : 'OpenEXR sequence'}, ${quality === 'final' ? 'final' : 'first look'}`,
        form,
        quality,
        busy,
        error: one?.state === 'failed',
        text:
          one?.state === 'failed'
            ? `${one.error?.message ?? 'failed'} ${one.error?.remedy ?? ''}`
            : busy
              ? one.state === 'running'
                ? 'writing'
                : 'waiting for its frames'
              : one?.state === 'done'
                ? size
                : 'not made yet',
        ...(one?.state === 'done'
          ? {
              download: `/api/results/${one.key}/0?as=${encodeURIComponent(`${name}-${quality}.${form === 'movie' ? 'mp4' : 'exr.zip'}`)}`,
            }
          : {}),
      }
    }),
  )
  return { rows, refresh: () => void refreshStatus() }
}
