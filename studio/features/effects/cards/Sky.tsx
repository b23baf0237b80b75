'use client'
import { Flex } from '@chakra-ui/react'
import { pixelRay } from '@lantern/core/data'
import { type CardItem, plateClip } from '@lantern/core/effects/cards'
import { Press } from '@/ui/Press.tsx'
import { cameraNow, useShot, useShotParts } from '../../shot/shotStore.ts'
import { frameOfClip } from './clips.ts'

/** How high over the horizon the plate's air is looked at, as the sine of that. */
const BAND = [0, 0.06] as const

/** The plate's colour at the horizon, as light: the middle of what lies just above it; undefined where the frame shows none of it. */
async function horizonColour(): Promise<[number, number, number] | undefined> {
  const { shot, frame } = useShot.getState()
  const camera = cameraNow(useShot.getState(), frame)
  const clip = shot && plateClip(shot.document)
  if (!camera || !clip) return undefined
  const { width, height, channels, data } = await frameOfClip(clip, frame)
  const seen: [number, number, number][] = []
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x += 4) {
      const { along } = pixelRay(camera, ((x + 0.5) * camera.width) / width, ((y + 0.5) * camera.height) / height)
      const rise = along[1] / Math.hypot(...along)
      if (rise < BAND[0] || rise > BAND[1]) continue
      const n = (y * width + x) * channels
      seen.push([data[n] ?? 0, data[n + 1] ?? 0, data[n + 2] ?? 0])
    }
  const middle = (c: 0 | 1 | 2): number => {
    const sorted = seen.map((one) => one[c]).sort((a, b) => a - b)
    return Math.round(1000 * Math.min(4, sorted[sorted.length >> 1] ?? 0)) / 1000
  }
  return seen.length > 0 ? [middle(0), middle(1), middle(2)] : undefined
}

/** Takes the haze's colour from the plate. */
export function Sky({ id, item }: { id: string; item: CardItem }) {
  const { edit, say, set } = useShotParts('edit', 'say', 'set')
  if (item.far !== 'in the sky' || item.haze <= 0) return null
  const take = async (): Promise<void> => {
    const colour = await horizonColour()
    if (colour) edit({ items: { [id]: { hazeColour: colour } } })
    else set({ message: { text: 'This frame shows nothing at the horizon: go to one that does.', good: false } })
  }
  return (
    <Flex padding="6px 14px" borderBottomWidth="1px" borderColor="hair">
      <Press disabled={item.locked} onClick={() => void take().catch(say)}>
        Haze as at the plate’s horizon
      </Press>
    </Flex>
  )
}
