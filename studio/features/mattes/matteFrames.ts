import { LanternError } from '@lantern/core/base'
import type { MatteFrame } from '@lantern/core/data'
import { readMatteFrame } from '@lantern/core/formats'
import { useEffect, useMemo } from 'react'
import { create } from 'zustand'
import { useShallow } from 'zustand/react/shallow'
import { type ShotState, useShot } from '../shot/shotStore.ts'

// Kept frames of mattes in the browser.

const MOST = 240
const useFrames = create<{ frames: ReadonlyMap<string, MatteFrame> }>()(() => ({ frames: new Map() }))
const asked = new Set<string>()

async function fetchFrame(place: string): Promise<void> {
  if (asked.has(place)) return
  asked.add(place)
  try {
    const answer = await fetch(`/api/results/${place}`)
    if (!answer.ok) throw new LanternError('no-result', 'The kept matte can’t be read.', 'Carry it again.')
    const frame = readMatteFrame(new Uint8Array(await answer.arrayBuffer()))
    useFrames.setState(({ frames }) => {
      const next = new Map(frames).set(place, frame)
      for (const old of next.keys()) {
        if (next.size <= MOST) break
        next.delete(old)
        asked.delete(old)
      }
      return { frames: next }
    })
  } catch (error) {
    asked.delete(place)
    useShot.getState().say(error)
  }
}

/** Where a matte's frames are kept now: the one that was carried, and the one cut from new strokes. */
export function mattePlaces(
  { status }: Pick<ShotState, 'status'>,
  id: string,
  frame: number,
): { carried?: string; cut?: string } {
  const run = status?.items[id]
  const cut = status?.mattes[id]?.[frame]
  return {
    ...(run?.kept.includes(frame) ? { carried: `${run.key}/${frame}` } : {}),
    ...(cut?.state === 'done' ? { cut: `${cut.key}/0` } : {}),
  }
}

/** The kept frames of a matte at a frame, read as they come. */
export function useMatteFrames(id: string, frame: number): { carried?: MatteFrame; cut?: MatteFrame } {
  const [carried, cut] = useShot(
    useShallow((state) => {
      const places = mattePlaces(state, id, frame)
      return [places.carried, places.cut]
    }),
  )
  useEffect(() => {
    for (const place of [carried, cut]) if (place) void fetchFrame(place)
  }, [carried, cut])
  const frames = useFrames((state) => state.frames)
  return {
    carried: carried === undefined ? undefined : frames.get(carried),
    cut: cut === undefined ? undefined : frames.get(cut),
  }
}

/** The carried frames of mattes at a frame, by matte, read as they come. */
export function useCarriedFrames(ids: readonly string[], frame: number): ReadonlyMap<string, MatteFrame> {
  const places = useShot(useShallow((state) => ids.map((id) => mattePlaces(state, id, frame).carried ?? '')))
  const mark = places.join(' ')
  useEffect(() => {
    for (const place of mark.split(' ')) if (place) void fetchFrame(place)
  }, [mark])
  const frames = useFrames((state) => state.frames)
  const names = ids.join(' ')
  return useMemo(() => {
    const all = mark.split(' ')
    return new Map(
      names.split(' ').flatMap((id, n) => {
        const one = frames.get(all[n] ?? '')
        return one ? [[id, one] as const] : []
      }),
    )
  }, [names, mark, frames])
}
