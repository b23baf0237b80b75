'use client'
import { Box, Dialog, Flex, Portal, Text } from '@chakra-ui/react'
import Link from 'next/link'
import { useEffect } from 'react'
import { Press } from '@/ui/Press.tsx'
import { Bench } from '../bench/Bench.tsx'
import { dropClip, isClip } from '../effects/cards/clips.ts'
import { SHORTCUTS, useKeys } from '../keys/keys.ts'
import { Line } from '../line/Line.tsx'
import { Picture } from '../picture/Picture.tsx'
import { Roster } from '../roster/Roster.tsx'
import { takeThing } from '../set/things.ts'
import { Strip } from '../strip/Strip.tsx'
import { ShotPanels } from './ShotPanels.tsx'
import { useShotParts } from './shotStore.ts'
import { useEvents } from './useEvents.ts'

function Farm() {
  const { status, shot } = useShotParts('status', 'shot')
  const machines = new Set(status?.machines.map(({ host }) => host)).size
  const runs = Object.entries(status?.items ?? {}).filter(
    ([, run]) => run.state === 'running' || run.state === 'waiting',
  )
  const picture = (['look', 'final'] as const).find((quality) => status?.[quality].state === 'running')
  const reading = status?.asset.state === 'reading' || status?.asset.state === 'waiting'
  const matching = [status?.match.tracks, status?.match.solve].find((stage) => stage?.state === 'running')
  const running = runs[0]
  const total = shot ? shot.document.plate.last - shot.document.plate.first + 1 : 1
  const [what, share, left] = reading
    ? ['Reading the plate', (status?.asset.done ?? 0) / Math.max(1, status?.asset.total ?? 1), null]
    : matching
      ? [matching === status?.match.tracks ? 'Following the plate' : 'Solving the camera', matching.share, null]
      : running
        ? [
            `${shot?.document.items[running[0]]?.name ?? 'Effect'}, ${running[1].doing ?? `${running[1].kept.length} of ${total}`}`,
            running[1].kept.length / total,
            running[1].secondsLeft,
          ]
        : picture
          ? [
              `${picture === 'look' ? 'First look' : 'Final'}, ${status?.[picture].kept.length} of ${total}`,
              (status?.[picture].kept.length ?? 0) / total,
              status?.[picture].secondsLeft,
            ]
          : [status?.machines.find(({ doing }) => doing)?.doing ?? '', 0, null]
  return (
    <Box padding="12px 14px" textAlign="right" minWidth="0" role="status" aria-label="Farm">
      <Text color="soft">
        {machines === 0 ? 'No farm machine' : `Farm, ${machines} machine${machines > 1 ? 's' : ''}`}
        {left ? (
          <span className="num" style={{ color: '#ececec' }}>
            {' '}
            {Math.floor(left / 60)}:{String(Math.round(left % 60)).padStart(2, '0')} left
          </span>
        ) : null}
      </Text>
      <Box height="3px" background="line" marginTop="6px">
        <Box height="3px" background="lamp" width={`${share * 100}%`} />
      </Box>
      <Text color="faint" marginTop="4px" truncate>
        {what}
      </Text>
    </Box>
  )
}

function Sheet() {
  const { sheet, set } = useShotParts('sheet', 'set')
  return (
    <Dialog.Root open={sheet} onOpenChange={({ open }) => set({ sheet: open })} size="sm">
      <Portal>
        <Dialog.Backdrop background="blackAlpha.600" />
        <Dialog.Positioner>
          <Dialog.Content background="panel" borderWidth="1px" borderColor="line">
            <Dialog.Header padding="14px 18px 6px">
              <Dialog.Title fontSize="15px">Keys</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body padding="0 18px 16px">
              {SHORTCUTS.map(([keys, what]) => (
                <Flex key={keys} justify="space-between" gap="14px" minHeight="22px">
                  <span className="num" style={{ whiteSpace: 'nowrap' }}>
                    {keys}
                  </span>
                  <span style={{ color: '#b4b4b4', textAlign: 'right' }}>{what}</span>
                </Flex>
              ))}
            </Dialog.Body>
            <Dialog.CloseTrigger asChild>
              <Press plain aria-label="Close the sheet" style={{ position: 'absolute', right: 12, top: 12 }}>
                Close
              </Press>
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}

/** Where a pointer is over the picture, in shares of it; undefined beside it. */
function shareAt(x: number, y: number): [number, number] | undefined {
  const box = document.querySelector('canvas[data-picture=main]')?.getBoundingClientRect()
  if (!box || box.width === 0) return undefined
  const share: [number, number] = [(x - box.left) / box.width, (y - box.top) / box.height]
  return share.every((part) => part >= 0 && part <= 1) ? share : undefined
}

/** Always the same, so that nothing in it is made anew with the screen around it. */
const PANELS = <ShotPanels roster={<Roster />} picture={<Picture />} bench={<Bench />} strip={<Strip />} />

/** One shot: the line above, the roster, the picture, the bench, the strip below. */
export function ShotScreen({ name }: { name: string }) {
  const { shot, load, away, message, set, history, saving, say, whole } = useShotParts(
    'shot',
    'load',
    'away',
    'message',
    'set',
    'history',
    'saving',
    'say',
    'whole',
  )
  useEffect(() => void load(name), [name, load])
  useEvents(name)
  useKeys()
  const plate = shot?.document.plate
  const ready = shot && shot.name === name
  return (
    <Box
      as="main"
      display="grid"
      height="100vh"
      gridTemplateRows={whole ? '0 minmax(0, 1fr)' : '66px minmax(0, 1fr)'}
      background="floor"
      overflow="hidden"
      data-saving={saving > 0 ? 'yes' : 'no'}
      data-head={shot?.head}
      onDragOver={(event) => event.dataTransfer.types.includes('Files') && event.preventDefault()}
      onDrop={(event) => {
        const files = [...event.dataTransfer.files]
        if (files.length === 0) return
        event.preventDefault()
        const at = shareAt(event.clientX, event.clientY)
        void (isClip(files) ? dropClip(files, at) : takeThing(files, at)).catch(say)
      }}
    >
      <Box
        as="header"
        display="grid"
        gridTemplateColumns="208px 1fr 206px"
        borderBottomWidth="1px"
        borderColor="line"
        minWidth="0"
        minHeight="0"
        overflow="hidden"
        visibility={whole ? 'hidden' : undefined}
      >
        <Box padding="11px 14px" minWidth="0">
          <Flex gap="6px" align="center">
            <Link href="/" aria-label="All shots" title="All shots" style={{ color: '#9a9a9a' }}>
              ‹
            </Link>
            <Text as="h1" fontWeight="650" fontSize="15px" truncate>
              {name}
            </Text>
          </Flex>
          <Flex gap="4px" align="center">
            <Text className="num" color="soft">
              {plate ? `${plate.first}–${plate.last}` : ''}
            </Text>
            <Press plain disabled={!shot?.canUndo} onClick={() => history('undo')} title="Ctrl Z">
              Undo
            </Press>
            <Press plain disabled={!shot?.canRedo} onClick={() => history('redo')} title="Ctrl Shift Z">
              Redo
            </Press>
            <Press plain onClick={() => set({ sheet: true })} aria-label="Keys">
              ?
            </Press>
          </Flex>
        </Box>
        <Box overflowX="auto" overflowY="hidden">
          {ready && <Line />}
        </Box>
        <Farm />
      </Box>
      {ready ? (
        PANELS
      ) : (
        <Text padding="30px" color="soft" role="status">
          {message ? '' : 'Opening the shot …'}
        </Text>
      )}
      {(away || message) && (
        <Flex
          position="fixed"
          bottom="196px"
          left="50%"
          transform="translateX(-50%)"
          background="raised"
          borderWidth="1px"
          borderColor={away || !message?.good ? 'wrong' : 'soft'}
          padding="8px 14px"
          gap="12px"
          align="center"
          maxWidth="720px"
          role="alert"
          zIndex="5"
        >
          <span>
            {away
              ? 'The database or the server can’t be reached. It is tried again by itself; nothing is lost.'
              : message?.text}
          </span>
          {!away && (
            <Press plain onClick={() => set({ message: undefined })}>
              Close
            </Press>
          )}
        </Flex>
      )}
      <Sheet />
    </Box>
  )
}
