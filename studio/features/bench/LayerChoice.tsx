'use client'
import { Box } from '@chakra-ui/react'
import { isCard } from '@lantern/core/effects/cards'
import { isPiece, isThing } from '@lantern/core/set'
import { isDrawn, layerIdOf, type ShotItem } from '@lantern/core/shot'
import { Choice } from '@/ui/Choice.tsx'
import { Press } from '@/ui/Press.tsx'
import { makeReading } from '../plate/readings.ts'
import { useShotParts } from '../shot/shotStore.ts'

/** Which layer of the picture an item is drawn into: its own, or another one's. */
export function LayerChoice({ id, item }: { id: string; item: ShotItem }) {
  const { shot, edit, set } = useShotParts('shot', 'edit', 'set')
  if (!shot || !isDrawn(item)) return null
  const others = Object.entries(shot.document.items).filter(([key, one]) => key !== id && isDrawn(one))
  const beside = item.group ? others.find(([, one]) => one.group === item.group)?.[0] : undefined
  const join = (other: string): void => {
    const there = shot.document.items[other]
    if (!there) return edit({ items: { [id]: { group: null } } })
    const group = there.group ?? `layer-${crypto.randomUUID().slice(0, 6)}`
    edit({ items: { [id]: { group }, ...(there.group ? {} : { [other]: { group } }) } })
  }
  const layer = layerIdOf(id, item)
  const reading = Object.entries(shot.document.readings).find(
    ([, { area }]) => area.kind === 'layer' && area.layer === layer,
  )
  return (
    <>
      {others.length > 0 && (
        <Box
          display="grid"
          gridTemplateColumns="62px 1fr"
          alignItems="center"
          gap="6px"
          marginTop="6px"
          data-hint="Items of one layer are laid over the plate together, and handed off as one."
        >
          <span>Layer</span>
          <Choice
            aria-label="Layer"
            value={beside ?? ''}
            disabled={item.locked}
            onChange={(event) => join(event.target.value)}
          >
            <option value="">its own</option>
            {others.map(([key, one]) => (
              <option key={key} value={key}>
                with {one.name}
              </option>
            ))}
          </Choice>
        </Box>
      )}
      {!isPiece(item) && !isThing(item) && !isCard(item) && item.kind !== 'relight' && (
        <Press
          data-hint="How bright it is frame by frame, so that lights and settings can follow it."
          onClick={() =>
            reading
              ? set({ station: 'Plate', chosen: `reading.${reading[0]}` })
              : makeReading({ kind: 'layer', layer }, `Light of ${item.name}`.slice(0, 80))
          }
        >
          {reading ? 'Its light’s reading' : 'Read its light'}
        </Press>
      )}
    </>
  )
}
