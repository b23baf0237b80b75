'use client'
import { Box, Text } from '@chakra-ui/react'
import type { CardItem } from '@lantern/core/effects/cards'
import { Choice } from '@/ui/Choice.tsx'
import { useShotParts } from '../../shot/shotStore.ts'
import { TrackWays } from '../TrackWays.tsx'

/** The flat track by hand that a card goes with. */
export function Stuck({ id, item }: { id: string; item: CardItem }) {
  const { shot, status, frame, edit } = useShotParts('shot', 'status', 'frame', 'edit')
  const hands = Object.entries(shot?.document.match.hands ?? {}).filter(([, { keys }]) => keys[0]?.places.length === 4)
  const { stuck } = item
  if (hands.length === 0 && !stuck) return null
  const put = (change: Partial<NonNullable<CardItem['stuck']>> | null): void =>
    edit({ items: { [id]: { stuck: change } } })
  const followed = stuck && status?.match.hands[stuck.track]?.state === 'done'
  return (
    <Box padding="6px 14px" borderBottomWidth="1px" borderColor="hair" display="grid" gap="3px">
      <Box display="grid" gridTemplateColumns="62px 1fr" gap="6px" alignItems="center">
        <span>Stuck to</span>
        <Choice
          aria-label="Stuck to"
          value={stuck?.track ?? ''}
          disabled={item.locked}
          onChange={({ target }) => put(target.value ? { track: target.value, frame } : null)}
        >
          <option value="">nothing</option>
          {hands.map(([hand, { name }]) => (
            <option key={hand} value={hand}>
              {name}
            </option>
          ))}
        </Choice>
      </Box>
      {stuck && <TrackWays flat way={stuck.way} takes={stuck.takes} disabled={item.locked} onChange={put} />}
      {stuck && (
        <Text color={followed ? 'fact' : 'wrong'}>
          {followed
            ? `Stands as it is seen at ${stuck.frame}, and goes with the track from there.`
            : 'That track is not followed yet: follow it at Match.'}
        </Text>
      )}
    </Box>
  )
}
