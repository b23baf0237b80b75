'use client'
import { Flex } from '@chakra-ui/react'
import { Press } from '@/ui/Press.tsx'
import { type Tool, useShotParts } from '../shot/shotStore.ts'

/** Tools that measure the plate's haze by clicks. */
export function HazeFromPlate() {
  const { tool, set } = useShotParts('tool', 'set')
  const pick = (one: Tool, text: string): void =>
    set(tool === one ? { tool: 'choose' } : { tool: one, message: { text, good: true } })
  return (
    <Flex
      gap="6px"
      padding="2px 14px 8px"
      wrap="wrap"
      data-hint="Its colour from what is furthest away; how thick it is from one material seen near by and far away."
    >
      <Press
        aria-pressed={tool === 'haze-colour'}
        onClick={() => pick('haze-colour', 'Click the horizon, or whatever is furthest away.')}
      >
        Pick haze colour
      </Press>
      <Press
        aria-pressed={tool === 'haze-near' || tool === 'haze-far'}
        onClick={() => pick('haze-near', 'Click a patch of some material near by, then the same far away.')}
      >
        Two patches
      </Press>
    </Flex>
  )
}
