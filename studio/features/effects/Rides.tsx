'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { Item, Ride } from '@lantern/core/settings'
import { ITEM_SCHEMAS, kindInfo, type ShotItem } from '@lantern/core/shot'
import { Choice } from '@/ui/Choice.tsx'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { useShot, useShotParts } from '../shot/shotStore.ts'
import { TrackWays } from './TrackWays.tsx'

const THEN = [
  ['own', 'then its own way'],
  ['flight', 'then flies free'],
] as const

/** What may hold an item: things and pieces that have a place, matched objects, and tracks set by hand. */
function holders(id: string): [string, string][] {
  const { shot } = useShot.getState()
  if (!shot) return []
  const { items, match } = shot.document
  return [
    ...Object.entries(items).flatMap(([key, item]): [string, string][] =>
      key !== id && kindInfo(item).station !== 'Effects' && item.kind !== 'ground' ? [[key, item.name]] : [],
    ),
    ...Object.entries(match.things).map(([key, { name }]): [string, string] => [`match.${key}`, `${name}, matched`]),
    ...Object.entries(match.hands).map(([key, { name }]): [string, string] => [`track.${key}`, `${name}, tracked`]),
  ]
}

/** How it goes with a track, and whether that is followed. */
function OnTrack({ ride, locked, onChange }: { ride: Ride; locked: boolean; onChange(over: Partial<Ride>): void }) {
  const { shot, status } = useShotParts('shot', 'status')
  const id = ride.on.slice('track.'.length)
  const flat = shot?.document.match.hands[id]?.keys[0]?.places.length === 4
  const followed = status?.match.hands[id]?.state === 'done'
  return (
    <>
      <TrackWays
        flat={flat}
        way={ride.way ?? 'perspective'}
        takes={ride.takes ?? 'travel'}
        disabled={locked}
        onChange={onChange}
      />
      <Text color={followed ? 'fact' : 'wrong'}>
        {followed
          ? 'Goes with the track, as far away as it was.'
          : 'That track is not followed yet: follow it at Match.'}
      </Text>
    </>
  )
}

/** What holds an item, from which frame to which, and how it goes on. */
export function Rides({ id, item }: { id: string; item: ShotItem }) {
  const { shot, frame, edit, set } = useShotParts('shot', 'frame', 'edit', 'set')
  if (!shot || !('rides' in ITEM_SCHEMAS[item.kind].shape)) return null
  const { rides = [] }: Item = item
  const all = holders(id)
  const { last } = shot.document.plate
  const put = (next: readonly Ride[]): void => edit({ items: { [id]: { rides: next.length > 0 ? next : null } } })
  const change = (n: number, over: Partial<Ride>): void => {
    const next = rides.map((one, m) => (m === n ? { ...one, ...over } : one))
    if (next.some((one, m) => one.to < one.from || (m > 0 && one.from <= (next[m - 1]?.to ?? 0))))
      set({ message: { text: 'One holds it at a time: from before to, each after the one above.', good: false } })
    else put(next)
  }
  const addRide = (): void => {
    const [first] = all
    const from = Math.max(frame, (rides.at(-1)?.to ?? frame - 1) + 1)
    if (first && from <= last) put([...rides, { on: first[0], from, to: Math.min(last, from + 24), ends: 'own' }])
    else
      set({
        message: {
          text: first ? 'No frame is left after the last one.' : 'Nothing is there that could hold it.',
          good: false,
        },
      })
  }
  return (
    <Box
      as="section"
      aria-label="Riding"
      padding="8px 14px"
      borderTopWidth="1px"
      borderColor="hair"
      data-hint="Held by another thing over some frames; it is taken where it is, and goes on from where it is let go."
    >
      <Flex justify="space-between" align="center">
        <Text color="soft" fontWeight="600" fontSize="12px">
          Riding
        </Text>
        <Press disabled={item.locked || all.length === 0} onClick={addRide}>
          Hold from here
        </Press>
      </Flex>
      {rides.map((one, n) => (
        <Box key={one.from} marginTop="6px" data-ride={n}>
          <Flex gap="5px">
            <Choice
              aria-label="Held by"
              value={one.on}
              disabled={item.locked}
              flex="1"
              onChange={(event) => change(n, { on: event.target.value })}
            >
              {all.map(([key, name]) => (
                <option key={key} value={key}>
                  {name}
                </option>
              ))}
            </Choice>
            <Press disabled={item.locked} aria-label="Let it go" onClick={() => put(rides.filter((_, m) => m !== n))}>
              ×
            </Press>
          </Flex>
          {one.on.startsWith('track.') && (
            <OnTrack ride={one} locked={item.locked} onChange={(over) => change(n, over)} />
          )}
          <Flex gap="5px" marginTop="4px" align="center">
            {(['from', 'to'] as const).map((end) => (
              <Box key={end} width="64px">
                <NumberField
                  label={`Held ${end}`}
                  value={one[end]}
                  step={1}
                  span={[shot.document.plate.first, last]}
                  onValue={(value, final) => final && change(n, { [end]: Math.round(value) })}
                />
              </Box>
            ))}
            <Choice
              aria-label="Afterwards"
              value={one.ends}
              disabled={item.locked}
              flex="1"
              onChange={(event) => change(n, { ends: event.target.value as Ride['ends'] })}
            >
              {THEN.map(([key, name]) => (
                <option key={key} value={key}>
                  {name}
                </option>
              ))}
            </Choice>
          </Flex>
        </Box>
      ))}
    </Box>
  )
}
