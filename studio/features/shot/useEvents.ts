import type { ShotStatus, StoreEvent } from '@lantern/store'
import { applyPatch, type Operation } from 'fast-json-patch'
import { useEffect } from 'react'
import { useShot } from './shotStore.ts'

export type Dated = ShotStatus & { version: number }
export type StatusMessage = { status: Dated } | { base: number; version: number; changes: Operation[] }

/** The status after a message; undefined where a message is missing between the two, so that all of it is wanted anew. */
export function statusAfter(before: Dated | undefined, message: StatusMessage): Dated | undefined {
  if ('status' in message) return message.status
  if (before?.version !== message.base) return undefined
  const after = applyPatch(before, message.changes, false, false).newDocument
  return { ...after, version: message.version }
}

const AGAIN_MS = 2000

/** Follows what happens: the shot's status as it changes, edits made elsewhere, the database coming back. */
export function useEvents(name: string): void {
  useEffect(() => {
    let source: EventSource | undefined
    let streamed: Dated | undefined
    const open = (): void => {
      streamed = undefined
      source = new EventSource(`/api/events?shot=${encodeURIComponent(name)}`)
      source.addEventListener('status', (event: MessageEvent<string>) => {
        streamed = statusAfter(streamed, JSON.parse(event.data) as StatusMessage)
        if (streamed) void useShot.getState().takeStatus(name, streamed)
        else {
          source?.close()
          open()
        }
      })
      source.onmessage = (message: MessageEvent<string>) => {
        const { shot, saving, load } = useShot.getState()
        const event = JSON.parse(message.data) as StoreEvent
        if (event.what === 'shot' && event.shot === shot?.id && event.head !== shot?.head && saving === 0)
          void load(name)
      }
      source.onopen = () => {
        if (useShot.getState().away) void useShot.getState().load(name)
      }
      source.onerror = () => useShot.getState().set({ away: true })
    }
    open()
    const back = setInterval(() => {
      if (useShot.getState().away) void useShot.getState().load(name)
    }, AGAIN_MS)
    return () => {
      source?.close()
      clearInterval(back)
    }
  }, [name])
}
