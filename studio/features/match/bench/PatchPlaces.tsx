'use client'
import { Text } from '@chakra-ui/react'
import { smaller } from '@lantern/core/cards'
import { plateClip } from '@lantern/core/effects/cards'
import { HOLDS, patchHolds, patchPlaces } from '@lantern/core/match'
import type { ManualTrack, ShotDocument } from '@lantern/core/shot'
import { useEffect, useState } from 'react'
import { Press } from '@/ui/Press.tsx'
import { frameOfClip } from '../../effects/cards/clips.ts'
import { useShotParts } from '../../shot/shotStore.ts'
import type { Corner } from '../exclusionMasks.ts'
import { makeHand, placesOf } from '../manualTracks.ts'
import type { ShownMatch } from '../matchData.ts'

/** How tall what is looked at is at least, px. */
const LEAST_TALL = 180
/** Frames after which a patch must still look the same. */
const LATER = 10

/** A frame of the plate and one a little later (before, at its end), small, and how many of its px one of theirs is. */
async function framesFor(document: ShotDocument, frame: number) {
  const clip = plateClip(document)
  const { first, last } = document.plate
  const other = frame + LATER <= last ? frame + LATER : Math.max(first, frame - LATER)
  if (!clip || other === frame) return undefined
  const small = async (n: number) => smaller(await frameOfClip(clip, n), LEAST_TALL)
  const [now, later] = await Promise.all([small(frame), small(other)])
  return { now, later, scale: document.plate.width / now.width }
}

/** Proposes where a flat patch would hold: contrast both ways that looks the same some frames later. Pressed again: the next best place. */
export function ProposePatch({ shown }: { shown: ShownMatch }) {
  const { shot, frame, say, set } = useShotParts('shot', 'frame', 'say', 'set')
  const [busy, setBusy] = useState(false)
  if (!shot) return null
  const { document } = shot
  const propose = async (): Promise<void> => {
    const frames = await framesFor(document, frame)
    if (!frames) return set({ message: { text: 'One frame alone does not tell what holds.', good: false } })
    const { now, later, scale } = frames
    const taken = Object.entries(document.match.hands).flatMap(([id, hand]) => {
      const places = placesOf(hand, shown.hands[id], frame, document.plate.first)
      return places?.length === 4 ? [places] : []
    })
    const free = (x: number, y: number): boolean =>
      taken.every((places) => {
        const [xs, ys] = [places.map(([u]) => u / scale), places.map(([, v]) => v / scale)]
        return x < Math.min(...xs) || x > Math.max(...xs) || y < Math.min(...ys) || y > Math.max(...ys)
      })
    const [best] = patchPlaces(now, later, 1, free)
    if (!best)
      return set({
        message: { text: 'Nothing flat with contrast both ways holds here: try another frame.', good: false },
      })
    const [x0, y0, x1, y1] = [best.x, best.y, best.x + best.side, best.y + best.side].map((v) => v * scale) as [
      number,
      number,
      number,
      number,
    ]
    makeHand(frame, [
      [x0, y0],
      [x1, y0],
      [x1, y1],
      [x0, y1],
    ])
    set({
      message: {
        text: `A patch that is ${Math.round(100 * best.likeness)} % the same ${LATER} frames later.`,
        good: true,
      },
    })
  }
  return (
    <Press
      disabled={busy}
      onClick={() => {
        setBusy(true)
        void propose()
          .catch(say)
          .finally(() => setBusy(false))
      }}
    >
      {busy ? 'Looking…' : 'Propose a patch'}
    </Press>
  )
}

/** Warns of a patch that changes by itself. */
export function PatchHolds({ hand }: { hand: ManualTrack }) {
  const { shot } = useShotParts('shot')
  const [likeness, setLikeness] = useState<number>()
  const [key] = hand.keys
  const plate = shot?.document.plate
  // biome-ignore lint/correctness/useExhaustiveDependencies: asked anew where the patch or the plate is another one alone
  useEffect(() => {
    let gone = false
    setLikeness(undefined)
    if (!shot || key?.places.length !== 4) return
    const [xs, ys] = [0, 1].map((c) => key.places.map((place: Corner) => place[c] ?? 0)) as [number[], number[]]
    const side = Math.sqrt((Math.max(...xs) - Math.min(...xs)) * (Math.max(...ys) - Math.min(...ys)))
    framesFor(shot.document, key.frame).then(
      (frames) => {
        if (gone || !frames) return
        const { now, later, scale } = frames
        setLikeness(patchHolds(now, later, Math.min(...xs) / scale, Math.min(...ys) / scale, side / scale))
      },
      // Without them nothing is said.
      () => undefined,
    )
    return () => {
      gone = true
    }
  }, [key, plate?.asset])
  if (likeness === undefined || likeness >= HOLDS) return null
  return (
    <Text color="wrong" role="status">
      {likeness < 0
        ? 'There is no contrast to hold on to: take a patch with marks on it.'
        : 'What is seen there changes by itself, as foliage and water do: take a stiff, flat patch.'}
    </Text>
  )
}
