import {
  type CheckInputs,
  nudgesBetween,
  type SlideInputs,
  type SpeedSources,
  slideBase,
  speedLines,
  standingLayers,
  trackOffs,
} from '@lantern/core/pipeline'
import type { CheckRequest } from '@/workers/protocol.ts'
import { keptFigure } from '../items/keptRows.ts'
import { shownMatch, useMatchFiles } from '../match/matchData.ts'
import { sourceOf } from '../picture/passSource.ts'
import { usePlateFiles } from '../plate/plateFiles.ts'
import { cameraNow, type ShotState } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'

// What the check of a frame has from beside it: another frame that slides are told against, and how fast fires go.

/** What tells how fast the shot's fires go, as far as it is known here. */
function speedSources({ shot, status }: ShotState): SpeedSources {
  const { readings } = usePlateFiles.getState()
  return {
    figures(item) {
      const run = status?.items[item]
      if (!run || run.kept.length === 0) return undefined
      const series = (name: string): number[] => [...keptFigure(run, name).values()]
      return {
        heatKw: series('heatKw'),
        axialFlameLength: series('axialFlameLength'),
        baseBuoyancy: series('baseBuoyancy'),
      }
    },
    clip(card) {
      const id = Object.entries(shot?.document.readings ?? {}).find(
        ([, { area }]) => area.kind === 'clip' && area.card === card,
      )?.[0]
      return readings[status?.readings.areas[id ?? '']?.reading.key ?? '']
    },
  }
}

/** How fast lays go for their size. */
export const speedsNow = (state: ShotState, frame: number): CheckInputs['speeds'] =>
  state.shot && speedLines(state.shot.document, frame, inputsNow(state), speedSources(state))

const offs = new WeakMap<object, Map<string, SlideInputs['offs']>>()

/** What the slides of a frame are told from: only over pictures that are kept. */
export function slideNow(state: ShotState, frame: number): CheckRequest['slide'] {
  const { shot, status } = state
  if (!shot || !status) return undefined
  const { from } = sourceOf(state, frame)
  const kept = from === 'final' || from === 'look' ? status[from].kept : []
  const base = slideBase(shot.document.plate, kept, frame)
  const [camera, there] = [cameraNow(state, frame), cameraNow(state, base)]
  if (!camera || !there) return undefined
  const match = shownMatch(state, useMatchFiles.getState())
  const known = offs.get(match) ?? new Map<string, SlideInputs['offs']>()
  offs.set(match, known)
  const pair = `${frame} ${base}`
  const found = known.get(pair) ?? (match.fresh ? [] : trackOffs(match.solve, match.tracks, frame, base))
  known.set(pair, found)
  const key = kept.includes(base) && (from === 'final' || from === 'look') ? status[from].keys[base] : undefined
  const inputs = inputsNow(state)
  return {
    camera,
    other: { camera: there, frame: base, ...(key ? { key } : {}) },
    offs: found,
    nudges: nudgesBetween(shot.document, frame, base, inputs),
    standing: [...standingLayers(shot.document, frame, base, inputs)],
  }
}
