import { isBaked, kindInfo, type ShotDocument, sitSchema } from '@lantern/core/shot'
import type { ShotStatus } from '@lantern/store'

export const STATIONS = ['Plate', 'Match', 'Set', 'Mattes', 'Effects', 'Light', 'Picture', 'Sit', 'Hand-off'] as const
export type Station = (typeof STATIONS)[number]
/** Unlit: nothing yet. Glowing: begun or stale. Lit: done and current. */
export type Lantern = 'unlit' | 'glowing' | 'lit'

export interface StationState {
  lantern: Lantern
  figure: string
}

/** Whether a chosen thing (an item's id, or a name as in ShotState.chosen) is a station's own, so that it stays chosen there. */
export function belongs(station: Station, chosen: string, document: ShotDocument): boolean {
  const item = document.items[chosen]
  if (item) return station === kindInfo(item).station
  return (
    (/^(camera|keepout\..*|hand\..*|thing\..*|proof\..*|track\..*)$/.test(chosen) && station === 'Match') ||
    (chosen.startsWith('reading.') && station === 'Plate') ||
    (chosen.startsWith('signal.') && (station === 'Effects' || station === 'Light' || station === 'Sit')) ||
    (chosen === 'plateLight' && station === 'Light') ||
    (/^layers?\./.test(chosen) && station === 'Sit')
  )
}

const SIT_AT_FIRST = JSON.stringify(sitSchema.parse({}))

function matchState({ camera }: ShotDocument, status: ShotStatus | undefined): StationState {
  const { tracks, solve } = status?.match ?? {}
  const busy = [tracks, solve].find((stage) => stage?.state === 'running')
  if (busy) return { lantern: 'glowing', figure: `${Math.round(busy.share * 100)} %` }
  if (camera.kind === 'path') return { lantern: 'lit', figure: 'taken in' }
  if (camera.kind === 'typed') return { lantern: 'lit', figure: 'typed' }
  if (camera.kind === 'lined') return { lantern: 'lit', figure: 'lined up' }
  if (camera.kind === 'solved')
    return solve && camera.solve?.key !== solve.key
      ? { lantern: 'glowing', figure: 'stale' }
      : { lantern: 'lit', figure: `${camera.solve?.medianPx.toFixed(2) ?? ''} px` }
  return tracks?.state === 'done' ? { lantern: 'glowing', figure: 'tracked' } : { lantern: 'unlit', figure: '' }
}

/** How the shot sits: lines within of lines in all, once it was checked as it is. */
function sitState(status: ShotStatus | undefined, touched: boolean): StationState | undefined {
  const { state, share, figures } = status?.check ?? {}
  if (state === 'running' || state === 'waiting')
    return { lantern: 'glowing', figure: `${Math.round(100 * (share ?? 0))} %` }
  const { within, all } = (figures ?? {}) as { within?: number; all?: number }
  if (state === 'done' && within !== undefined && all)
    return { lantern: within === all ? 'lit' : 'glowing', figure: `${within} of ${all}` }
  return touched ? { lantern: 'glowing', figure: 'not checked' } : undefined
}

/** What each station shows under its lantern. */
export function stationStates(document: ShotDocument, status: ShotStatus | undefined): Record<Station, StationState> {
  const items = Object.values(document.items)
  const pieces = items.filter((item) => kindInfo(item).station === 'Set').length
  const mattes = items.filter((item) => kindInfo(item).station === 'Mattes').length
  const effects = Object.entries(document.items).filter(
    ([, item]) => kindInfo(item).station === 'Effects' && kindInfo(item).baked && item.shown,
  )
  const total = document.plate.last - document.plate.first + 1
  const isKept = (id: string): boolean => {
    const run = status?.items[id]
    return run !== undefined && run.kept.length === run.last - run.first + 1
  }
  // What falls without end has nothing to keep.
  const done = effects.filter(([id, item]) => !isBaked(item) || isKept(id)).length
  const { look, final } = status ?? {}
  const best = final && final.kept.length > 0 ? final : look
  const touched = JSON.stringify(document.sit) !== SIT_AT_FIRST
  const off: StationState = { lantern: 'unlit', figure: '' }
  return {
    Plate: {
      lantern: status?.asset.state === 'ready' ? 'lit' : 'glowing',
      figure: status?.asset.state === 'ready' ? `${total} fr` : `${status?.asset.done ?? 0} of ${total}`,
    },
    Match: matchState(document, status),
    Set: pieces ? { lantern: 'lit', figure: String(pieces) } : off,
    Mattes: mattes ? { lantern: 'lit', figure: String(mattes) } : off,
    Effects: effects.length
      ? { lantern: done === effects.length ? 'lit' : 'glowing', figure: `${done} of ${effects.length}` }
      : off,
    Light: { lantern: 'lit', figure: `${document.light.illuminance} lx` },
    Picture:
      !best || best.kept.length + best.stale.length === 0
        ? off
        : {
            lantern: best.kept.length === total ? 'lit' : 'glowing',
            figure: best.kept.length === 0 ? 'stale' : `${best.kept.length} fr`,
          },
    Sit: sitState(status, touched) ?? off,
    'Hand-off': off,
  }
}
