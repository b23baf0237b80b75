'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import {
  isMatte,
  MATTE_WAYS,
  type MatteItem,
  type MattePart,
  type MatteShape,
  pointsAt,
  withoutKey,
} from '@lantern/core/mattes'
import { Choice } from '@/ui/Choice.tsx'
import { Press } from '@/ui/Press.tsx'
import { useShot, useShotParts } from '../shot/shotStore.ts'
import { holdersOf, ridingFrom } from './rideChoices.ts'

/** All parts of a matte in their order, hidden ones too. */
export const allParts = ({ shapes, takes }: MatteItem): (MattePart & { order: number })[] =>
  [
    ...Object.entries(shapes).map(([id, shape]) => ({ id, shape, order: shape.order })),
    ...Object.entries(takes).map(([id, taken]) => ({ id, taken, order: taken.order })),
  ].sort((a, b) => a.order - b.order || (a.id < b.id ? -1 : 1))

const pathOf = (part: MattePart): 'shapes' | 'takes' => ('shape' in part ? 'shapes' : 'takes')

/** What a shape goes with, from the frame that is shown. */
function RidesChoice({
  id,
  shapeId,
  item,
  shape,
}: {
  id: string
  shapeId: string
  item: MatteItem
  shape: MatteShape
}) {
  const state = useShot()
  const { shot, frame, edit } = state
  if (!shot) return null
  const others = Object.entries(item.shapes).flatMap(([key, { name }]): [string, string][] =>
    key === shapeId ? [] : [[`shape.${key}`, name]],
  )
  const put = (on: string): void => {
    const { keys, rides } = ridingFrom(state, item, shape, on, frame)
    edit({ items: { [id]: { shapes: { [shapeId]: { keys, rides: rides ?? null } } } } })
  }
  return (
    <Flex gap="6px" align="center" flex="1 1 100%">
      <Text flex="none">Goes with</Text>
      <Choice
        aria-label={`${shape.name} goes with`}
        flex="1"
        value={shape.rides?.on ?? ''}
        disabled={item.locked}
        onChange={(event) => put(event.target.value)}
      >
        <option value="">nothing</option>
        {[...others, ...holdersOf(shot.document)].map(([on, name]) => (
          <option key={on} value={on}>
            {name}
          </option>
        ))}
      </Choice>
    </Flex>
  )
}

/** A chosen shape's keys and what it goes with. */
function ShapeTools({ id, shapeId, item, shape }: { id: string; shapeId: string; item: MatteItem; shape: MatteShape }) {
  const { frame, set, edit } = useShotParts('frame', 'set', 'edit')
  const put = (change: Record<string, unknown>): void => edit({ items: { [id]: { shapes: { [shapeId]: change } } } })
  const keyed = shape.keys.some((key) => key.frame === frame)
  const { locked } = item
  return (
    <Flex gap="6px" marginTop="4px" wrap="wrap" align="center">
      <Text className="num" color="fact" data-keys>
        {shape.keys.length} {shape.keys.length === 1 ? 'key' : 'keys'}
      </Text>
      {!keyed && (
        <Press
          disabled={locked}
          onClick={() =>
            put({ keys: [...shape.keys, { frame, points: pointsAt(shape, frame) }].sort((a, b) => a.frame - b.frame) })
          }
        >
          Key here
        </Press>
      )}
      {keyed && shape.keys.length > 1 && (
        <Press disabled={locked} onClick={() => put({ keys: withoutKey(shape, frame).keys })}>
          Remove this key
        </Press>
      )}
      <Press disabled={locked} aria-pressed={shape.inverted} onClick={() => put({ inverted: !shape.inverted })}>
        Inverted
      </Press>
      <Press
        disabled={locked}
        onClick={() => {
          edit({ items: { [id]: { shapes: { [shapeId]: null } } } })
          set({ shape: '' })
        }}
      >
        Remove
      </Press>
      <RidesChoice id={id} shapeId={shapeId} item={item} shape={shape} />
    </Flex>
  )
}

/** One part of a matte: what it does, whether it is shown, its place among the others. */
function PartRow({
  id,
  item,
  part,
  before,
}: {
  id: string
  item: MatteItem
  part: MattePart
  before?: MattePart & { order: number }
}) {
  const { shot, shape: chosen, set, edit } = useShotParts('shot', 'shape', 'set', 'edit')
  const own = 'shape' in part ? part.shape : part.taken
  const name = 'shape' in part ? part.shape.name : (shot?.document.items[part.taken.of]?.name ?? 'a matte that is gone')
  const put = (change: Record<string, unknown> | null): void =>
    edit({ items: { [id]: { [pathOf(part)]: { [part.id]: change } } } })
  const up = (): void => {
    if (!before) return
    const swapped = { [pathOf(part)]: { [part.id]: { order: before.order } } } as Record<
      string,
      Record<string, unknown>
    >
    const other = pathOf(before)
    swapped[other] = { ...swapped[other], [before.id]: { order: own.order } }
    edit({ items: { [id]: swapped } })
  }
  const on = 'shape' in part && chosen === part.id
  return (
    <Box
      borderLeftWidth="2px"
      borderColor={on ? 'text' : 'transparent'}
      padding="4px 0 4px 8px"
      onClick={() => set({ shape: 'shape' in part ? part.id : '' })}
      {...('shape' in part ? { 'data-shape-row': part.id } : { 'data-taken-row': part.taken.of })}
    >
      <Flex gap="6px" align="center">
        <Text flex="1" fontWeight={on ? '600' : '400'} truncate>
          {name}
        </Text>
        <Choice
          aria-label={`${name} does`}
          value={own.way}
          disabled={item.locked}
          onChange={(event) => put({ way: event.target.value })}
        >
          {MATTE_WAYS.map((way) => (
            <option key={way} value={way}>
              {way}
            </option>
          ))}
        </Choice>
        {before && (
          <Press plain disabled={item.locked} aria-label={`${name} earlier`} onClick={up}>
            ↑
          </Press>
        )}
        <Press plain disabled={item.locked} aria-pressed={!own.shown} onClick={() => put({ shown: !own.shown })}>
          {own.shown ? 'Hide' : 'Show'}
        </Press>
        {'taken' in part && (
          <>
            <Press
              plain
              disabled={item.locked}
              aria-pressed={own.inverted}
              onClick={() => put({ inverted: !own.inverted })}
            >
              Inverted
            </Press>
            <Press plain disabled={item.locked} aria-label={`Take ${name} out`} onClick={() => put(null)}>
              ×
            </Press>
          </>
        )}
      </Flex>
      {on && <ShapeTools id={id} shapeId={part.id} item={item} shape={part.shape} />}
    </Box>
  )
}

/** Takes another matte into this one. */
function TakeChoice({ id, item }: { id: string; item: MatteItem }) {
  const { shot, edit } = useShotParts('shot', 'edit')
  const others = Object.entries(shot?.document.items ?? {}).filter(([key, one]) => key !== id && isMatte(one))
  if (others.length === 0) return null
  const order = Math.max(0, ...allParts(item).map((part) => part.order)) + 1
  return (
    <Choice
      aria-label="Take another matte"
      value=""
      disabled={item.locked}
      onChange={(event) =>
        edit({
          items: { [id]: { takes: { [`t-${crypto.randomUUID().slice(0, 6)}`]: { of: event.target.value, order } } } },
        })
      }
    >
      <option value="">Take another matte…</option>
      {others.map(([key, { name }]) => (
        <option key={key} value={key}>
          {name}
        </option>
      ))}
    </Choice>
  )
}

/** The parts of a matte, from the first on: shapes of its own, and other mattes. */
export function PartsPanel({ id, item }: { id: string; item: MatteItem }) {
  const { tool, scope, set } = useShotParts('tool', 'scope', 'set')
  const parts = allParts(item)
  const drawn = Object.keys(item.shapes).length > 0
  return (
    <>
      {parts.map((part, n) => (
        <PartRow key={part.id} id={id} item={item} part={part} before={parts[n - 1]} />
      ))}
      <Flex gap="6px" marginTop="8px" wrap="wrap" align="center">
        <Press
          aria-pressed={tool === 'matte-shape'}
          disabled={item.locked}
          onClick={() => set({ tool: tool === 'matte-shape' ? 'choose' : 'matte-shape' })}
        >
          {drawn ? 'Another shape' : 'Draw a shape'}
        </Press>
        <TakeChoice id={id} item={item} />
      </Flex>
      {drawn && (
        <Flex gap="6px" marginTop="6px" wrap="wrap" align="center">
          <Text color="faint">A change is</Text>
          {(['frame', 'all'] as const).map((one) => (
            <Press key={one} aria-pressed={scope === one} onClick={() => set({ scope: one })}>
              {one === 'frame' ? 'a key here' : 'on all keys'}
            </Press>
          ))}
          <Text color="faint">
            Drag points, their handles, the ring outside a chosen point for a soft edge, or the square to turn and
            scale. Double click: a point more on a side; a point smooth or sharp.
          </Text>
        </Flex>
      )}
    </>
  )
}
