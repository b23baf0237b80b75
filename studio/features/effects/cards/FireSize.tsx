'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { CardItem } from '@lantern/core/effects/cards'
import { isGas } from '@lantern/core/effects/gas'
import { length, subtract } from '@lantern/core/math'
import { proposedSize } from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import { Press } from '@/ui/Press.tsx'
import { usePlateFiles } from '../../plate/plateFiles.ts'
import { useShot, useShotParts } from '../../shot/shotStore.ts'
import { inputsNow } from '../../shot/world.ts'

const rounded = (value: number): string => Number(value.toPrecision(2)).toLocaleString('en')
const metres = (value: number): string => `${rounded(value)} m`

/** The fire that a card stands in: the nearest computed one, within its own height. */
function fireBeside(
  { items }: Pick<ShotDocument, 'items'>,
  { position, height }: CardItem,
): [string, string] | undefined {
  const near = Object.entries(items).flatMap(([key, one]) => {
    const away = isGas(one) && one.shown ? length(subtract(one.position, position)) : Infinity
    return away < height ? [{ key, name: one.name, away }] : []
  })
  const [first] = near.sort((a, b) => a.away - b.away)
  return first && [first.key, first.name]
}

/** How large a filmed fire is to stand, told by its own speed; once its light is read. */
export function FireSize({ id, item }: { id: string; item: CardItem }) {
  const { shot, status, edit } = useShotParts('shot', 'status', 'edit')
  const { readings } = usePlateFiles()
  const found = Object.entries(shot?.document.readings ?? {}).find(
    ([, { area }]) => area.kind === 'clip' && area.card === id,
  )
  const taken = readings[status?.readings.areas[found?.[0] ?? '']?.reading.key ?? '']
  if (!shot || !taken?.fire || item.far !== 'in the set' || item.there !== 'on black') return null
  const { pulse, rise } = proposedSize(item, taken)
  if (!pulse && !rise) return null
  const beside = fireBeside(shot.document, item)
  const take = (height: number): void => edit({ items: { [id]: { height: Math.round(1000 * height) / 1000 } } })
  return (
    <Box
      as="section"
      aria-label="Size by its speed"
      padding="6px 14px"
      borderBottomWidth="1px"
      borderColor="hair"
      data-hint="Fires pulse slower and rise faster the larger they are: what was filmed tells how large it was."
    >
      {pulse && (
        <Flex gap="6px" align="center" justify="space-between">
          <Text className="num" color="fact">
            pulses {rounded(pulse.hertz)} Hz: a fire {metres(pulse.wide)} wide
          </Text>
          <Press disabled={item.locked} onClick={() => take(pulse.height)}>
            {metres(pulse.height)} high
          </Press>
        </Flex>
      )}
      {rise && (
        <Flex gap="6px" align="center" justify="space-between">
          <Text className="num" color="fact">
            rises {rounded(rise.own)} m/s near its base; fire so high up {rounded(rise.law)}
          </Text>
          <Press disabled={item.locked} onClick={() => take(rise.height)}>
            {metres(rise.height)} high
          </Press>
        </Flex>
      )}
      {beside && <Beside item={beside[0]} name={beside[1]} />}
    </Box>
  )
}

/** How often the computed fire pulses that a card stands in. */
function Beside({ item, name }: { item: string; name: string }) {
  const state = useShot()
  const hertz = inputsNow(state).figure?.(item, 'pulse', state.frame)
  return (
    <Text className="num" color="soft">
      {name} here pulses {hertz === undefined ? 'at what is not known yet' : `${rounded(hertz)} Hz`}
    </Text>
  )
}
