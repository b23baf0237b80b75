'use client'
import { Text } from '@chakra-ui/react'
import { cellOf, type GasItem } from '@lantern/core/effects/gas'
import { Keeping } from '../../items/Keeping.tsx'
import { useShotParts } from '../../shot/shotStore.ts'
import { Part } from './Part.tsx'
import { SpeedForSize } from './SpeedForSize.tsx'

/** What is kept of a gas, its draft form, the part that is kept alone, and its speed for its size. */
export function GasPanel({ id, item }: { id: string; item: GasItem }) {
  const { status, drafts } = useShotParts('status', 'drafts')
  const look = drafts[id]
  return (
    <>
      <Keeping id={id}>
        {!item.taken && look && status?.items[id]?.state !== 'done' && (
          <Text className="num" color="faint" marginTop="4px">
            {look.finer ? 'finer' : 'draft'}: {look.finer ? look.fine : look.frames} of {look.of} at{' '}
            {((look.cell || cellOf(item, 'draft')) * 1000).toFixed(0)} mm, {(look.milliseconds / 1000).toFixed(2)} s
            each
          </Text>
        )}
        {!item.taken && <Part id={id} item={item} />}
      </Keeping>
      {!item.taken && <SpeedForSize id={id} item={item} />}
    </>
  )
}
