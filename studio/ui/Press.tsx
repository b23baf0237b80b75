'use client'
import { chakra } from '@chakra-ui/react'

/** A plain button: square, quiet; `aria-pressed` shows in near-white. */
export const Press = chakra('button', {
  base: {
    fontSize: '12px',
    color: 'soft',
    paddingInline: '7px',
    paddingBlock: '2px',
    borderWidth: '1px',
    borderColor: 'line',
    background: 'transparent',
    whiteSpace: 'nowrap',
    _hover: { color: 'text', background: 'raised' },
    _pressed: { color: 'text', borderColor: 'soft' },
    _disabled: { opacity: 0.5, _hover: { background: 'transparent' } },
  },
  variants: {
    plain: { true: { borderColor: 'transparent', paddingInline: '4px' } },
    main: { true: { color: 'text', borderColor: 'soft' } },
  },
})
