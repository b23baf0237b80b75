'use client'
import { Box, Flex } from '@chakra-ui/react'
import type { Item } from '@lantern/core/settings'
import { ITEM_SCHEMAS as SCHEMAS, SETTINGS, type ShotItem } from '@lantern/core/shot'
import { Press } from '@/ui/Press.tsx'
import { Motion } from '../effects/Motion.tsx'
import { Rides } from '../effects/Rides.tsx'
import { viewOf } from '../items/index.ts'
import { hasNoPlace } from '../items/place.ts'
import { InView } from '../mattes/Needs.tsx'
import { useShotParts } from '../shot/shotStore.ts'
import { Head } from './Head.tsx'
import { LayerChoice } from './LayerChoice.tsx'
import { SchemaBench } from './SchemaBench.tsx'

const followsOf = ({ follows }: Item): Item['follows'] => follows

/** An item's bench: what is kept of it, and its form. */
export function ItemBench({ id, item }: { id: string; item: ShotItem }) {
  const { edit, set } = useShotParts('edit', 'set')
  const view = viewOf(item)
  const settings = view.settings?.(item) ?? SETTINGS[item.kind]
  return (
    <>
      <Head title={item.name} kind={view.describe?.(item) ?? view.kindName} />
      <InView id={id} />
      {view.panel?.({ id, item })}
      <Box padding="8px 14px 0">
        <label style={{ display: 'grid', gridTemplateColumns: '62px 1fr', alignItems: 'center', gap: 6 }}>
          Name
          <input
            key={item.name}
            defaultValue={item.name}
            maxLength={80}
            disabled={item.locked}
            onKeyDown={(event) => (event.stopPropagation(), event.key === 'Enter' && event.currentTarget.blur())}
            onBlur={(event) =>
              event.target.value.trim() &&
              event.target.value !== item.name &&
              edit({ items: { [id]: { name: event.target.value.trim() } } })
            }
            style={{ background: '#1b1b1b', border: '1px solid #313131', padding: '2px 6px', minWidth: 0 }}
          />
        </label>
      </Box>
      {view.tools?.({ id, item })}
      <SchemaBench
        settings={settings}
        values={item}
        path={['items', id]}
        disabled={item.locked}
        follows={'follows' in SCHEMAS[item.kind].shape ? { at: ['items', id], now: followsOf(item) } : undefined}
      />
      {!hasNoPlace(item) && <Motion id={id} item={item} />}
      <Rides id={id} item={item} />
      <Box padding="2px 14px 0">
        <LayerChoice id={id} item={item} />
      </Box>
      <Flex padding="8px 14px 12px" gap="6px">
        <Press
          onClick={() =>
            edit({
              items: {
                [`${item.kind}-${crypto.randomUUID().slice(0, 6)}`]: {
                  ...item,
                  name: `${item.name.slice(0, 74)} copy`,
                  order: item.order + 0.5,
                },
              },
            })
          }
        >
          Duplicate
        </Press>
        <Press disabled={item.locked} onClick={() => (edit({ items: { [id]: null } }), set({ chosen: '' }))}>
          Remove
        </Press>
      </Flex>
    </>
  )
}
