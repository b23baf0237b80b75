'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { Item } from '@lantern/core/settings'
import { ITEM_SCHEMAS, itemAt, type ShotItem } from '@lantern/core/shot'
import { Choice } from '@/ui/Choice.tsx'
import { FilePick } from '@/ui/FilePick.tsx'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { call, shotPath } from '../api.ts'
import { useShot } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'

const ANGLES = ['turn', 'tilt', 'roll'] as const
type Moved = { position: [number, number, number]; turn?: number; tilt?: number; roll?: number }

/** How a thing moves: its keys, the one at this frame, and a motion taken in from a file. */
export function Motion({ id, item }: { id: string; item: ShotItem }) {
  const state = useShot()
  const { shot, frame, edit, preview, moveTo, say } = state
  if (!shot || !('motion' in ITEM_SCHEMAS[item.kind].shape)) return null
  const { motion }: Item = item
  const keys = motion?.keys ?? []
  const now = itemAt(shot.document, item, frame, inputsNow(state)) as Moved
  const here = keys.find((key) => key.frame === frame)
  const put = (change: Partial<Moved>, final = true): void => {
    const { position, turn = 0, tilt = 0, roll = 0 } = now
    const all = [...keys.filter((one) => one !== here), { frame, position, turn, tilt, roll, ...change }]
    const ordered = all.sort((a, b) => a.frame - b.frame)
    ;(final ? edit : preview)({ items: { [id]: { motion: { curve: motion?.curve ?? 'smooth', keys: ordered } } } })
  }
  const take = async (chosen: File): Promise<void> => {
    try {
      const { keys: taken } = await call<{ keys: object[] }>(
        `${shotPath(shot.name)}/motion?file=${encodeURIComponent(chosen.name.slice(0, 200))}`,
        { method: 'POST', body: chosen },
      )
      edit({ items: { [id]: { motion: { keys: taken, curve: 'straight', file: chosen.name.slice(0, 200) } } } })
    } catch (error) {
      say(error)
    }
  }
  const before = keys.findLast((key) => key.frame < frame)
  const after = keys.find((key) => key.frame > frame)
  return (
    <Box
      as="section"
      aria-label="Motion"
      padding="8px 14px"
      borderTopWidth="1px"
      borderColor="hair"
      data-hint="Where it is on key frames. Drag it on the plate at another frame to set a key there."
    >
      <Flex justify="space-between" align="center">
        <Text color="soft" fontWeight="600" fontSize="12px">
          Motion
        </Text>
        <Text className="num" color="faint">
          {motion
            ? `${keys.length} key${keys.length === 1 ? '' : 's'}${motion.file ? `, ${motion.file}` : ''}`
            : 'stands still'}
        </Text>
      </Flex>
      <Flex gap="5px" marginTop="4px" wrap="wrap">
        <Press
          disabled={item.locked}
          onClick={() =>
            here
              ? edit({
                  items: { [id]: { motion: keys.length > 1 ? { keys: keys.filter((key) => key !== here) } : null } },
                })
              : put({})
          }
        >
          {here ? 'Remove key' : 'Key here'}
        </Press>
        {motion && (
          <Press disabled={!before} aria-label="Key before" onClick={() => before && moveTo(before.frame)}>
            ‹
          </Press>
        )}
        {motion && (
          <Press disabled={!after} aria-label="Key after" onClick={() => after && moveTo(after.frame)}>
            ›
          </Press>
        )}
        <FilePick
          label="Motion file"
          accept=".gltf,.usda,.csv"
          disabled={item.locked}
          onFile={(chosen) => void take(chosen)}
        >
          Take in
        </FilePick>
        {motion && (
          <Press disabled={item.locked} onClick={() => edit({ items: { [id]: { motion: null } } })}>
            None
          </Press>
        )}
        {motion && (
          <Choice
            aria-label="Between keys"
            value={motion.curve}
            onChange={(event) => edit({ items: { [id]: { motion: { curve: event.target.value } } } })}
          >
            {['smooth', 'straight'].map((one) => (
              <option key={one}>{one}</option>
            ))}
          </Choice>
        )}
      </Flex>
      {motion && (
        <Flex gap="3px" marginTop="5px">
          {ANGLES.map((angle) => (
            <Box key={angle} flex="1" minWidth="0">
              <NumberField
                label={`Motion, ${angle}`}
                value={now[angle] ?? 0}
                unit="°"
                step={1}
                span={[-180, 180]}
                initial={0}
                onValue={(value, final) => put({ [angle]: value }, final)}
              />
            </Box>
          ))}
        </Flex>
      )}
    </Box>
  )
}
