import type { FrameNeeds } from '@lantern/core/pipeline'
import { useEffect } from 'react'
import { create } from 'zustand'
import { call, shotPath } from '../api.ts'
import { type ShotState, useShot } from '../shot/shotStore.ts'

// Where mattes are needed, as the server tells it frame by frame.

/** Frames that are asked for at once. */
const BLOCK = 16
/** Milliseconds after a change, and after frames landed, before it is asked again. */
const QUIET = { change: 700, landed: 8000 } as const
const STATIONS: readonly string[] = ['Set', 'Mattes', 'Effects', 'Light', 'Sit']

interface Needs {
  /** Of which shot and state of it. */
  of: string
  frames: ReadonlyMap<number, FrameNeeds>
}
export const useNeeds = create<Needs>()(() => ({ of: '', frames: new Map() }))

/** Blocks of frames, those round a frame first. */
export function blocksRound(frame: number, first: number, last: number): [number, number][] {
  const blocks = Array.from({ length: Math.ceil((last - first + 1) / BLOCK) }, (_, n): [number, number] => [
    first + n * BLOCK,
    Math.min(last, first + (n + 1) * BLOCK - 1),
  ])
  const away = ([from, to]: [number, number]): number => Math.max(from - frame, frame - to, 0)
  return blocks.sort((a, b) => away(a) - away(b))
}

/** Takes frames into what is known. */
function take(of: string, found: readonly FrameNeeds[]): void {
  useNeeds.setState((old) => {
    const frames = new Map(old.frames)
    for (const one of found) frames.set(one.frame, one)
    return { of, frames }
  })
}

/** Asks for what the shot's mattes are needed for, while a station is open that shows it. */
export function useNeedsOf({
  name,
  shot,
  status,
  saving,
  station,
}: Pick<ShotState, 'name' | 'shot' | 'status' | 'saving' | 'station'>): void {
  const { first, last } = shot?.document.plate ?? { first: 0, last: -1 }
  const wanted = STATIONS.includes(station) && shot !== undefined && saving === 0
  const head = wanted ? `${name}/${shot.head}` : ''
  const landed = Object.values(status?.items ?? {}).reduce((sum, { kept }) => sum + kept.length, 0)
  useEffect(() => {
    if (!head) return
    let ended = false
    const fresh = !useNeeds.getState().of.startsWith(`${head}/`)
    const of = `${head}/${landed}`
    if (useNeeds.getState().of === of) return
    const waited = setTimeout(
      () => {
        void (async () => {
          for (const [from, to] of blocksRound(useShot.getState().frame, first, last)) {
            if (ended) return
            const { frames } = await call<{ frames: FrameNeeds[] }>(`${shotPath(name)}/needs?from=${from}&to=${to}`)
            if (!ended) take(of, frames)
          }
        })().catch((error) => !ended && useShot.getState().say(error))
      },
      fresh ? QUIET.change : QUIET.landed,
    )
    return () => {
      ended = true
      clearTimeout(waited)
    }
  }, [head, landed, name, first, last])
  // Another shot's are of no use here.
  useEffect(() => useNeeds.setState({ of: '', frames: new Map() }), [])
}

/** Runs of frames in words: 1034–1071, 1080. */
export function framesText(frames: readonly number[]): string {
  const runs: [number, number][] = []
  for (const frame of [...frames].sort((a, b) => a - b)) {
    const last = runs.at(-1)
    if (last && frame === last[1] + 1) last[1] = frame
    else runs.push([frame, frame])
  }
  return runs.map(([from, to]) => (from === to ? String(from) : `${from}–${to}`)).join(', ')
}

/** What a matte is needed for: by item the frames on which that lies behind it, and before it. */
export function needOf(frames: Needs['frames'], matte: string): Map<string, { behind: number[]; before: number[] }> {
  const found = new Map<string, { behind: number[]; before: number[] }>()
  for (const { frame, mattes } of frames.values())
    for (const [item, { behind, before }] of Object.entries(mattes[matte]?.items ?? {})) {
      const own = found.get(item) ?? { behind: [], before: [] }
      if (behind > 0) own.behind.push(frame)
      if (before > 0) own.before.push(frame)
      found.set(item, own)
    }
  return found
}

/** Which part of a matte's width is needed, in words; empty where all of it is. */
export function partText(from: number, to: number): string {
  if (to - from > 0.75 || to <= from) return ''
  const middle = (from + to) / 2
  return middle < 0.4 ? 'left side only' : middle > 0.6 ? 'right side only' : 'middle only'
}

/** The regions that an item crosses where no matte covers them, with the frames. */
export function uncoveredBy(frames: Needs['frames'], item: string): Map<string, number[]> {
  const found = new Map<string, number[]>()
  for (const { frame, uncovered } of frames.values())
    for (const [region, items] of Object.entries(uncovered))
      if (items.includes(item)) found.set(region, [...(found.get(region) ?? []), frame])
  return found
}

/** The outline of cells, as a path in px of the plate. */
export function cellsPath(
  cells: readonly number[],
  { width, height }: Pick<FrameNeeds, 'width' | 'height'>,
  plate: { width: number; height: number },
): string {
  const all = new Set(cells)
  const [sx, sy] = [plate.width / width, plate.height / height]
  const has = (x: number, y: number): boolean => x >= 0 && y >= 0 && x < width && y < height && all.has(y * width + x)
  return cells
    .map((n) => {
      const [x, y] = [n % width, Math.floor(n / width)]
      const [left, top] = [(x * sx).toFixed(1), (y * sy).toFixed(1)]
      const [right, foot] = [((x + 1) * sx).toFixed(1), ((y + 1) * sy).toFixed(1)]
      return [
        has(x, y - 1) ? '' : `M${left} ${top}H${right}`,
        has(x, y + 1) ? '' : `M${left} ${foot}H${right}`,
        has(x - 1, y) ? '' : `M${left} ${top}V${foot}`,
        has(x + 1, y) ? '' : `M${right} ${top}V${foot}`,
      ].join('')
    })
    .join('')
}
