'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { Camera } from '@lantern/core/data'
import { add, cross, length, normalise, scale, subtract, type Vec3 } from '@lantern/core/math'
import { kelvinColour, lampCandela } from '@lantern/core/pipeline'
import { type LampItem, lampAxis, lampEdges } from '@lantern/core/set'
import { Lamp } from 'lucide-react'
import { Press } from '@/ui/Press.tsx'
import type { ItemView } from '../items/view.ts'
import { chainPath, circlePoints } from '../picture/lines.ts'
import { useShotParts } from '../shot/shotStore.ts'
import { FollowReading } from './FollowReading.tsx'

/** Shows one light alone, or all again. */
export function AlonePress({ id }: { id: string }) {
  const { alone, set } = useShotParts('alone', 'set')
  return (
    <Press aria-pressed={alone === id} onClick={() => set({ alone: alone === id ? '' : id })}>
      Show alone
    </Press>
  )
}

/** What a lamp does at the place that it shines at, its colour, and what is done with it. */
function LampPanel({ id, item }: { id: string; item: LampItem }) {
  const { tool, set } = useShotParts('tool', 'set')
  const away = Math.max(0.05, length(subtract(item.aim, item.position)))
  const lux = lampCandela(item) / away ** 2
  const [r, g, b] = kelvinColour(item.kelvin).map((part, c) => part * (item.tint[c] ?? 1))
  const most = Math.max(r ?? 1, g ?? 1, b ?? 1, 1e-6)
  const shown = [r, g, b].map((part) => Math.round(255 * ((part ?? 0) / most) ** (1 / 2.2)))
  return (
    <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair">
      <Flex align="center" gap="8px">
        <Box width="14px" height="14px" style={{ background: `rgb(${shown.join()})` }} />
        <Text className="num" color="fact" data-lux>
          {Number(lux.toPrecision(2)).toLocaleString('en')} lx, {away.toFixed(2)} m away
        </Text>
      </Flex>
      <Flex gap="6px" marginTop="8px">
        {item.shape !== 'point' && (
          <Press
            aria-pressed={tool === 'aim'}
            disabled={item.locked}
            onClick={() =>
              set(
                tool === 'aim'
                  ? { tool: 'choose' }
                  : { tool: 'aim', message: { text: 'Click the place that it shines at.', good: true } },
              )
            }
          >
            Aim by a click
          </Press>
        )}
        <AlonePress id={id} />
      </Flex>
      <FollowReading id={id} item={item} />
    </Box>
  )
}

/** A ring about an axis. */
function ringAt(middle: Vec3, axis: Vec3, radius: number): Vec3[] {
  const side = normalise(cross(axis, Math.abs(axis[1]) > 0.9 ? [1, 0, 0] : [0, 1, 0]))
  const over = cross(axis, side)
  return Array.from({ length: 25 }, (_, n) => {
    const a = (n / 24) * 2 * Math.PI
    return add(middle, add(scale(side, radius * Math.cos(a)), scale(over, radius * Math.sin(a))))
  })
}

/** Its outline: a ball, a cone with its edge, or a rectangle with where it shines. */
function lampOutline(camera: Camera, item: LampItem): string {
  const { position, aim, shape } = item
  if (shape === 'point') return chainPath(camera, circlePoints(position, Math.max(0.1, item.size / 2)))
  const axis = lampAxis(item)
  if (shape === 'area') {
    const { across, upward } = lampEdges(item)
    const corner = (a: number, b: number): Vec3 => add(position, add(scale(across, a), scale(upward, b)))
    const frame = [corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1), corner(-1, -1)]
    return chainPath(camera, frame) + chainPath(camera, [position, aim])
  }
  const reach = 0.7
  const radius = Math.min(2, reach * Math.tan((Math.min(150, item.cone) / 2) * (Math.PI / 180)))
  const ring = ringAt(add(position, scale(axis, reach)), axis, radius)
  const sides = [0, 6, 12, 18].map((n) => chainPath(camera, [position, ring[n] ?? position])).join('')
  return chainPath(camera, ring) + sides + chainPath(camera, [position, aim])
}

/** How a lamp is shown. */
export const LAMP_VIEW: ItemView<LampItem> = {
  icon: Lamp,
  kindName: 'lamp',
  panel: ({ id, item }) => <LampPanel id={id} item={item} />,
  outline: lampOutline,
  radius: ({ shape, size, width, height }) =>
    shape === 'area' ? Math.max(width, height) / 2 : Math.max(0.1, size / 2),
}
