'use client'
import { Box, chakra, Flex, Input } from '@chakra-ui/react'
import { isPiece, KINDS, makeItem, type ShotItem } from '@lantern/core/shot'
import { itemsInOrder } from '@lantern/core/pipeline'
import {
  Activity,
  Box as BoxIcon,
  Camera,
  Cone,
  Copy,
  Crosshair,
  Eye,
  EyeOff,
  Flame,
  Layers,
  Lock,
  LockOpen,
  Mountain,
  Move3d,
  Pipette,
  Scan,
  Sun,
  VenetianMask,
  Waypoints,
  Wind,
} from 'lucide-react'
import { type ComponentType, useRef, useState } from 'react'
import { Press } from '@/ui/Press.tsx'
import { COLOURS } from '@/ui/theme.ts'
import { kindOf } from '../effects/placing.ts'
import { newSignal } from '../effects/signals.ts'
import { takeVolumes } from '../effects/volumes.ts'
import { type Tool, useShot } from '../shot/shotStore.ts'
import type { Station } from '../shot/stations.ts'

interface Entry {
  id: string
  name: string
  kind: string
  group: string
  icon: ComponentType<{ size?: number; strokeWidth?: number; color?: string }>
  item?: ShotItem
  /** Share kept, for the bar under the name. */
  kept?: number
  order?: number
}

/** Which groups a station's roster shows; all others show everything. */
const FILTER: Partial<Record<Station, readonly string[]>> = {
  Plate: ['Readings'],
  Match: ['Camera', 'Keep out', 'By hand', 'Things', 'Test objects'],
  Set: ['Set'],
  Effects: ['Effects', 'Signals'],
  Light: ['Light', 'Signals'],
  Sit: ['Layers', 'Signals'],
}
const Row = chakra('div', {
  base: {
    position: 'relative',
    display: 'grid',
    gridTemplateColumns: '18px 1fr auto',
    gap: '7px',
    alignItems: 'center',
    paddingInline: '14px 10px',
    height: '29px',
    cursor: 'pointer',
    _hover: { background: 'raised' },
  },
})
const Bracket = () => (
  <>
    <Box
      position="absolute"
      left="4px"
      top="4px"
      bottom="4px"
      width="4px"
      borderWidth="1.5px"
      borderRightWidth="0"
      borderColor="text"
    />
    <Box
      position="absolute"
      right="3px"
      top="4px"
      bottom="4px"
      width="4px"
      borderWidth="1.5px"
      borderLeftWidth="0"
      borderColor="text"
    />
  </>
)

const layersOf = (sit: {
  light: { order: number; shown: boolean }
  smoke: { order: number; shown: boolean }
  fire: { order: number; shown: boolean }
}) => (['light', 'smoke', 'fire'] as const).map((kind) => ({ kind, ...sit[kind] })).sort((a, b) => b.order - a.order)

const ICONS: Readonly<Record<ShotItem['kind'], Entry['icon']>> = {
  ground: Mountain,
  box: BoxIcon,
  gas: Flame,
  source: Waypoints,
  force: Wind,
  reuse: Copy,
}
const LAYER_NAMES = { light: 'Fire light', smoke: 'Smoke', fire: 'Fire' } as const
const LAYER_WAYS = { light: 'multiply', smoke: 'over', fire: 'add' } as const

const HOW: Readonly<Record<string, string>> = {
  place: 'Click where it stands.',
  line: 'Click along the line on the ground; Enter ends it.',
  piece: 'Click the set piece that burns.',
  area: 'Click round the area on the plate; Enter or the first corner ends it.',
}
const Add = chakra('select', {
  base: {
    background: 'transparent',
    borderWidth: '1px',
    borderColor: 'line',
    fontSize: '12px',
    color: 'soft',
    paddingInline: '4px',
    paddingBlock: '2px',
    maxWidth: '112px',
  },
})

/** The step of the match that has a thing's bench. */
const stepOf = (id: string): { matchStep?: 'Track' | 'Proof' | 'Things' } =>
  id.startsWith('thing.')
    ? { matchStep: 'Things' }
    : /^(keepout|hand)\./.test(id)
      ? { matchStep: 'Track' }
      : id.startsWith('proof.')
        ? { matchStep: 'Proof' }
        : {}

/** The roster: everything in the shot, by group. */
export function Roster() {
  const { shot, status, station, chosen, frame, set, edit, tool, say } = useShot()
  const files = useRef<HTMLInputElement>(null)
  const [find, setFind] = useState('')
  const [all, setAll] = useState(false)
  const [dragged, setDragged] = useState<string>()
  if (!shot) return null
  const { document } = shot
  const total = document.plate.last - document.plate.first + 1
  const entries: Entry[] = [
    ...layersOf(document.sit).map(
      (layer): Entry => ({
        id: `layer.${layer.kind}`,
        name: LAYER_NAMES[layer.kind],
        kind: LAYER_WAYS[layer.kind],
        group: 'Layers',
        icon: Layers,
        order: layer.order,
      }),
    ),
    ...itemsInOrder(document).map(
      ([id, item]): Entry => ({
        id,
        name: item.name,
        kind: item.kind === 'reuse' ? 'again' : item.kind,
        item,
        group: isPiece(item) ? 'Set' : 'Effects',
        icon: ICONS[item.kind],
        ...(item.kind === 'gas'
          ? {
              kept:
                (status?.gases[id]?.kept.length ?? 0) /
                (status?.gases[id] ? status.gases[id].last - status.gases[id].first + 1 : total),
            }
          : {}),
      }),
    ),
    ...Object.entries(document.signals).map(
      ([id, signal]): Entry => ({
        id: `signal.${id}`,
        name: signal.name,
        kind: signal.source.kind,
        group: 'Signals',
        icon: Activity,
      }),
    ),
    { id: 'plateLight', name: 'Plate light', kind: 'sun, sky', group: 'Light', icon: Sun },
    {
      id: 'camera',
      name: document.camera.kind === 'path' ? (document.camera.path?.file ?? 'Camera') : 'Camera',
      kind: document.camera.kind === 'lined' ? 'lined up' : document.camera.kind,
      group: 'Camera',
      icon: Camera,
    },
    ...Object.entries(document.match.keepOuts).map(
      ([id, one]): Entry => ({
        id: `keepout.${id}`,
        name: one.name,
        kind: one.shown ? `${one.keys.length} key${one.keys.length > 1 ? 's' : ''}` : 'not used',
        group: 'Keep out',
        icon: VenetianMask,
      }),
    ),
    ...Object.entries(document.match.hands).map(
      ([id, one]): Entry => ({
        id: `hand.${id}`,
        name: one.name,
        kind:
          status?.match.hands[id]?.state === 'done'
            ? one.keys[0]?.places.length === 1
              ? 'point'
              : 'flat'
            : 'not followed',
        group: 'By hand',
        icon: one.keys[0]?.places.length === 1 ? Crosshair : Scan,
      }),
    ),
    ...Object.entries(document.match.things).map(
      ([id, one]): Entry => ({
        id: `thing.${id}`,
        name: one.name,
        kind: status?.match.things[id]?.solve.state === 'done' ? 'solved' : 'not solved',
        group: 'Things',
        icon: Move3d,
      }),
    ),
    ...Object.entries(document.readings).map(
      ([id, one]): Entry => ({
        id: `reading.${id}`,
        name: one.name,
        kind: status?.readings.areas[id]?.reading.state === 'done' ? one.area.kind : 'not taken',
        group: 'Readings',
        icon: Pipette,
      }),
    ),
    ...Object.entries(document.match.proofs).map(
      ([id, one]): Entry => ({ id: `proof.${id}`, name: one.name, kind: one.shape, group: 'Test objects', icon: Cone }),
    ),
  ]
  const wanted = all ? undefined : FILTER[station]
  const shown = entries.filter(
    (entry) => (!wanted || wanted.includes(entry.group)) && entry.name.toLowerCase().includes(find.toLowerCase()),
  )
  const groups = [...new Set(shown.map((entry) => entry.group))]
  const add = (kind: 'ground'): void => {
    const id = `${kind}-${crypto.randomUUID().slice(0, 6)}`
    edit({ items: { [id]: makeItem(kind, { name: 'Ground', order: Object.keys(document.items).length + 1 }) } })
    set({ chosen: id })
  }
  const addOther = (what: string): void => {
    if (what === 'signal') {
      const made = newSignal(document, 'Signal', frame)
      edit({ signals: { [made.id]: made.signal } })
      set({ chosen: `signal.${made.id}` })
    } else if (what === 'elsewhere') files.current?.click()
    else set({ tool: what as Tool, message: { text: HOW[kindOf(what as Tool)?.tool ?? 'place'] ?? '', good: true } })
  }
  const reorder = (onto: string): void => {
    if (!dragged?.startsWith('layer.') || !onto.startsWith('layer.') || dragged === onto) return
    const order = layersOf(document.sit)
      .map(({ kind }) => `layer.${kind}`)
      .filter((id) => id !== dragged)
    order.splice(order.indexOf(onto), 0, dragged)
    edit({ sit: Object.fromEntries(order.map((id, n) => [id.slice(6), { order: order.length - n }])) })
  }
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
        {groups.map((group) => (
          <Box key={group} role="group" aria-label={group}>
            <Box padding="7px 14px 3px" color="faint" fontSize="11px">
              {group}
            </Box>
            {shown
              .filter((entry) => entry.group === group)
              .map((entry) => (
                <Row
                  key={entry.id}
                  role="option"
                  tabIndex={0}
                  aria-selected={chosen === entry.id}
                  background={chosen === entry.id ? '#343434' : undefined}
                  data-item={entry.id}
                  draggable={entry.group === 'Layers'}
                  onDragStart={() => setDragged(entry.id)}
                  onDragOver={(event) => event.preventDefault()}
                  onDrop={(event) => (event.preventDefault(), event.stopPropagation(), reorder(entry.id))}
                  onClick={() => set({ chosen: entry.id, ...stepOf(entry.id) })}
                  onKeyDown={(event) => {
                    if (event.key === 'Enter') set({ chosen: entry.id, ...stepOf(entry.id) })
                  }}
                >
                  {chosen === entry.id && <Bracket />}
                  <entry.icon size={14} strokeWidth={1.4} color={COLOURS.soft} />
                  <Box truncate opacity={entry.item && !entry.item.shown ? 0.45 : 1}>
                    {entry.name}
                  </Box>
                  <Flex gap="5px" align="center">
                    <span className="num" style={{ color: COLOURS.faint }}>
                      {entry.kind}
                    </span>
                    {entry.item && (
                      <>
                        <Press
                          plain
                          padding="0"
                          aria-label={`${entry.item.locked ? 'Unlock' : 'Lock'} ${entry.name}`}
                          onClick={(event) => (
                            event.stopPropagation(), edit({ items: { [entry.id]: { locked: !entry.item?.locked } } })
                          )}
                        >
                          {entry.item.locked ? <Lock size={12} /> : <LockOpen size={12} opacity={0.35} />}
                        </Press>
                        <Press
                          plain
                          padding="0"
                          aria-label={`${entry.item.shown ? 'Hide' : 'Show'} ${entry.name}`}
                          onClick={(event) => (
                            event.stopPropagation(), edit({ items: { [entry.id]: { shown: !entry.item?.shown } } })
                          )}
                        >
                          {entry.item.shown ? <Eye size={12} /> : <EyeOff size={12} />}
                        </Press>
                      </>
                    )}
                  </Flex>
                  {entry.kept !== undefined && (
                    <Box position="absolute" left="39px" right="12px" bottom="2px" height="2px" background="#3a3a3a">
                      <Box height="2px" background="#9a9a9a" width={`${entry.kept * 100}%`} />
                    </Box>
                  )}
                </Row>
              ))}
          </Box>
        ))}
        {shown.length === 0 && (
          <Box padding="10px 14px" color="soft">
            {station === 'Set'
              ? 'Nothing stands in the set yet. Add the ground first, then drag a wall or box on the plate.'
              : station === 'Effects'
                ? 'No effect yet. Press Fire, then click where it burns.'
                : find
                  ? 'Nothing of that name.'
                  : 'Nothing here yet.'}
          </Box>
        )}
      </Box>
      <Flex gap="6px" padding="8px 10px" borderTopWidth="1px" borderColor="hair" wrap="wrap">
        {(station === 'Set' || all) && <Press onClick={() => add('ground')}>Ground</Press>}
        {(station === 'Set' || all) && (
          <Press aria-pressed={tool === 'box'} onClick={() => set({ tool: tool === 'box' ? 'choose' : 'box' })}>
            Wall or box
          </Press>
        )}
        {(station === 'Effects' || all) && (
          <Press aria-pressed={tool === 'fire'} onClick={() => set({ tool: tool === 'fire' ? 'choose' : 'fire' })}>
            Fire
          </Press>
        )}
        {(station === 'Effects' || station === 'Light' || station === 'Sit' || all) && (
          <Add aria-label="Add" value="" onChange={(event) => addOther(event.target.value)}>
            <option value="" disabled>
              {station === 'Effects' || all ? 'Other kinds' : 'Add'}
            </option>
            {(station === 'Effects' || all) && (
              <>
                <optgroup label="Gas">
                  {KINDS.map((kind) => (
                    <option key={kind.id} value={`kind-${kind.id}`} title={kind.hint}>
                      {kind.name}
                    </option>
                  ))}
                  <option value="elsewhere">From elsewhere (OpenVDB)</option>
                </optgroup>
                <optgroup label="For a gas">
                  <option value="add-source">Source</option>
                  <option value="add-force">Force</option>
                  <option value="add-reuse">A kept run again</option>
                </optgroup>
              </>
            )}
            <optgroup label="Signals">
              <option value="signal">Signal</option>
            </optgroup>
          </Add>
        )}
        <input
          ref={files}
          type="file"
          accept=".vdb"
          multiple
          hidden
          aria-label="OpenVDB files"
          onChange={(event) => {
            const chosenFiles = [...(event.target.files ?? [])]
            event.target.value = ''
            if (chosenFiles.length > 0) void takeVolumes(chosenFiles).catch(say)
          }}
        />
        <Press plain aria-pressed={all} onClick={() => setAll(!all)}>
          {all ? 'Of this station' : 'Everything'}
        </Press>
      </Flex>
    </Flex>
  )
}
