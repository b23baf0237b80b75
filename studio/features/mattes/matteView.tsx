'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { type MatteItem, type MatteShape, pointsAt, shapesInOrder, withoutKey } from '@lantern/core/mattes'
import { carriedFeet, matteDistance } from '@lantern/core/pipeline'
import { Blend } from 'lucide-react'
import { Press } from '@/ui/Press.tsx'
import { framesRow, keptFigure } from '../items/keptRows.ts'
import type { ItemView } from '../items/view.ts'
import { cameraNow, useShot } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'
import type { StripRow } from '../strip/row.ts'
import { HelpedPanel } from './HelpedPanel.tsx'

const WAYS = ['add', 'subtract', 'intersect'] as const

/** One shape of a matte: what it does, its keys. */
function ShapeRow({ id, shapeId, shape, locked }: { id: string; shapeId: string; shape: MatteShape; locked: boolean }) {
  const { shape: chosen, frame, set, edit } = useShot()
  const put = (change: Record<string, unknown>): void => edit({ items: { [id]: { shapes: { [shapeId]: change } } } })
  const on = chosen === shapeId
  const keyed = shape.keys.some((key) => key.frame === frame)
  return (
    <Box
      borderLeftWidth="2px"
      borderColor={on ? 'text' : 'transparent'}
      padding="4px 0 4px 8px"
      onClick={() => set({ shape: shapeId })}
      data-shape-row={shapeId}
    >
      <Flex gap="6px" align="center">
        <Text flex="1" fontWeight={on ? '600' : '400'} truncate>
          {shape.name}
        </Text>
        <select
          aria-label={`${shape.name} does`}
          value={shape.way}
          disabled={locked}
          onChange={(event) => put({ way: event.target.value })}
          style={{ background: '#1b1b1b', border: '1px solid #313131', padding: '1px 4px' }}
        >
          {WAYS.map((way) => (
            <option key={way} value={way}>
              {way}
            </option>
          ))}
        </select>
        <Press plain disabled={locked} aria-pressed={!shape.shown} onClick={() => put({ shown: !shape.shown })}>
          {shape.shown ? 'Hide' : 'Show'}
        </Press>
      </Flex>
      {on && (
        <Flex gap="6px" marginTop="4px" wrap="wrap" align="center">
          <Text className="num" color="fact" data-keys>
            {shape.keys.length} {shape.keys.length === 1 ? 'key' : 'keys'}
          </Text>
          {!keyed && (
            <Press
              disabled={locked}
              onClick={() =>
                put({
                  keys: [...shape.keys, { frame, points: pointsAt(shape, frame) }].sort((a, b) => a.frame - b.frame),
                })
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
        </Flex>
      )}
    </Box>
  )
}

/** A matte's shapes, how they are drawn, and where what it covers stands. */
function MattePanel({ id, item }: { id: string; item: MatteItem }) {
  const state = useShot()
  const { shot, frame, tool, scope, set } = state
  const camera = cameraNow(state, frame)
  const distance =
    shot && camera
      ? matteDistance(shot.document, item, camera, frame, carriedFeet(shot.document, frame, inputsNow(state))[id])
      : undefined
  return (
    <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair">
      {item.stands !== 'nowhere' && (
        <Text
          className="num"
          color={distance !== undefined ? 'fact' : item.helped && !item.helped.carried ? 'faint' : 'wrong'}
          data-stands
        >
          {distance === undefined
            ? item.helped && !item.helped.carried
              ? 'Not carried yet: it holds nothing out.'
              : 'Its foot does not meet the set here: it holds nothing out.'
            : `stands ${distance.toFixed(2)} m away`}
        </Text>
      )}
      <HelpedPanel id={id} item={item} />
      {shapesInOrder(item).map(([shapeId, shape]) => (
        <ShapeRow key={shapeId} id={id} shapeId={shapeId} shape={shape} locked={item.locked} />
      ))}
      <Flex gap="6px" marginTop="8px" wrap="wrap" align="center">
        <Press
          aria-pressed={tool === 'matte-shape'}
          disabled={item.locked}
          onClick={() => set({ tool: tool === 'matte-shape' ? 'choose' : 'matte-shape' })}
        >
          {Object.keys(item.shapes).length === 0 ? 'Draw a shape' : 'Another shape'}
        </Press>
        {Object.keys(item.shapes).length > 0 && <Text color="faint">A change is</Text>}
        {(Object.keys(item.shapes).length > 0 ? (['frame', 'all'] as const) : []).map((one) => (
          <Press key={one} aria-pressed={scope === one} onClick={() => set({ scope: one })}>
            {one === 'frame' ? 'a key here' : 'on all keys'}
          </Press>
        ))}
      </Flex>
      {Object.keys(item.shapes).length > 0 && (
        <Text color="faint" marginTop="6px">
          Drag points, their handles, the ring outside a chosen point for a soft edge, or the square to turn and scale.
          Double click: a point more on a side; a point smooth or sharp.
        </Text>
      )}
    </Box>
  )
}

/** Of a helped matte: how much of its rim is uncertain, and which frames are carried. */
const helpedRows: NonNullable<ItemView<MatteItem>['stripRows']> = ({ shot, status, frame, chosen }, id, item) => {
  if (!shot || !item.helped) return []
  const kept = status?.items[id]
  const values = new Map([...keptFigure(kept, 'uncertain')].map(([n, value]) => [n, 100 * value]))
  const now = values.get(frame)
  const curve: StripRow[] =
    chosen === id && values.size > 0
      ? [
          {
            kind: 'curve',
            name: `${item.name}, uncertain rim`,
            figure: now === undefined ? '' : `${Math.round(now)} %`,
            values,
            top: Math.max(10, ...values.values()) * 1.1,
            added: false,
          },
        ]
      : []
  return [...curve, framesRow(item.name, item.helped.carried > 0 ? kept : undefined)]
}

/** How a matte is shown: its lines are the overlay's of its station. */
export const MATTE_VIEW: ItemView<MatteItem> = {
  icon: Blend,
  kindName: 'matte',
  panel: ({ id, item }) => <MattePanel id={id} item={item} />,
  stripRows: helpedRows,
  outline: () => '',
  radius: () => 0,
}
