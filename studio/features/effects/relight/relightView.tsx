'use client'
import { Box, Text } from '@chakra-ui/react'
import type { RelightItem } from '@lantern/core/effects/relight'
import { isMatte } from '@lantern/core/mattes'
import { UserRound } from 'lucide-react'
import type { ItemView } from '../../items/view.ts'
import { useShotParts } from '../../shot/shotStore.ts'

/** What keeps it from being lit, in words. */
function Missing({ item }: { item: RelightItem }) {
  const { shot } = useShotParts('shot')
  const { items = {} } = shot?.document ?? {}
  const matte = items[item.matte]
  const some = Object.values(items).some(isMatte)
  const wrong = !some
    ? 'There is no matte yet: draw one round the subject at Mattes, then choose it here.'
    : !isMatte(matte)
      ? 'Choose the matte of what is lit.'
      : matte.stands === 'nowhere' && item.distance === 0 && item.directions === 'rounded'
        ? 'Its matte stands nowhere: say how far away it stands, or let the matte stand on its foot.'
        : undefined
  if (!wrong) return null
  return (
    <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair">
      <Text color="wrong" role="status">
        {wrong}
      </Text>
    </Box>
  )
}

/** How light on what was filmed is shown. */
export const RELIGHT_VIEW: ItemView<RelightItem> = {
  icon: UserRound,
  kindName: 'relight',
  describe: ({ by }) => `lit by ${by === 'both' ? 'the shot and a side' : by === 'a side' ? 'a side' : 'the shot'}`,
  panel: ({ item }) => <Missing item={item} />,
  outline: () => '',
  radius: () => 0,
  // Nothing of it is kept.
  stripRows: () => [],
}
