'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { MatteItem } from '@lantern/core/mattes'
import { matteDistance, matteWorld } from '@lantern/core/pipeline'
import { itemsInOrder } from '@lantern/core/settings'
import { isDrawn } from '@lantern/core/shot'
import { Choice } from '@/ui/Choice.tsx'
import { Press } from '@/ui/Press.tsx'
import { cameraNow, useShot, useShotParts } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'
import { holdersOf } from './rideChoices.ts'

/** How far away a matte stands, or why it holds nothing out. */
function Stands({ id, item }: { id: string; item: MatteItem }) {
  const state = useShot()
  const { shot, frame } = state
  const camera = cameraNow(state, frame)
  if (!shot || !camera || item.stands === 'nowhere') return null
  if (item.stands === 'surface')
    return (
      <Text color={Object.keys(item.painted).length > 0 ? 'fact' : 'faint'} data-stands>
        {Object.keys(item.painted).length > 0
          ? 'stands on what it is painted on'
          : 'Not painted yet: it holds nothing out.'}
      </Text>
    )
  const world = matteWorld(shot.document, frame, (n) => cameraNow(state, n), inputsNow(state))
  const own = { foot: world.feet[id], place: world.places[id] }
  const distance = matteDistance(shot.document, item, camera, frame, own)
  const waits = item.helped && !item.helped.carried
  return (
    <Text className="num" color={distance !== undefined ? 'fact' : waits ? 'faint' : 'wrong'} data-stands>
      {distance !== undefined
        ? `stands ${distance.toFixed(2)} m away`
        : waits
          ? 'Not carried yet: it holds nothing out.'
          : item.stands === 'item'
            ? item.standsWith
              ? 'Where that is, is not known here: it holds nothing out.'
              : 'Choose what it stands with.'
            : 'Its foot does not meet the set here: it holds nothing out.'}
    </Text>
  )
}

/** What a matte stands with, where it stands with something. */
function StandsWith({ id, item }: { id: string; item: MatteItem }) {
  const { shot, edit } = useShotParts('shot', 'edit')
  if (!shot || item.stands !== 'item') return null
  return (
    <Flex gap="6px" align="center" marginTop="4px">
      <Text flex="none">Stands with</Text>
      <Choice
        aria-label="Stands with"
        flex="1"
        value={item.standsWith}
        disabled={item.locked}
        onChange={(event) => edit({ items: { [id]: { standsWith: event.target.value } } })}
      >
        <option value="">choose</option>
        {holdersOf(shot.document).map(([on, name]) => (
          <option key={on} value={on}>
            {name}
          </option>
        ))}
      </Choice>
    </Flex>
  )
}

/** The items that a matte cuts, where they are chosen. */
function Cuts({ id, item }: { id: string; item: MatteItem }) {
  const { shot, edit } = useShotParts('shot', 'edit')
  if (!shot || item.cuts !== 'chosen' || item.stands === 'nowhere') return null
  const drawn = itemsInOrder(shot.document).filter(([, one]) => isDrawn(one))
  return (
    <Box marginTop="4px" data-cuts={item.cut.length}>
      <Text color="soft">Cuts</Text>
      <Flex gap="5px" wrap="wrap">
        {drawn.map(([key, one]) => (
          <Press
            key={key}
            disabled={item.locked}
            aria-pressed={item.cut.includes(key)}
            onClick={() =>
              edit({
                items: {
                  [id]: { cut: item.cut.includes(key) ? item.cut.filter((two) => two !== key) : [...item.cut, key] },
                },
              })
            }
          >
            {one.name}
          </Press>
        ))}
      </Flex>
      {drawn.length === 0 && <Text color="faint">Nothing is added yet that it could cut.</Text>}
    </Box>
  )
}

/** Where what a matte covers stands, and what it cuts. */
export function DepthPanel({ id, item }: { id: string; item: MatteItem }) {
  return (
    <>
      <Stands id={id} item={item} />
      <StandsWith id={id} item={item} />
      <Cuts id={id} item={item} />
    </>
  )
}
