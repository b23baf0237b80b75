'use client'
import { Box, Flex, Input } from '@chakra-ui/react'
import { makeItem } from '@lantern/core/shot'
import { useRef, useState } from 'react'
import { FileInput } from '@/ui/FileInput.tsx'
import { Press } from '@/ui/Press.tsx'
import { LAMP_HOW } from '../light/lamps.ts'
import { AddMatte } from '../mattes/AddMatte.tsx'
import { MESH_ACCEPT, takeThing } from '../set/things.ts'
import { useShared } from '../shot/sharing.ts'
import { useShot } from '../shot/shotStore.ts'
import type { Station } from '../shot/stations.ts'
import { AddMenu } from './AddMenu.tsx'
import { type Entry, GROUPS_AT, rosterEntries } from './entries.ts'
import { LayerRows } from './LayerRows.tsx'
import { RosterRow } from './RosterRow.tsx'

/** What is said where a station has nothing yet. */
const EMPTY: Partial<Record<Station, string>> = {
  Set: 'Nothing stands in the set yet. Add the ground first, then drag a wall or box on the plate, or drop a mesh on it.',
  Mattes:
    'No matte yet. Press Matte, then click round what stands before the effects; or Matte by strokes, and draw a line along it.',
  Effects: 'No effect yet. Press Fire, then click where it burns; or drop a filmed clip on the picture.',
}

const byGroup = (entries: readonly Entry[]): Map<string, Entry[]> => {
  const groups = new Map<string, Entry[]>()
  for (const entry of entries) groups.set(entry.group, [...(groups.get(entry.group) ?? []), entry])
  return groups
}

/** What a station's roster is added to by, and the switch between its own things and all. */
function Adding({ station, all, toggle }: { station: Station; all: boolean; toggle(): void }) {
  const set = useShot((state) => state.set)
  const edit = useShot((state) => state.edit)
  const tool = useShot((state) => state.tool)
  const say = useShot((state) => state.say)
  const files = useRef<HTMLInputElement>(null)
  const add = (kind: 'ground'): void => {
    const id = `${kind}-${crypto.randomUUID().slice(0, 6)}`
    const { items } = useShot.getState().shot?.document ?? { items: {} }
    edit({ items: { [id]: makeItem(kind, { name: 'Ground', order: Object.keys(items).length + 1 }) } })
    set({ chosen: id })
  }
  return (
    <>
      <Flex gap="6px" padding="8px 10px" borderTopWidth="1px" borderColor="hair" wrap="wrap">
        {(station === 'Set' || all) && <Press onClick={() => add('ground')}>Ground</Press>}
        {(station === 'Set' || all) && (
          <Press aria-pressed={tool === 'box'} onClick={() => set({ tool: tool === 'box' ? 'choose' : 'box' })}>
            Wall or box
          </Press>
        )}
        {(station === 'Set' || all) && <Press onClick={() => files.current?.click()}>Thing</Press>}
        {station === 'Mattes' && <AddMatte />}
        {(station === 'Effects' || all) && (
          <Press aria-pressed={tool === 'fire'} onClick={() => set({ tool: tool === 'fire' ? 'choose' : 'fire' })}>
            Fire
          </Press>
        )}
        {station === 'Effects' &&
          (['sparks', 'rain'] as const).map((one) => (
            <Press
              key={one}
              aria-pressed={tool === `preset-${one}`}
              onClick={() => set({ tool: tool === `preset-${one}` ? 'choose' : `preset-${one}` })}
            >
              {one === 'sparks' ? 'Sparks' : 'Rain'}
            </Press>
          ))}
        {(station === 'Light' || all) && (
          <Press
            aria-pressed={tool === 'lamp'}
            onClick={() => set(tool === 'lamp' ? { tool: 'choose' } : { tool: 'lamp', message: LAMP_HOW })}
          >
            Lamp
          </Press>
        )}
        {(['Set', 'Effects', 'Light', 'Sit'].includes(station) || all) && (
          <AddMenu
            effects={station === 'Effects' || all}
            forms={station === 'Set' || all}
            light={station === 'Light' || all}
          />
        )}
        <Press plain aria-pressed={all} onClick={() => toggle()}>
          {all ? 'Of this station' : 'Everything'}
        </Press>
      </Flex>
      <FileInput
        ref={files}
        label="Mesh files"
        accept={MESH_ACCEPT}
        onFiles={(chosen) => void takeThing(chosen).catch(say)}
      />
    </>
  )
}

/** The roster: everything in the shot, by group. */
export function Roster() {
  const document = useShot((state) => state.shot?.document)
  const status = useShot((state) => state.status)
  const [find, setFind] = useState('')
  const [all, setAll] = useState(false)
  const station = useShot((state) => state.station)
  const entries = useShared(document ? rosterEntries(document, status) : [])
  const wanted = all ? undefined : GROUPS_AT[station]
  const groups = useShared(
    byGroup(
      entries.filter(
        (entry) => (!wanted || wanted.includes(entry.group)) && entry.name.toLowerCase().includes(find.toLowerCase()),
      ),
    ),
  )
  if (!document) return null
  return (
    <Flex
      as="section"
      aria-label="Roster"
      direction="column"
      background="panel"
      borderRightWidth="1px"
      borderColor="line"
      minHeight="0"
    >
      <Input
        aria-label="Find in the roster"
        placeholder="Find in the roster"
        value={find}
        onChange={(event) => setFind(event.target.value)}
        onKeyDown={(event) => event.stopPropagation()}
        size="2xs"
        margin="9px 10px 4px"
        width="auto"
        background="floor"
        borderColor="hair"
        fontSize="12px"
      />
      <Box flex="1" overflowY="auto" role="listbox" aria-label="In the shot">
        {[...groups].map(([group, own]) => (
          <Box key={group} role="group" aria-label={group}>
            <Box padding="7px 14px 3px" color="faint" fontSize="11px">
              {group}
            </Box>
            {group === 'Layers' ? (
              <LayerRows entries={own} />
            ) : (
              own.map((entry) => <RosterRow key={entry.id} entry={entry} />)
            )}
          </Box>
        ))}
        {groups.size === 0 && (
          <Box padding="10px 14px" color="soft">
            {EMPTY[station] ?? (find ? 'Nothing of that name.' : 'Nothing here yet.')}
          </Box>
        )}
      </Box>
      <Adding station={station} all={all} toggle={() => setAll(!all)} />
    </Flex>
  )
}
