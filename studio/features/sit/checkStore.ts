import { areaAt, type FrameCheck, type LayerCheck } from '@lantern/core/pipeline'
import { useEffect } from 'react'
import { create } from 'zustand'
import type { CheckRequest } from '@/workers/protocol.ts'
import { wishOf } from '../picture/laidFrom.ts'
import { looksNow } from '../picture/looksNow.ts'
import { usePlateFiles } from '../plate/plateFiles.ts'
import { cameraNow, type ShotState, useShot } from '../shot/shotStore.ts'

import { slideNow, speedsNow } from './checkBeside.ts'

// The check of the shown frame: made when the picture has come to rest.

interface CheckState {
  /** What it was made of. */
  key: string
  check?: FrameCheck
  busy: boolean
  wrong?: string
}
export const useCheck = create<CheckState>()(() => ({ key: '', busy: false }))

const REST_MS = 350

/** An area as it lies at a frame: a layer's own, or (without a layer) the shot's. */
export function areaNow(state: ShotState, frame: number, layer?: string): [number, number][] | undefined {
  const document = state.shot?.document
  const area = layer === undefined ? document?.sit.area : document?.sit.layers[layer]?.area
  return document && area && areaAt(document, area, (n) => cameraNow(state, n), frame)
}

/** What a check has from beside the picture: areas as they lie at the frame, the plate's shutter, slides and speeds. */
function besideNow(state: ShotState, frame: number): Omit<CheckRequest, 'what' | 'id' | 'of'> {
  const area = areaNow(state, frame)
  const own = Object.keys(state.shot?.document.sit.layers ?? {}).flatMap((id) => {
    const found = areaNow(state, frame, id)
    return found ? [[id, found] as const] : []
  })
  const shutter = usePlateFiles.getState().reports[state.status?.readings.report.key ?? '']?.shutter
  const [slide, speeds] = [slideNow(state, frame), speedsNow(state, frame)]
  return {
    ...(area ? { area } : {}),
    ...(shutter ? { shutter } : {}),
    ...(slide ? { slide } : {}),
    ...(speeds ? { speeds } : {}),
    areas: Object.fromEntries(own),
  }
}

/** Checks a frame as the state is now. Throws LanternError. */
export async function checkNow(state: ShotState, frame: number): Promise<FrameCheck> {
  const { current } = looksNow
  if (!current) throw new Error('no picture is open')
  return current.check(state, frame, besideNow(state, frame))
}

/** Keeps the check of the shown frame current while it is looked at. */
export function useChecking(): CheckState {
  const state = useShot()
  const { frame, playing, soloLayer, shot } = state
  const wish = shot && wishOf(state, frame)
  const made = wish && wish.request.source.kind !== 'none'
  const key = made && !soloLayer && playing === 0 ? `${wish.key}${JSON.stringify(shot.document.sit.area)}` : ''
  const own = useCheck()
  useEffect(() => {
    if (!key) return
    if (useCheck.getState().key === key) return
    const timer = setTimeout(() => {
      useCheck.setState({ key, busy: true, wrong: undefined })
      checkNow(useShot.getState(), useShot.getState().frame)
        .then((check) => useCheck.getState().key === key && useCheck.setState({ check, busy: false }))
        .catch((error: Error & { remedy?: string }) => {
          if (useCheck.getState().key !== key) return
          useCheck.setState({ busy: false, check: undefined, wrong: `${error.message} ${error.remedy ?? ''}` })
        })
    }, REST_MS)
    return () => clearTimeout(timer)
  }, [key])
  return { ...own, ...(own.key === key ? {} : { check: own.check?.frame === frame ? own.check : undefined }) }
}

/** A layer's part of a check. */
export const layerOf = (check: FrameCheck | undefined, id: string): LayerCheck | undefined =>
  check?.layers.find((layer) => layer.id === id)
