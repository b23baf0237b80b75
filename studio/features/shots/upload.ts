import { LanternError } from '@lantern/core/base'
import type { Asset } from '@lantern/store'
import { call } from '../api.ts'

const NUMBERED = /^(.*?)\d+\.(png|jpe?g|tiff?|exr)$/i
const PICTURE = /\.(png|jpe?g|tiff?|exr)$/i
const WAIT_MS = 500

/** Whether files are stills, which don't tell their rate, and not a movie. */
export const areStills = (files: readonly File[]): boolean => files.length > 1 || PICTURE.test(files[0]?.name ?? '')

/** A name for a new shot out of its files' names. */
export function shotNameFor(files: readonly File[]): string {
  const name = files[0]?.name ?? 'Shot'
  const base = files.length > 1 ? (NUMBERED.exec(name)?.[1] ?? name) : name.replace(/\.[^.]*$/, '')
  return (
    base
      .replace(/[._-]+$/, '')
      .replace(/[\\/]/g, ' ')
      .slice(0, 80) || 'Shot'
  )
}

const COMMON_RATES: readonly (readonly [number, number])[] = [
  [24_000, 1001],
  [30_000, 1001],
  [48_000, 1001],
  [60_000, 1001],
]

/** Frames a second as a fraction: 23.976 and its like as what they stand for. Undefined where the text is no rate. */
export function rateOf(text: string): [number, number] | undefined {
  const rate = Number(text.replace(',', '.'))
  if (!(rate >= 1 && rate <= 1000)) return undefined
  const common = COMMON_RATES.find(([a, b]) => Math.abs(a / b - rate) < 0.005 && !Number.isInteger(rate))
  return common ? [common[0], common[1]] : Number.isInteger(rate) ? [rate, 1] : [Math.round(rate * 1000), 1000]
}

const LAST_RATE = 'lantern-stills-rate'
/** The rate that stills were given last. */
export const lastRate = (): string => globalThis.localStorage?.getItem(LAST_RATE) ?? '24'
export const keepRate = (text: string): void => globalThis.localStorage?.setItem(LAST_RATE, text)

export interface Sent {
  makes?: string
  rate?: [number, number]
}

/** Announces a plate's files and sends what of them is not there yet: files that were cut off go on where they were. Returns the plate's id. progress: share and what goes on. Throws LanternError. */
export async function sendFiles(
  files: readonly File[],
  { makes, rate }: Sent,
  progress: (share: number, what: string) => void,
): Promise<string> {
  const { asset, received } = await call<{ asset: string; received: Record<string, number> }>('/api/plates', {
    json: { files: files.map(({ name, size }) => ({ name, bytes: size })), makes, rate },
  })
  const all = files.reduce((sum, file) => sum + file.size, 0)
  let sent = 0
  for (const file of files) {
    progress(sent / Math.max(1, all), `Sending ${file.name}`)
    const from = received[file.name] ?? 0
    // Also where all of it is there: with the last one the reading begins.
    await call(`/api/plates/${asset}/${encodeURIComponent(file.name)}?from=${from}`, {
      method: 'PUT',
      body: from > 0 ? file.slice(from) : file,
    })
    sent += file.size
  }
  progress(1, 'Sent')
  return asset
}

/** Sends a matte's files and waits until all frames are read. As sendFiles. */
export async function takeInFrames(
  files: readonly File[],
  progress: (share: number, what: string) => void,
): Promise<Asset & { id: string }> {
  const asset = await sendFiles(files, {}, (share, what) => progress(0.5 * share, what))
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
