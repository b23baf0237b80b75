'use client'
import { Flex, Text } from '@chakra-ui/react'
import type { CardItem } from '@lantern/core/effects/cards'
import { Press } from '@/ui/Press.tsx'
import { useShotParts } from '../../shot/shotStore.ts'

/** Draws the area over which a card's copies are spread. */
export function Copies({ id, item }: { id: string; item: CardItem }) {
  const { tool, set, edit } = useShotParts('tool', 'set', 'edit')
  if (item.copies < 2 || item.spread !== 'in the drawn area') return null
  return (
    <Flex gap="6px" align="center" padding="6px 14px" borderBottomWidth="1px" borderColor="hair">
      <Press
        disabled={item.locked}
        aria-pressed={tool === 'area'}
        onClick={() => set({ chosen: id, tool: tool === 'area' ? 'choose' : 'area' })}
      >
        {item.area ? 'Draw another area' : 'Draw the area'}
      </Press>
      {item.area && (
        <Press disabled={item.locked} onClick={() => edit({ items: { [id]: { area: null } } })}>
          Take it away
        </Press>
      )}
      <Text color={item.area ? 'soft' : 'wrong'}>
        {item.area ? `${item.area.length} corners on the set` : 'No area yet: they stand about its place.'}
      </Text>
    </Flex>
  )
}
