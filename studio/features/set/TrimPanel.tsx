'use client'
import { Box, Flex, Grid, Text } from '@chakra-ui/react'
import type { ThingItem } from '@lantern/core/set'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { useShotParts } from '../shot/shotStore.ts'
import { otherSide, SIDES, trimOff, trimWith } from './trim.ts'

/** What is cut off a thing: so much of each side, and along lines that are drawn over the picture. */
export function TrimPanel({ id, item }: { id: string; item: ThingItem }) {
  const { edit, preview, set, tool } = useShotParts('edit', 'preview', 'set', 'tool')
  const { trim, cuts = [], locked } = item
  const whole = !trim && cuts.length === 0
  const putCuts = (next: readonly unknown[]): void => edit({ items: { [id]: { cuts: next.length > 0 ? next : null } } })
  return (
    <details style={{ padding: '6px 14px', borderBottom: '1px solid #262626' }} open={!whole || tool === 'trim'}>
      <summary style={{ cursor: 'pointer' }}>{whole ? 'Trim' : 'Trimmed'}</summary>
      <Text color="faint">Off each side, in % of what the file holds.</Text>
      <Grid templateColumns="1fr 1fr" columnGap="10px" marginTop="4px">
        {SIDES.map((side) => (
          <Grid key={side[0]} templateColumns="52px 1fr" alignItems="center">
            <Text color="soft">{side[0]}</Text>
            <NumberField
              label={`Off ${side[0].toLowerCase()}`}
              value={trimOff(trim, side)}
              unit="%"
              step={0.5}
              span={[0, 100]}
              minimum={0}
              maximum={99}
              initial={0}
              onValue={(value, final) =>
                (final ? edit : preview)({ items: { [id]: { trim: trimWith(trim, side, value) ?? null } } })
              }
            />
          </Grid>
        ))}
      </Grid>
      <Flex gap="6px" marginTop="6px" wrap="wrap">
        <Press
          aria-pressed={tool === 'trim'}
          disabled={locked}
          onClick={() => set({ tool: tool === 'trim' ? 'choose' : 'trim' })}
        >
          Cut along a line
        </Press>
        {!whole && (
          <Press disabled={locked} onClick={() => edit({ items: { [id]: { trim: null, cuts: null } } })}>
            All of it again
          </Press>
        )}
      </Flex>
      {tool === 'trim' && <Text color="soft">Click two places: the cut goes through both, away from you.</Text>}
      {cuts.map((cut, n) => (
        <Flex key={JSON.stringify(cut)} gap="6px" align="center" marginTop="4px">
          <Box flex="1" color="soft">
            Cut {n + 1}
          </Box>
          <Press disabled={locked} onClick={() => putCuts(cuts.map((one, k) => (k === n ? otherSide(one) : one)))}>
            Other side
          </Press>
          <Press disabled={locked} onClick={() => putCuts(cuts.filter((_, k) => k !== n))}>
            Take back
          </Press>
        </Flex>
      ))}
    </details>
  )
}
