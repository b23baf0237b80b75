'use client'
import { Box, Text } from '@chakra-ui/react'
import type { CardItem } from '@lantern/core/effects/cards'
import { Choice } from '@/ui/Choice.tsx'
import { useShot } from '../../shot/shotStore.ts'

const WAYS = [
  ['place', 'its place alone'],
  ['turn', 'turned, and as large'],
  ['perspective', 'in perspective'],
] as const
const TAKES = [
  ['travel', 'all of its way'],
  ['jitter', 'its jitter alone'],
] as const

/** The flat track by hand that a card goes with. */
export function Stuck({ id, item }: { id: string; item: CardItem }) {
  const { shot, status, frame, edit } = useShot()
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
      {stuck && (
        <Box display="grid" gridTemplateColumns="1fr 1fr" gap="6px">
          <Choice
            aria-label="Goes"
            value={stuck.way}
            onChange={({ target }) => put({ way: target.value as (typeof WAYS)[number][0] })}
          >
            {WAYS.map(([way, name]) => (
              <option key={way} value={way}>
                {name}
              </option>
            ))}
          </Choice>
          <Choice
            aria-label="Takes"
            value={stuck.takes}
            onChange={({ target }) => put({ takes: target.value as (typeof TAKES)[number][0] })}
          >
            {TAKES.map(([takes, name]) => (
              <option key={takes} value={takes}>
                {name}
              </option>
            ))}
          </Choice>
        </Box>
      )}
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
