'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { LampItem } from '@lantern/core/set'
import { type Following, MOST_FOLLOWED } from '@lantern/core/settings'
import { Choice } from '@/ui/Choice.tsx'
import { NumberField } from '@/ui/NumberField.tsx'
import { signalOfReading } from '../effects/signals.ts'
import { usePlateFiles } from '../plate/plateFiles.ts'
import { useShot } from '../shot/shotStore.ts'
import { meanOfReading } from '../shot/world.ts'

/** The most and least that a light follows a reading with. */
const [LEAST, MOST] = [0.1, 10]

/** A lamp that goes with what was read of the plate or of a clip: its power with how bright that is, its filter with its colour. */
export function FollowReading({ id, item }: { id: string; item: LampItem }) {
  const state = useShot()
  // Readings come by themselves: with each it is looked again which may be chosen.
  usePlateFiles()
  const { shot, edit } = state
  if (!shot) return null
  const { readings, signals } = shot.document
  const level = item.follows?.lumens
  const source = level && signals[level.signal]?.source
  const reading = source?.kind === 'reading' ? source.reading : ''
  const coloured = item.follows?.tint?.takes === 'colour'
  if (Object.keys(readings).length === 0) return null
  const known = meanOfReading(state, reading) !== undefined
  const mean = (of: string): number => meanOfReading(state, of) ?? 1
  const put = (follows: Record<string, Partial<Following> | null>, made: object = {}): void =>
    edit({ ...made, items: { [id]: { follows } } })
  const choose = (of: string): void => {
    if (of === '') return put({ lumens: null, tint: null })
    const { signal, made } = signalOfReading(shot.document, of)
    const gain = Math.min(MOST_FOLLOWED, item.lumens / mean(of))
    put({ lumens: { signal, gain, offset: 0 }, tint: { signal, takes: 'colour', gain: 1, offset: 0 } }, made)
  }
  const strength = level ? (level.gain * mean(reading)) / Math.max(1e-6, item.lumens) : 1
  const both = (change: Partial<Following>): void => put({ lumens: change, ...(coloured ? { tint: change } : {}) })
  return (
    <Box marginTop="8px" display="grid" gap="3px" role="group" aria-label="Follows a reading">
      <Box display="grid" gridTemplateColumns="62px 1fr" gap="6px" alignItems="center">
        <span>Follows</span>
        <Choice
          aria-label="Follows"
          value={reading}
          disabled={item.locked}
          onChange={(event) => choose(event.target.value)}
        >
          <option value="">nothing</option>
          {Object.entries(readings).map(([one, { name }]) => (
            // Without its mean it would not be known how bright the lamp is to be.
            <option key={one} value={one} disabled={meanOfReading(state, one) === undefined}>
              {name}
              {meanOfReading(state, one) === undefined ? ' (not taken yet)' : ''}
            </option>
          ))}
        </Choice>
      </Box>
      {level && reading && !known && (
        <Text color="soft">Its reading is not taken yet: till then it shines as it is set.</Text>
      )}
      {level && reading && known && (
        <>
          <Box display="grid" gridTemplateColumns="1fr 1fr 1fr" gap="3px 8px">
            <NumberField
              label="Strength"
              value={Number(strength.toPrecision(3))}
              unit="×"
              step={0.05}
              minimum={LEAST}
              maximum={MOST}
              initial={1}
              onValue={(value, final) =>
                final && put({ lumens: { gain: Math.min(MOST_FOLLOWED, (value * item.lumens) / mean(reading)) } })
              }
            />
            <NumberField
              label="Smoothed over"
              value={level.smoothing}
              unit="fr"
              step={1}
              minimum={0}
              maximum={240}
              initial={0}
              onValue={(smoothing, final) => final && both({ smoothing })}
            />
            <NumberField
              label="Later by"
              value={level.delay}
              unit="fr"
              step={1}
              initial={0}
              onValue={(delay, final) => final && both({ delay })}
            />
          </Box>
          <Flex color="faint" fontSize="12px" justify="space-between">
            <span>strength</span>
            <span>smoothed</span>
            <span>later</span>
          </Flex>
          <label style={{ display: 'flex', gap: 6, alignItems: 'center' }}>
            <input
              type="checkbox"
              checked={coloured}
              onChange={(event) =>
                put({
                  tint: event.target.checked
                    ? { signal: level.signal, takes: 'colour', gain: 1, smoothing: level.smoothing, delay: level.delay }
                    : null,
                })
              }
              style={{ accentColor: '#9a9a9a' }}
            />
            its colour too
          </label>
        </>
      )}
    </Box>
  )
}
