'use client'
import { canonicalJson, LanternError } from '@lantern/core/base'
import { type BreakingItem, breakSettings } from '@lantern/core/effects/breaking'
import { isThing } from '@lantern/core/set'
import type { ShotDocument } from '@lantern/core/shot'
import { useEffect } from 'react'
import { create } from 'zustand'
import type { CutReply, CutRequest } from '@/workers/cut.worker.ts'
import { useShot } from '../../shot/shotStore.ts'
import { inputsNow } from '../../shot/world.ts'

// Where things will break, as a worker works it out; the newest wish wins.

interface Cuts {
  /** By item: what it was cut by, and its outlines. */
  cuts: Readonly<Record<string, { key: string; cut?: CutReply; error?: LanternError }>>
}
export const useCuts = create<Cuts>(() => ({ cuts: {} }))

let worker: Worker | undefined
let number = 0
const waiting = new Map<number, { item: string; key: string }>()

function hear({ data }: MessageEvent<CutReply>): void {
  const asked = waiting.get(data.id)
  waiting.delete(data.id)
  const { cuts } = useCuts.getState()
  if (asked && cuts[asked.item]?.key === asked.key)
    useCuts.setState({ cuts: { ...cuts, [asked.item]: { key: asked.key, cut: data } } })
}

/** Keeps what an item is cut into up to date while it is shown. */
export function useCutOf(id: string, item: BreakingItem, document: ShotDocument): void {
  useEffect(() => {
    const timer = setTimeout(() => {
      const { cuts } = useCuts.getState()
      let request: Omit<CutRequest, 'id'>
      try {
        const { parts, mesh, cut } = breakSettings(document, item, inputsNow(useShot.getState()))
        const thing = document.items[item.piece]
        // Its lines are seen as well on the lighter form of a mesh.
        const lighter = mesh && isThing(thing) ? { mesh: { ...mesh, blob: thing.mesh.standIn } } : {}
        request = { shot: document.name, item: id, parts, ...lighter, cut }
      } catch (error) {
        if (!(error instanceof LanternError)) throw error
        if (cuts[id]?.error?.message !== error.message)
          useCuts.setState({ cuts: { ...cuts, [id]: { key: '', error } } })
        return
      }
      const key = canonicalJson(request)
      if (cuts[id]?.key === key) return
      worker ??= new Worker(new URL('../../../workers/cut.worker.ts', import.meta.url), { type: 'module' })
      worker.onmessage = hear
      number++
      waiting.set(number, { item: id, key })
      useCuts.setState({ cuts: { ...cuts, [id]: { key, cut: cuts[id]?.cut } } })
      worker.postMessage({ ...request, id: number } satisfies CutRequest)
    }, 120)
    return () => clearTimeout(timer)
  }, [id, item, document])
}
