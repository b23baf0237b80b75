import { LanternError } from '@lantern/core/base'
import type { Camera } from '@lantern/core/data'
import { cameraAt, hasPath } from '@lantern/core/pipeline'
import { mergePatch, parseShot, type ShotDocument } from '@lantern/core/shot'
import type { Shot, ShotStatus } from '@lantern/store'
import { create } from 'zustand'
import { useShallow } from 'zustand/react/shallow'
import { call, shotPath } from '../api.ts'
import { paced } from './paced.ts'
import { remembered } from './remembered.ts'
import { sharing } from './sharing.ts'
import { belongs, STATIONS, type Station } from './stations.ts'
import type { Compare, MatchStep, Region, Tool, View } from './words.ts'

export * from './words.ts'

export interface DraftState {
  key: string
  /** The run's first frame; how many of its frames there are by now, of how many; how many of them are of the second, finer burn. */
  first: number
  frames: number
  of: number
  fine: number
  /** Frames burnt so far, run-up and finer ones too. */
  made: number
  /** Edge of a cell, m, and whether this is the second, finer burn. */
  cell: number
  finer: boolean
  heatKw: number[]
  height: number[]
  axialFlameLength: number[]
  baseBuoyancy: number[]
  /** Of what breaks. */
  breaking?: { pieces: number; moving: number[]; energy: number[]; fastest: number[]; missed: string[] }
  milliseconds: number
}

export interface ShotState {
  name: string
  shot?: Shot
  status?: ShotStatus
  /** Of the document that `status` was read for: what decides the picture's keys. */
  statusDigest: string
  cameras: { first: number; cameras: Camera[] }
  frame: number
  playing: number
  loop: [number, number]
  station: Station
  /** An item's id, or 'keepout.ID', 'hand.ID', 'thing.ID', 'reading.ID', 'proof.ID', 'track.NUMBER', 'camera', 'plateLight', 'sit', 'layer.ID', 'layers.ID' (a group of layers). */
  chosen: string
  view: View
  compare: Compare
  wipe: number
  exposure: number
  /** The part of the picture that is made as the final has it, in shares of it. */
  region?: Region
  /** One light that is shown alone: a lamp's id, or 'plateLight'; '': all. */
  alone: string
  /** One layer of the stack that is shown alone; '': all. */
  soloLayer: string
  /** Whether the picture has the whole window. */
  whole: boolean
  tool: Tool
  /** The chosen shape of the chosen matte, and whether a change of it is a key or is made on all of its keys. */
  shape: string
  scope: 'frame' | 'all'
  /** Of strokes that are drawn next, px of the plate. */
  strokeWidth: number
  /** Of what is painted next: the brush's radius, m, and the share of it over which it fades. */
  brush: { radius: number; soft: number }
  sheet: boolean
  matchStep: MatchStep
  /** Shows the shot's own solve while a new one waits. */
  oldSolve: boolean
  away: boolean
  message?: { text: string; good: boolean }
  /** How bright the shown frame's flame is before any exposure, times white. */
  flame?: number
  /** The shown frame's layers that hold no numbers and were left out. */
  spoiled?: string
  /** The shown frame's plate as it is shown: r g b and one more a pixel. */
  plateBytes?: Uint8Array
  drafts: Record<string, DraftState>
  saving: number
  set(change: Partial<ShotState>): void
  /** To a station; what is not its own is no longer chosen. */
  go(station: Station): void
  load(name: string): Promise<void>
  refreshStatus(): Promise<void>
  /** Shows a status that the server sent, unless a newer one is shown. cameras: where they were asked for with it. */
  takeStatus(name: string, status: ShotStatus & { version?: number }, cameras?: ShotState['cameras']): Promise<void>
  /** Shows a change without keeping it, while something is dragged: soon, or at once where the next step counts on it. */
  preview(patch: Record<string, unknown>, atOnce?: boolean): void
  /** Keeps a change as a new revision. unseen: it is shown once it is kept, as what names a file that the server gives out only then. */
  edit(patch: Record<string, unknown>, unseen?: boolean): void
  history(way: 'undo' | 'redo'): void
  ask(wanted: Record<string, unknown>): Promise<string[]>
  takeCamera(file: File): Promise<void>
  /** Makes the new solve the shot's camera. */
  takeSolve(): Promise<void>
  say(error: unknown): void
  moveTo(frame: number): void
}

/** What of a document decides the pictures' keys. */
export function pictureDigest({ items, light, camera, plate, sit, signals, readings }: ShotDocument): string {
  const parts = [
    items,
    light,
    camera,
    plate,
    sit.curve,
    ...(Object.keys(signals).length > 0 ? [signals, readings] : []),
  ]
  if (digested?.parts.length !== parts.length || parts.some((part, n) => part !== digested?.parts[n]))
    digested = { parts, digest: JSON.stringify(parts) }
  return digested.digest
}
let digested: { parts: readonly unknown[]; digest: string } | undefined

/** What of a status the cameras hang on: the document, and what is followed for a camera that shakes. */
const camerasDigest = ({ head, match }: ShotStatus): string =>
  JSON.stringify([head, Object.values(match.hands).map(({ key, state }) => [key, state])])

/** The version of the status that is shown, and what the cameras that are shown were made of. */
let statusShown = 0
let camerasOf = ''

/** Edits go to the server one after another, each against the revision that the one before made. */
let chain: Promise<unknown> = Promise.resolve()

export const useShot = create<ShotState>()((set, get) => ({
  name: '',
  statusDigest: '',
  cameras: { first: 0, cameras: [] },
  frame: 0,
  playing: 0,
  loop: [0, 0],
  station: 'Plate',
  chosen: '',
  view: 'camera',
  compare: 'none',
  wipe: 0.5,
  exposure: 0,
  alone: '',
  soloLayer: '',
  whole: false,
  tool: 'choose',
  shape: '',
  scope: 'frame',
  strokeWidth: 4,
  brush: { radius: 0.25, soft: 0.3 },
  matchStep: 'Track',
  oldSolve: false,
  sheet: false,
  away: false,
  drafts: {},
  saving: 0,
  set(change) {
    set(change)
    const { name, frame, station, chosen, view, matchStep, shot } = get()
    if (
      shot &&
      ('frame' in change || 'station' in change || 'chosen' in change || 'view' in change || 'matchStep' in change)
    )
      localStorage.setItem(`lantern.${name}`, JSON.stringify({ frame, station, chosen, view, matchStep }))
  },
  go(station) {
    const { shot, chosen } = get()
    get().set({
      station,
      alone: '',
      soloLayer: '',
      region: undefined,
      tool: 'choose',
      chosen: shot && belongs(station, chosen, shot.document) ? chosen : '',
    })
  },
  async load(name) {
    try {
      const shot = await call<Shot>(shotPath(name))
      waiting.length = 0
      const before = get()
      const { first, last } = shot.document.plate
      const kept = remembered(name)
      const fresh = before.name !== name
      set({
        name,
        shot,
        away: false,
        ...(fresh
          ? {
              drafts: {},
              loop: [first, last],
              frame: Math.min(last, Math.max(first, kept.frame ?? first)),
              station: STATIONS.find((one) => one === kept.station) ?? 'Plate',
              chosen: kept.chosen ?? '',
              view: kept.view ?? 'camera',
              matchStep: kept.matchStep ?? 'Track',
              oldSolve: false,
            }
          : {}),
      })
      await get().refreshStatus()
    } catch (error) {
      get().say(error)
    }
  },
  async refreshStatus() {
    const { name, shot } = get()
    if (!shot) return
    try {
      // After an edit the cameras are wanted too, and asked for beside it.
      const [status, cameras] = await Promise.all([
        call<ShotStatus & { version?: number }>(`${shotPath(name)}/status`),
        get().status?.head === shot.head ? undefined : call<ShotState['cameras']>(`${shotPath(name)}/cameras`),
      ])
      await get().takeStatus(name, status, cameras)
    } catch (error) {
      get().say(error)
    }
  },
  async takeStatus(name, status, found) {
    try {
      const digest = `${name} ${camerasDigest(status)}`
      const cameras =
        digest === camerasOf ? undefined : (found ?? (await call<ShotState['cameras']>(`${shotPath(name)}/cameras`)))
      // One that comes after a later one is old news.
      if ((status.version ?? Infinity) < statusShown || get().name !== name) return
      statusShown = status.version ?? statusShown
      camerasOf = digest
      const now = get().shot
      set({
        status: sharing(get().status, status),
        ...(cameras ? { cameras } : {}),
        away: false,
        ...(now && now.head === status.head ? { statusDigest: pictureDigest(now.document) } : {}),
      })
    } catch (error) {
      get().say(error)
    }
  },
  preview(patch, atOnce = false) {
    // The next value of the same drag stands for the one before.
    if (waiting.length > 0 && shapeOf(waiting.at(-1)) === shapeOf(patch)) waiting.pop()
    waiting.push(patch)
    if (atOnce) previews.now()
    else previews.ask()
  },
  edit(patch, unseen = false) {
    if (!unseen) waiting.push(patch)
    previews.now()
    const said = get().message
    set({ saving: get().saving + 1 })
    chain = chain.then(async () => {
      const { shot, name } = get()
      if (!shot) return
      try {
        const next = await call<Shot>(shotPath(name), { method: 'PATCH', json: { base: shot.head, patch } })
        const waiting = get().saving > 1
        const now = get().shot?.document
        set({
          shot: { ...next, document: (waiting ? now : undefined) ?? sharing(now, next.document) },
          // What is said of this very change stays.
          message: get().message === said ? undefined : get().message,
        })
        await get().refreshStatus()
      } catch (error) {
        get().say(error)
        const there = await call<Shot>(shotPath(name)).catch(() => undefined)
        if (there) set({ shot: there })
      } finally {
        set({ saving: get().saving - 1 })
      }
    })
  },
  history(way) {
    chain = chain.then(async () => {
      const { name, shot } = get()
      if (!shot || (way === 'undo' ? !shot.canUndo : !shot.canRedo)) return
      try {
        const next = await call<Shot>(`${shotPath(name)}/history`, { json: { way } })
        set({ shot: { ...next, document: sharing(get().shot?.document, next.document) }, message: undefined })
        await get().refreshStatus()
      } catch (error) {
        get().say(error)
      }
    })
  },
  async ask(wanted) {
    try {
      await chain
      const { keys } = await call<{ keys: string[] }>(`${shotPath(get().name)}/ask`, { json: wanted })
      await get().refreshStatus()
      return keys
    } catch (error) {
      get().say(error)
      return []
    }
  },
  async takeSolve() {
    try {
      await chain
      const { name, shot } = get()
      if (!shot) return
      set({
        shot: await call<Shot>(`${shotPath(name)}/solve`, { json: { base: shot.head } }),
        oldSolve: false,
        message: undefined,
      })
      await get().refreshStatus()
    } catch (error) {
      get().say(error)
    }
  },
  async takeCamera(file) {
    const { name, shot } = get()
    if (!shot) return
    try {
      const { notes, ...next } = await call<Shot & { notes: string[] }>(
        `${shotPath(name)}/camera?file=${encodeURIComponent(file.name.slice(0, 200))}&base=${shot.head}`,
        { method: 'POST', body: file },
      )
      set({ shot: next, message: { text: [`Camera taken in from ${file.name}.`, ...notes].join(' '), good: true } })
      await get().refreshStatus()
    } catch (error) {
      get().say(error)
    }
  },
  say(error) {
    const known = error instanceof LanternError ? error : undefined
    if (known?.code === 'away' || known?.code === 'database') set({ away: true })
    else set({ message: { text: known ? `${known.message} ${known.remedy}` : String(error), good: false } })
  },
  moveTo(frame) {
    const { shot } = get()
    if (!shot) return
    const { first, last } = shot.document.plate
    get().set({ frame: Math.min(last, Math.max(first, Math.round(frame))) })
  },
}))

/** What a change is of, whatever its numbers. */
const shapeOf = (patch: unknown): string => JSON.stringify(patch, (_, value) => (typeof value === 'number' ? 0 : value))

/** Changes that are shown next, in order. */
const waiting: Record<string, unknown>[] = []
/** Shows them: a drag sends them faster than a slow machine draws. */
const previews = paced(() => {
  const { shot } = useShot.getState()
  const patches = waiting.splice(0)
  if (!shot || patches.length === 0) return
  try {
    const document = parseShot(patches.reduce<unknown>((made, patch) => mergePatch(made, patch), shot.document))
    useShot.setState({ shot: { ...shot, document: sharing(shot.document, document) } })
  } catch {
    // A value on the way that the document can't hold; the end of the drag will say so.
  }
})

/** Parts of the state, in a component that is made anew where one of these changes alone. */
export const useShotParts = <K extends keyof ShotState>(...names: K[]): Pick<ShotState, K> =>
  useShot(useShallow((state) => Object.fromEntries(names.map((name) => [name, state[name]])) as Pick<ShotState, K>))

/** The camera at a frame as the document is shown now, edits not yet kept included. */
export function cameraNow(state: Pick<ShotState, 'shot' | 'cameras'>, frame: number): Camera | undefined {
  const document = state.shot?.document
  if (!document) return undefined
  if (!hasPath(document)) return cameraAt(document, undefined, frame)
  const { first, cameras } = state.cameras
  return cameras[Math.min(cameras.length - 1, Math.max(0, frame - first))]
}
