'use client'
import { Box, chakra, Flex } from '@chakra-ui/react'
import { Blend, Eye, EyeOff, Lock, LockOpen } from 'lucide-react'
import { type ComponentProps, memo } from 'react'
import { Press } from '@/ui/Press.tsx'
import { COLOURS } from '@/ui/theme.ts'
import { framesText, uncoveredBy, useNeeds } from '../mattes/needs.ts'
import { useShot } from '../shot/shotStore.ts'
import type { Entry } from './entries.ts'

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

/** The step of the match that has a thing's bench. */
const stepOf = (id: string): { matchStep?: 'Track' | 'Proof' | 'Things' } =>
  id.startsWith('thing.')
    ? { matchStep: 'Things' }
    : /^(keepout|hand)\./.test(id)
      ? { matchStep: 'Track' }
      : id.startsWith('proof.')
        ? { matchStep: 'Proof' }
        : {}

/** Says of an effect that it crosses people where no matte covers them. */
function Uncovered({ id, name }: { id: string; name: string }) {
  const { frames } = useNeeds()
  const crossed = [...uncoveredBy(frames, id)]
  if (crossed.length === 0) return null
  const text = crossed.map(([region, own]) => `${region} on ${framesText(own)}`).join('; ')
  return (
    <span
      role="img"
      aria-label={`${name} crosses ${text}, where no matte covers it`}
      title={`Crosses ${text}, where no matte covers it.`}
      data-uncovered={id}
      style={{ color: COLOURS.wrong, display: 'flex' }}
    >
      <Blend size={12} />
    </span>
  )
}

/** In a narrow roster an open lock is seen only where it can be pressed, so that names have the room. */
const AWAY = {
  '@container (max-width: 176px)': {
    position: 'absolute',
    right: '28px',
    opacity: 0,
    background: '#343434',
    '[data-item]:hover &': { opacity: 1 },
    '&:focus-visible': { opacity: 1 },
  },
}

/** Locks a thing, or unlocks it. */
const LockMark = ({ name, locked, change }: { name: string; locked: boolean; change(): void }) => (
  <Press
    plain
    padding="0"
    aria-label={`${locked ? 'Unlock' : 'Lock'} ${name}`}
    onClick={(event) => (event.stopPropagation(), change())}
    css={locked ? undefined : AWAY}
  >
    {locked ? <Lock size={12} /> : <LockOpen size={12} opacity={0.35} />}
  </Press>
)

/** Locks and hides a layer, or a group of them. */
function LayerMarks({ entry: { name, layer } }: { entry: Entry }) {
  const edit = useShot((state) => state.edit)
  if (!layer) return null
  const change = (value: Record<string, boolean>): void =>
    edit(layer.path.reduceRight((inner: Record<string, unknown>, step) => ({ [step]: inner }), value))
  return (
    <>
      {layer.locked !== undefined && (
        <LockMark name={name} locked={layer.locked} change={() => change({ locked: !layer.locked })} />
      )}
      <Press
        plain
        padding="0"
        aria-label={`${layer.shown ? 'Hide' : 'Show'} ${name}`}
        onClick={(event) => (event.stopPropagation(), change({ shown: !layer.shown }))}
      >
        {layer.shown ? <Eye size={12} /> : <EyeOff size={12} />}
      </Press>
    </>
  )
}

/** One thing of the shot: its name, what it is, whether it is shown and locked, how much of it is kept. */
export const RosterRow = memo(function RosterRow({ entry, ...place }: { entry: Entry } & ComponentProps<typeof Row>) {
  const chosen = useShot((state) => state.chosen === entry.id)
  const set = useShot((state) => state.set)
  const edit = useShot((state) => state.edit)
  return (
    <Row
      role="option"
      tabIndex={0}
      aria-selected={chosen}
      background={chosen ? '#343434' : undefined}
      data-item={entry.id}
      {...place}
      onClick={() => set({ chosen: entry.id, ...stepOf(entry.id) })}
      onKeyDown={(event) => {
        if (event.key === 'Enter') set({ chosen: entry.id, ...stepOf(entry.id) })
      }}
    >
      {chosen && <Bracket />}
      <entry.icon size={14} strokeWidth={1.4} color={COLOURS.soft} />
      <Box
        truncate
        opacity={(entry.item ?? entry.layer)?.shown === false ? 0.45 : 1}
        paddingLeft={entry.layer?.inside ? '10px' : undefined}
      >
        {entry.name}
      </Box>
      <Flex gap="5px" align="center">
        <chakra.span className="num" color="faint" css={{ '@container (max-width: 176px)': { display: 'none' } }}>
          {entry.kind}
        </chakra.span>
        <Uncovered id={entry.id} name={entry.name} />
        {entry.layer && <LayerMarks entry={entry} />}
        {entry.item && (
          <>
            <LockMark
              name={entry.name}
              locked={entry.item.locked}
              change={() => edit({ items: { [entry.id]: { locked: !entry.item?.locked } } })}
            />
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
  )
})
