import { readPoints } from '@lantern/core/formats'
import type { ShotDocument } from '@lantern/core/shot'
import { useEffect } from 'react'
import { create } from 'zustand'
import { useShot } from './shotStore.ts'

// Tables of points that sources come from, in the browser, by blob.
export const usePoints = create<{ tables: Readonly<Record<string, ReturnType<typeof readPoints>>> }>()(() => ({
  tables: {},
}))

const asked = new Set<string>()

async function fetchTable(name: string, blob: string, file: string): Promise<void> {
  if (asked.has(blob)) return
  asked.add(blob)
  try {
    const answer = await fetch(`/api/shots/${encodeURIComponent(name)}/points?blob=${blob}`)
    if (!answer.ok) throw new Error(`${file} can’t be read.`)
    const table = readPoints(new Uint8Array(await answer.arrayBuffer()), file)
    usePoints.setState((old) => ({ tables: { ...old.tables, [blob]: table } }))
  } catch (error) {
    asked.delete(blob)
    useShot.getState().say(error)
  }
}

/** Reads the tables that a shot's sources name. */
export function usePointsOf(name: string, document: ShotDocument | undefined): void {
  const wanted = Object.values(document?.items ?? {}).flatMap((item) =>
    'points' in item && item.shape === 'points' && item.points ? [item.points] : [],
  )
  const key = wanted.map(({ blob, file }) => `${blob}/${file}`).join(' ')
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says what is wanted
  useEffect(() => {
    for (const { blob, file } of wanted) void fetchTable(name, blob, file)
  }, [key, name])
}
