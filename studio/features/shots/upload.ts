import { LanternError } from '@lantern/core/base'
import type { Asset } from '@lantern/store'
import { call } from '../api.ts'

const STILL = /^(.*?)\d+\.(png|jpe?g|tiff?|exr)$/i
const WAIT_MS = 500

/** A name for a new shot out of its files' names. */
export function shotNameFor(files: readonly File[]): string {
  const name = files[0]?.name ?? 'Shot'
  const base = files.length > 1 ? (STILL.exec(name)?.[1] ?? name) : name.replace(/\.[^.]*$/, '')
  return (
    base
      .replace(/[._-]+$/, '')
      .replace(/[\\/]/g, ' ')
      .slice(0, 80) || 'Shot'
  )
}

/** Sends a plate's or a matte's files and waits until all frames are read. progress: 0 to 1 and what is going on. Throws LanternError. */
export async function takeInFrames(
  files: readonly File[],
  progress: (share: number, what: string) => void,
): Promise<Asset & { id: string }> {
  const upload = crypto.randomUUID()
  const all = files.reduce((sum, file) => sum + file.size, 0)
  let sent = 0
  for (const file of files) {
    progress((0.5 * sent) / Math.max(1, all), `Sending ${file.name}`)
    await call(`/api/plates/${upload}/${encodeURIComponent(file.name)}`, { method: 'PUT', body: file })
    sent += file.size
  }
  const { asset } = await call<{ asset: string }>(`/api/plates/${upload}`, { json: {} })
  for (;;) {
    const state = await call<Asset>(`/api/assets/${asset}`)
    if (state.state === 'failed')
      throw new LanternError(
        'plate',
        state.error?.message ?? 'The plate could not be read.',
        state.error?.remedy ?? 'Try another file.',
      )
    progress(
      0.5 + 0.5 * (state.total > 0 ? state.done / state.total : 0),
      state.state === 'waiting' ? 'Waiting for the farm' : `Reading frame ${state.done} of ${state.total}`,
    )
    if (state.state === 'ready') return { ...state, id: asset }
    await new Promise((wake) => setTimeout(wake, WAIT_MS))
  }
}

/** Takes a plate in and makes its shot; its name, which may have been counted on. As takeInFrames. */
export async function takeInPlate(
  files: readonly File[],
  name: string,
  progress: (share: number, what: string) => void,
): Promise<string> {
  const { id: asset } = await takeInFrames(files, progress)
  for (let n = 1; ; n++) {
    try {
      return (
        await call<{ name: string }>('/api/shots', {
          json: { name: n === 1 ? name : `${name.slice(0, 74)} ${n}`, asset },
        })
      ).name
    } catch (error) {
      if (!(error instanceof LanternError) || error.code !== 'shot-name' || n > 50) throw error
    }
  }
}
