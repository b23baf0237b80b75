'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { type MatteItem, strokesInOrder } from '@lantern/core/mattes'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { useShotParts } from '../shot/shotStore.ts'

const TOOLS = [
  ['paint', 'Paint'],
  ['paint-erase', 'Erase'],
] as const

/** Paints a matte on the surfaces of the set, and says what is painted. */
export function PaintPanel({ id, item }: { id: string; item: MatteItem }) {
  const { shot, tool, brush, set, edit } = useShotParts('shot', 'tool', 'brush', 'set', 'edit')
  const strokes = strokesInOrder(item)
  const last = strokes.at(-1)
  const on = [...new Set(strokes.map(([, stroke]) => shot?.document.items[stroke.on]?.name ?? 'what is gone'))]
  const painting = tool === 'paint' || tool === 'paint-erase'
  return (
    <Flex direction="column" gap="6px" marginTop="6px" data-painted={strokes.length}>
      <Flex gap="6px" align="center" wrap="wrap">
        {TOOLS.map(([one, name]) => (
          <Press
            key={one}
            aria-pressed={tool === one}
            disabled={item.locked || (one === 'paint-erase' && strokes.length === 0)}
            onClick={() => set({ tool: tool === one ? 'choose' : one })}
          >
            {name}
          </Press>
        ))}
        {last && (
          <Press disabled={item.locked} onClick={() => edit({ items: { [id]: { painted: { [last[0]]: null } } } })}>
            Remove the last
          </Press>
        )}
        {strokes.length > 0 && (
          <Text className="num" color="fact">
            {strokes.length} {strokes.length === 1 ? 'stroke' : 'strokes'} on {on.join(', ')}
          </Text>
        )}
      </Flex>
      {painting && (
        <>
          <Flex gap="6px">
            <Box flex="1">
              <NumberField
                label="Brush radius"
                value={brush.radius}
                unit="m"
                step={0.01}
                span={[0.02, 2]}
                minimum={0.001}
                maximum={1000}
                initial={0.25}
                onValue={(radius) => set({ brush: { ...brush, radius } })}
              />
            </Box>
            <Box flex="1">
              <NumberField
                label="Brush softness"
                value={Math.round(100 * brush.soft)}
                unit="%"
                step={1}
                span={[0, 100]}
                minimum={0}
                maximum={100}
                initial={30}
                onValue={(soft) => set({ brush: { ...brush, soft: soft / 100 } })}
              />
            </Box>
          </Flex>
          <Text color="faint">
            Drag over a surface of the set, on any frame: it stays there. With Shift in a straight line.
          </Text>
        </>
      )}
    </Flex>
  )
}
