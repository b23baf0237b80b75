'use client'
import { Text } from '@chakra-ui/react'
import { borders } from '@lantern/core/cards'
import type { FloatImage } from '@lantern/core/data'
import { type CardItem, cardInstances, cutOut } from '@lantern/core/effects/cards'
import { useEffect, useMemo, useState } from 'react'
import { useShotParts } from '../../shot/shotStore.ts'
import { frameOfClip } from './clips.ts'

const SIDES = ['top', 'right', 'bottom', 'left'] as const
/** More of it than this on a side is seen as a cut edge. */
const SEEN = 0.02

/** A clip's first, middle and last frames. */
function useFrames(clip: CardItem['clip']): readonly FloatImage[] {
  const [frames, setFrames] = useState<readonly FloatImage[]>([])
  useEffect(() => {
    let gone = false
    setFrames([])
    if (!clip) return
    const wanted = [...new Set([clip.first, Math.floor((clip.first + clip.last) / 2), clip.last])]
    Promise.all(wanted.map((frame) => frameOfClip(clip, frame))).then(
      (all) => gone || setFrames(all),
      // Without them nothing is said of its borders.
      () => undefined,
    )
    return () => {
      gone = true
    }
  }, [clip])
  return frames
}

/** Says which sides of the filmed frame cut the element off, before the soft border. */
export function Borders({ id, item }: { id: string; item: CardItem }) {
  const { shot } = useShotParts('shot')
  const frames = useFrames(item.clip)
  const { there, feather, clip } = item
  const first = clip?.first
  const most = useMemo(() => {
    if (!shot || first === undefined || there === 'all of it' || there === 'with alpha' || there === 'by a matte')
      return undefined
    const begins = item.begins || shot.document.plate.first
    const look = cardInstances(shot.document, id, begins, {})[0]?.look
    if (!look || frames.length === 0) return undefined
    const all = frames.map((image) => borders(cutOut(image, { ...look, feather: 0 })))
    return SIDES.map((_, n) => Math.max(...all.map((one) => one[n] ?? 0)))
  }, [shot, id, item.begins, first, there, frames])
  if (there === 'with alpha' && clip && !clip.alpha)
    return (
      <Text color="wrong">
        This clip has no alpha, so all of its frame is there: choose how it was filmed, or take in one with alpha.
      </Text>
    )
  if (!most) return null
  const cut = SIDES.filter((_, n) => (most[n] ?? 0) > SEEN)
  if (cut.length === 0) return <Text color="fact">Its borders are clean.</Text>
  const share = Math.round(100 * Math.max(...most))
  return (
    <Text color={feather > 0 ? 'soft' : 'wrong'} data-borders={cut.join(' ')}>
      Its {cut.join(', ')} {cut.length > 1 ? 'sides are' : 'side is'} never clear (up to {share} % of it is there)
      {feather > 0 ? `; softened over ${feather} %.` : ': give it a soft border.'}
    </Text>
  )
}
