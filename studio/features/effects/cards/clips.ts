import { LanternError } from '@lantern/core/base'
import type { CardItem, ClipOfCard } from '@lantern/core/effects/cards'
import type { Asset, Shot } from '@lantern/store'
import { call, shotPath } from '../../api.ts'
import { useShot } from '../../shot/shotStore.ts'
import { takeInFrames } from '../../shots/upload.ts'

// The filmed frames of a card: taken in, or those of another shot.

/** A clip of what was read of its files. Throws LanternError where it has no frames. */
export function clipOf({ id, file, info }: Asset & { id: string }, curve: ClipOfCard['curve']): ClipOfCard {
  const { first, last, width, height, rate } = info
  if (first === undefined || last === undefined || last < first || !width || !height)
    throw new LanternError('clip', `${file} has no frames.`, 'Take another clip in.', { field: 'clip' })
  const [over, under] = rate ?? [24, 1]
  const encoding = /\.exr$/i.test(file) ? 'linear' : /\.(png|jpe?g|tiff?)$/i.test(file) ? 'srgb' : 'rec709'
  return { shot: '', asset: id, file, first, last, width, height, rate: over / under, encoding, curve }
}

const put = (id: string, clip: ClipOfCard): void =>
  useShot.getState().edit({ items: { [id]: { clip } satisfies Partial<CardItem> } })

/** Takes a clip's files in for a card. Throws LanternError. */
export async function takeClip(id: string, files: readonly File[], say: (what: string) => void): Promise<void> {
  const asset = await takeInFrames(files, (_, what) => say(what))
  const curve = useShot.getState().shot?.document.sit.curve ?? 'clip'
  put(id, clipOf(asset, curve))
}

/** Puts another shot's plate on a card. */
export async function takeShotAsClip(id: string, name: string): Promise<void> {
  const { document } = await call<Shot>(shotPath(name))
  const { asset, file, first, last, width, height, rate, encoding } = document.plate
  const { curve } = document.sit
  put(id, { shot: name, asset, file, first, last, width, height, rate: rate[0] / rate[1], encoding, curve })
}
