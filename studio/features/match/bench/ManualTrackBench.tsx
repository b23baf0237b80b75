'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { type ManualTrack, SETTINGS } from '@lantern/core/shot'
import { useState } from 'react'
import { Press } from '@/ui/Press.tsx'
import { Settings } from '../../bench/Settings.tsx'
import { useShotParts } from '../../shot/shotStore.ts'
import type { Corner } from '../exclusionMasks.ts'
import { placesOf, setHand, TRUSTED } from '../manualTracks.ts'
import type { ShownMatch } from '../matchData.ts'
import { Inset } from './Inset.tsx'
import { PatchHolds } from './PatchPlaces.tsx'
import { Figure, Part } from './parts.tsx'

const NUDGE = 0.1
const WAYS = [
  ['←', -NUDGE, 0],
  ['↑', 0, -NUDGE],
  ['↓', 0, NUDGE],
  ['→', NUDGE, 0],
] as const

/** What of a track counts, and how much. */
function Trims({ id, hand }: { id: string; hand: ManualTrack }) {
  const { shot, frame, edit, set } = useShotParts('shot', 'frame', 'edit', 'set')
  if (!shot) return null
  const flat = hand.keys[0]?.places.length === 4
  const { first, last } = shot.document.plate
  const [from, to] = hand.span ?? [first, last]
  const change = (value: Partial<Record<keyof ManualTrack, unknown>>): void =>
    edit({ match: { hands: { [id]: value } } })
  return (
    <>
      <Flex gap="6px" marginTop="6px" wrap="wrap">
        {!flat && (
          <Press
            aria-pressed={hand.trust >= TRUSTED}
            onClick={() => change({ trust: hand.trust >= TRUSTED ? 5 : TRUSTED })}
          >
            Trust this
          </Press>
        )}
        <Press disabled={frame <= from || frame >= to} onClick={() => change({ span: [frame, to] })}>
          Trim before
        </Press>
        <Press disabled={frame <= from || frame >= to} onClick={() => change({ span: [from, frame] })}>
          Trim after
        </Press>
        {hand.span && <Press onClick={() => change({ span: null })}>Whole again</Press>}
        <Press onClick={() => (edit({ match: { hands: { [id]: null } } }), set({ chosen: '' }))}>Remove</Press>
      </Flex>
      {hand.span && (
        <Text className="num" color="faint" marginTop="4px">
          used {from}–{to}
        </Text>
      )}
    </>
  )
}

/** A locked-off camera that trembles as the patch does. */
function Trembles({ id, hand, followed }: { id: string; hand: ManualTrack; followed: boolean }) {
  const { shot, edit } = useShotParts('shot', 'edit')
  if (!shot) return null
  const { plate, camera } = shot.document
  const still = camera.kind === 'typed' || camera.kind === 'lined'
  return (
    <Box marginTop="6px">
      <Press
        disabled={!still || !followed}
        aria-pressed={camera.shake?.hand === id}
        onClick={() =>
          edit({
            camera: {
              shake:
                camera.shake?.hand === id
                  ? null
                  : { hand: id, frame: hand.keys[0]?.frame ?? plate.first, model: 'turn' },
            },
          })
        }
      >
        The camera trembles with it
      </Press>
      {!still && (
        <Text color="faint" marginTop="4px">
          For a typed or lined-up camera, locked off.
        </Text>
      )}
    </Box>
  )
}

/** The chosen track set by hand: seen large, nudged, followed, trusted, trimmed. */
export function ManualTrackBench({ shown, id, hand }: { shown: ShownMatch; id: string; hand: ManualTrack }) {
  const { shot, status, frame, edit, preview, ask } = useShotParts('shot', 'status', 'frame', 'edit', 'preview', 'ask')
  const [held, setHeld] = useState<Corner>()
  if (!shot) return null
  const { plate } = shot.document
  const stage = status?.match.hands[id]
  const followed = shown.hands[id]
  const places = placesOf(hand, followed, frame, plate.first)
  const flat = hand.keys[0]?.places.length === 4
  const isKey = hand.keys.some((key) => key.frame === frame)
  const change = (value: Partial<Record<keyof ManualTrack, unknown>>, final = true): void =>
    (final ? edit : preview)({ match: { hands: { [id]: value } } })
  const busy = stage?.state === 'running' || stage?.state === 'waiting'
  const { likeness, first, lost, looks } = (stage?.figures ?? {}) as {
    likeness?: number[]
    first?: number
    lost?: number[]
    looks?: number
  }
  const now = likeness?.[frame - (first ?? 0)]
  const follow = (): void => void ask({ what: 'hand', hand: id })
  const move = (dx: number, dy: number): void =>
    places &&
    setHand(
      id,
      frame,
      places.map(([x, y]) => [x + dx, y + dy]),
    )
  return (
    <Part title={hand.name} note={flat ? 'flat patch' : 'point'}>
      {places?.[0] && !flat && (
        <Inset
          asset={plate.asset}
          frame={frame}
          place={held ?? places[0]}
          pattern={hand.pattern}
          onPlace={(place, final) => (setHeld(final ? undefined : place), final && setHand(id, frame, [place]))}
        />
      )}
      {flat && <PatchHolds hand={hand} />}
      {!places && (
        <Text color="soft" marginTop="4px">
          {stage?.state === 'done' ? 'Not seen at this frame.' : 'Not followed to this frame yet.'} Set it here by
          clicking the picture with the tool below.
        </Text>
      )}
      <Flex gap="4px" marginTop="6px" wrap="wrap" align="center">
        {WAYS.map(([label, dx, dy]) => (
          <Press
            key={label}
            aria-label={`Nudge ${label} by a tenth of a pixel`}
            disabled={!places}
            onClick={() => move(dx, dy)}
          >
            {label}
          </Press>
        ))}
        {places && (
          <Text className="num" color="soft" data-place>
            {places[0]?.[0].toFixed(2)}, {places[0]?.[1].toFixed(2)}
          </Text>
        )}
      </Flex>
      <Flex gap="6px" marginTop="6px" wrap="wrap">
        {busy ? (
          <Press onClick={() => void ask({ what: 'stop-match' })}>Stop</Press>
        ) : (
          <Press main disabled={stage?.state === 'done'} onClick={follow}>
            Follow
          </Press>
        )}
        <Press disabled={!places || isKey} onClick={() => places && setHand(id, frame, places)}>
          Set here
        </Press>
        <Press
          disabled={!isKey || hand.keys.length < 2}
          onClick={() => (change({ keys: hand.keys.filter((key) => key.frame !== frame) }), follow())}
        >
          Remove key
        </Press>
      </Flex>
      <Text className="num" color="soft" role="status" aria-label="Track by hand, progress" marginTop="4px">
        {busy
          ? stage.state === 'waiting'
            ? 'waiting for the farm'
            : `${Math.round(stage.share * 100)} % followed`
          : `set at ${hand.keys.map((key) => key.frame).join(', ')}`}
      </Text>
      {stage?.error && stage.state === 'failed' && (
        <Text role="alert" color="wrong" marginTop="5px">
          {stage.error.message} {stage.error.remedy}
        </Text>
      )}
      {likeness && first !== undefined && <Figure label="Followed" value={`${first}–${first + likeness.length - 1}`} />}
      {now !== undefined && (
        <Figure label="Like its look, now" value={`${(100 * now).toFixed(0)} %`} wrong={now < 0.75} />
      )}
      {looks !== undefined && looks > 0 && <Figure label="New looks taken" value={String(looks)} />}
      {lost?.map((at) => (
        <Text key={at} color="wrong">
          Lost at frame {at}. Go there and set it again, or trim it.
        </Text>
      ))}
      <Box marginX="-14px">
        <Settings
          settings={SETTINGS.hand.filter(({ key }) => !(flat && (key === 'pattern' || key === 'trust')))}
          values={hand}
          onChange={(key, value, final) => change({ [key]: value }, final)}
        />
      </Box>
      <Trims id={id} hand={hand} />
      {flat && <Trembles id={id} hand={hand} followed={stage?.state === 'done'} />}
    </Part>
  )
}
