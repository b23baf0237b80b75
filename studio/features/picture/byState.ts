import { useMatchFiles } from '../match/matchData.ts'
import { usePlateFiles } from '../plate/plateFiles.ts'
import { usePoints } from '../shot/points.ts'
import type { ShotState } from '../shot/shotStore.ts'

/** What of the state decides how a frame is laid, and the files that have come. */
const decidingOf = (state: ShotState): readonly unknown[] => [
  state.shot,
  state.status,
  state.statusDigest,
  state.cameras,
  state.drafts,
  state.exposure,
  state.alone,
  state.region,
  state.soloLayer,
  state.station,
  usePlateFiles.getState(),
  useMatchFiles.getState(),
  usePoints.getState(),
]

/** What is made of the state at a frame, made once for as long as nothing that decides it changes: many ask for it at every change. */
export function byState<T>(make: (state: ShotState, frame: number) => T): (state: ShotState, frame: number) => T {
  let of: readonly unknown[] = []
  const made = new Map<number, { value: T }>()
  return (state, frame) => {
    const now = decidingOf(state)
    if (now.some((one, n) => one !== of[n])) made.clear()
    of = now
    const there = made.get(frame) ?? { value: make(state, frame) }
    made.set(frame, there)
    return there.value
  }
}
