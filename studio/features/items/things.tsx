'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { add, rotate, type Vec3 } from '@lantern/core/math'
import { type ThingItem, thingPose, thingSize, trimmedBounds } from '@lantern/core/set'
import { Package } from 'lucide-react'
import { useRef } from 'react'
import { FileInput } from '@/ui/FileInput.tsx'
import { Press } from '@/ui/Press.tsx'
import { blockPath } from '../picture/lines.ts'
import { CarriedPlate } from '../set/CarriedPlate.tsx'
import { TrimPanel } from '../set/TrimPanel.tsx'
import { MESH_ACCEPT, swapThing } from '../set/things.ts'
import { useShotParts } from '../shot/shotStore.ts'
import type { ItemView } from './view.ts'

/** Corners of a thing's bounds as it stands, bottom four then top four. */
export function thingCorners(item: ThingItem): Vec3[] {
  const { rotation, place, scale } = thingPose(item)
  const { low, high } = trimmedBounds(item)
  const ring = [
    [low[0], low[2]],
    [high[0], low[2]],
    [high[0], high[2]],
    [low[0], high[2]],
  ] as const
  return [low[1], high[1]].flatMap((y) =>
    ring.map(([x, z]) => add(place, rotate(rotation, [x * scale, y * scale, z * scale]))),
  )
}

const UNITS = [
  ['m', 1],
  ['cm', 0.01],
  ['mm', 0.001],
  ['inch', 0.0254],
] as const

/** What a thing's file holds, how large it is, and which of its animations plays. */
function ThingPanel({ id, item }: { id: string; item: ThingItem }) {
  const { edit, say } = useShotParts('edit', 'say')
  const files = useRef<HTMLInputElement>(null)
  const { mesh, scale } = item
  const size = thingSize(item).map((edge) => edge.toFixed(2))
  return (
    <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair">
      <Text className="num" color="fact" data-size>
        {size.join(' × ')} m
      </Text>
      <Text color="soft" truncate title={mesh.file}>
        {mesh.file}, <span className="num">{mesh.triangles.toLocaleString('en')}</span> triangles
      </Text>
      {mesh.notes.map((note) => (
        <Text key={note} color="wrong">
          {note}
        </Text>
      ))}
      <Flex gap="6px" marginTop="6px" wrap="wrap" align="center">
        <Text color="faint">File’s units</Text>
        {UNITS.map(([name, unit]) => (
          <Press
            key={name}
            aria-pressed={Math.abs(scale / unit - 1) < 1e-3}
            disabled={item.locked}
            onClick={() => edit({ items: { [id]: { scale: unit } } })}
          >
            {name}
          </Press>
        ))}
      </Flex>
      {mesh.animations.length > 0 && (
        <label style={{ display: 'grid', gridTemplateColumns: '74px 1fr', alignItems: 'center', gap: 6, marginTop: 6 }}>
          Animation
          <select
            value={item.animation}
            disabled={item.locked}
            onChange={(event) => edit({ items: { [id]: { animation: event.target.value } } })}
            style={{ background: '#1b1b1b', border: '1px solid #313131', padding: '2px 4px', minWidth: 0 }}
          >
            <option value="">None</option>
            {mesh.animations.map(({ name, seconds }) => (
              <option key={name} value={name}>
                {name}, {seconds.toFixed(2)} s
              </option>
            ))}
          </select>
        </label>
      )}
      <Flex marginTop="8px">
        <Press disabled={item.locked} onClick={() => files.current?.click()}>
          Swap the mesh
        </Press>
      </Flex>
      <FileInput
        ref={files}
        label="Another mesh"
        accept={MESH_ACCEPT}
        onFiles={(chosen) => void swapThing(id, chosen).catch(say)}
      />
    </Box>
  )
}

/** How a thing is shown. */
export const THING_VIEW: ItemView<ThingItem> = {
  icon: Package,
  kindName: 'thing',
  panel: ({ id, item }) => (
    <>
      <ThingPanel id={id} item={item} />
      <TrimPanel id={id} item={item} />
    </>
  ),
  tools: ({ id, item }) => <CarriedPlate id={id} item={item} />,
  outline: (camera, item) => blockPath(camera, thingCorners(item)),
  radius: (item) => Math.max(...thingSize(item)) / 2,
}
