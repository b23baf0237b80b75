'use client'
import { Box, Flex } from '@chakra-ui/react'
import { bakedItems } from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import { useEffect, useState } from 'react'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { useMatchFilesOf } from '../match/matchData.ts'
import { useNeedsOf } from '../mattes/needs.ts'
import { usePlateFilesOf } from '../plate/plateFiles.ts'
import { DepthRail } from '../rail/DepthRail.tsx'
import { usePointsOf } from '../shot/points.ts'
import { useShared } from '../shot/sharing.ts'
import { type Compare, useShot, useShotParts, type View } from '../shot/shotStore.ts'
import { Looks } from './looks.ts'
import { looksNow } from './looksNow.ts'
import { OutsidePane } from './OutsidePane.tsx'
import { Pane } from './Pane.tsx'
import { sourceOf } from './passSource.ts'
import { playOn } from './playClock.ts'

const VIEWS: readonly [View, string][] = [
  ['camera', 'Camera'],
  ['outside', 'Outside'],
  ['both', 'Both'],
  ['triptych', 'Triptych'],
]
const COMPARES: readonly [Compare, string][] = [
  ['wipe', 'Wipe'],
  ['beside', 'Beside'],
  ['difference', 'Difference'],
]
function useLooks(): Looks | undefined {
  const [looks, setLooks] = useState<Looks>()
  useEffect(() => {
    const made = new Looks()
    setLooks(made)
    looksNow.current = made
    window.lantern = { hash: (threads) => made.hash(threads), linear: () => made.linear() }
    return () => {
      if (looksNow.current === made) looksNow.current = undefined
      made.end()
    }
  }, [])
  return looks
}

/** Moves the frame on while it plays. */
function usePlaying(looks: Looks | undefined, playing: number, document: ShotDocument | undefined): void {
  // Play: the clock decides the frame; frames not laid yet are waited for, so that the first round is slow and the next at rate.
  useEffect(() => {
    if (!looks || playing === 0 || !document) return
    const rate = (document.plate.rate[0] / document.plate.rate[1]) * playing
    let clock = performance.now()
    let going = true
    const tick = (time: number): void => {
      if (!going) return
      const now = useShot.getState()
      const [from, to] = now.loop
      let target = now.frame
      clock = playOn(clock, time, 1000 / Math.abs(rate), () => {
        const next = rate > 0 ? (target >= to ? from : target + 1) : target <= from ? to : target - 1
        if (!looks.want(now, next)) return false
        target = next
        return true
      })
      if (target !== now.frame) useShot.setState({ frame: target })
      requestAnimationFrame(tick)
    }
    requestAnimationFrame(tick)
    return () => {
      going = false
    }
  }, [looks, playing, document])
}

/** The pressed one of several stands in brackets. */
const bracketed = (name: string, pressed: boolean) =>
  pressed ? (
    <>
      <span style={{ color: '#9a9a9a' }}>[ </span>
      {name}
      <span style={{ color: '#9a9a9a' }}> ]</span>
    </>
  ) : (
    name
  )

/** Which view, what it is compared with, and how bright it is shown. */
function PictureBar() {
  const { view, compare, exposure, set } = useShotParts('view', 'compare', 'exposure', 'set')
  return (
    <Flex
      gap="10px"
      align="center"
      height="32px"
      paddingX="12px"
      background="panel"
      borderBottomWidth="1px"
      borderColor="hair"
      flex="none"
    >
      {VIEWS.map(([key, name]) => (
        <Press key={key} plain aria-pressed={view === key} onClick={() => set({ view: key })}>
          {bracketed(name, view === key)}
        </Press>
      ))}
      <Box flex="1" />
      {COMPARES.map(([key, name]) => (
        <Press
          key={key}
          plain
          aria-pressed={compare === key}
          onClick={() => set({ compare: compare === key ? 'none' : key })}
        >
          {bracketed(name, compare === key)}
        </Press>
      ))}
      <Box width="78px">
        <NumberField
          label="View exposure"
          value={exposure}
          unit="EV"
          step={0.1}
          span={[-6, 6]}
          initial={0}
          onValue={(value) => set({ exposure: value })}
        />
      </Box>
    </Flex>
  )
}

/** A document but for how its layers are laid: what drafts are made of. */
const withoutStack = ({ sit, ...document }: ShotDocument) => ({ ...document, curve: sit.curve })

/** The picture: the shot through its camera, from outside, both, or three frames at once. */
export function Picture() {
  const looks = useLooks()
  const state = useShotParts(
    'name',
    'shot',
    'status',
    'station',
    'frame',
    'playing',
    'loop',
    'view',
    'compare',
    'tool',
    'saving',
    'go',
  )
  const { shot, view, compare, frame, playing, status, station } = state

  // Drafts of gases burn in the browser for what is not kept yet.
  const document = shot?.document
  const drawn = useShared(document && withoutStack(document))
  useMatchFilesOf(document, status)
  useNeedsOf(state)
  usePlateFilesOf(status?.readings, status?.check)
  usePointsOf(state.name, document)
  // biome-ignore lint/correctness/useExhaustiveDependencies: a draft hangs on nothing that only the stack has
  useEffect(() => {
    const document = useShot.getState().shot?.document
    if (!looks || !document || !status || document.camera.kind === 'none' || station === 'Match') return
    const now = useShot.getState()
    const { from, source } = sourceOf(now, frame)
    const held = source.kind === 'runs' ? source.keys : {}
    const unkept = from === 'draft' || from === 'plate'
    for (const [id] of bakedItems(document))
      if (!(id in held) && (status.items[id]?.state !== 'done' || unkept)) looks.startDraft(now, id)
      else looks.cancelDraft(id)
  }, [looks, drawn, frame, status, station])

  const { loop } = state
  useEffect(() => {
    if (status && loop[1] > loop[0]) looks?.rest()
  }, [looks, status, loop])

  usePlaying(looks, playing, document)

  if (!shot || !document) return null
  const empty = document.camera.kind === 'none'
  return (
    <Flex as="section" aria-label="Picture" direction="column" minWidth="0" minHeight="0" background="well">
      <PictureBar />
      <Flex flex="1" minHeight="0">
        {view !== 'outside' && view !== 'triptych' && <DepthRail />}
        {looks && view === 'triptych' ? (
          <Flex flex="1" minWidth="0" gap="2px">
            {(
              [
                ['first', document.plate.first],
                ['now', frame],
                ['last', document.plate.last],
              ] as const
            ).map(([label, at]) => (
              <Pane key={label} looks={looks} frame={at} label={label} overlay />
            ))}
          </Flex>
        ) : (
          <>
            {looks && view !== 'outside' && (
              <Pane looks={looks} frame={frame} overlay={compare === 'none' || state.tool !== 'choose'} />
            )}
            {view !== 'camera' && <OutsidePane />}
          </>
        )}
      </Flex>
      {empty && state.station !== 'Plate' && state.station !== 'Match' && (
        <Flex role="status" gap="10px" align="center" padding="6px 12px" background="raised" color="soft">
          This shot has no camera yet, so nothing can stand in it.{' '}
          <Press onClick={() => state.go('Match')}>Give it a camera</Press>
        </Flex>
      )}
    </Flex>
  )
}
