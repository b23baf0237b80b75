'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { GasItem } from '@lantern/core/effects/gas'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { useShotParts } from '../../shot/shotStore.ts'

const AXES = ['right', 'up', 'near'] as const
const triple = (values: readonly number[] | undefined, other: readonly number[]): [number, number, number] =>
  [0, 1, 2].map((n) => values?.[n] ?? other[n] ?? 0) as [number, number, number]

/** Frames or a region that are kept alone while one works on them. */
export function Part({ id, item }: { id: string; item: GasItem }) {
  const { shot, loop, edit } = useShotParts('shot', 'loop', 'edit')
  const { part, position, reach, rise } = item
  const plate = shot?.document.plate
  if (!plate) return null
  const [low, high] = [
    triple(
      part?.low,
      position.map((v, n) => v - (n === 1 ? 0 : reach)),
    ),
    triple(
      part?.high,
      position.map((v, n) => v + (n === 1 ? rise || reach : reach)),
    ),
  ]
  const region = part?.low || part?.high
  const corner = (which: 'low' | 'high', values: readonly number[], label: string) => (
    <Box key={which} display="grid" gridTemplateColumns="62px 1fr" gap="6px" alignItems="center">
      <span>{label}</span>
      <Flex gap="3px">
        {AXES.map((axis, n) => (
          <Box key={axis} flex="1" minWidth="0">
            <NumberField
              label={`${label}, ${axis}`}
              value={values[n] ?? 0}
              step={0.1}
              onValue={(next) =>
                edit({
                  items: { [id]: { part: { low, high, [which]: values.map((old, m) => (m === n ? next : old)) } } },
                })
              }
            />
          </Box>
        ))}
      </Flex>
    </Box>
  )
  const whole = loop[0] <= plate.first && loop[1] >= plate.last
  return (
    <Box marginTop="5px">
      <Flex gap="5px" wrap="wrap" align="center">
        {part?.frames ? (
          <Press onClick={() => edit({ items: { [id]: { part: region ? { frames: null } : null } } })}>
            All frames again
          </Press>
        ) : (
          <Press
            disabled={whole}
            title="Set a loop on the strip first"
            onClick={() => edit({ items: { [id]: { part: { frames: [...loop] } } } })}
          >
            {whole ? 'Loop’s frames alone' : `${loop[0]}–${loop[1]} alone`}
          </Press>
        )}
        {region ? (
          <Press onClick={() => edit({ items: { [id]: { part: part?.frames ? { low: null, high: null } : null } } })}>
            Whole reach again
          </Press>
        ) : (
          <Press onClick={() => edit({ items: { [id]: { part: { low, high } } } })}>A region alone</Press>
        )}
      </Flex>
      {part?.frames && (
        <Text className="num" color="soft">
          kept alone: {part.frames[0]}–{part.frames[1]}
        </Text>
      )}
      {region && (
        <Flex direction="column" gap="3px" marginTop="4px">
          {corner('low', low, 'From')}
          {corner('high', high, 'To')}
        </Flex>
      )}
    </Box>
  )
}
