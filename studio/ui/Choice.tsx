'use client'
import { chakra } from '@chakra-ui/react'

/** A plain choice among a few. */
export const Choice = chakra('select', {
  base: {
    background: 'floor',
    borderWidth: '1px',
    borderColor: 'hair',
    paddingInline: '4px',
    paddingBlock: '2px',
    color: 'text',
    minWidth: 0,
  },
})
