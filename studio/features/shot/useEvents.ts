import { useEffect } from 'react'
import { concerns, type NewsEvent } from './news.ts'
import { useShot } from './shotStore.ts'

const GATHER_MS = 250

/** Follows the store's events: frames landing, other edits, the database coming back. */
export function useEvents(name: string): void {
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined
    const source = new EventSource('/api/events')
    // What comes close together is answered once; where the shot itself has changed among it, the whole shot is read.
    let whole = false
    const soon = (shotToo: boolean): void => {
      whole ||= shotToo
      timer ??= setTimeout(() => {
        timer = undefined
        const { load, refreshStatus } = useShot.getState()
        void (whole ? load(name) : refreshStatus())
        whole = false
      }, GATHER_MS)
    }
    source.onmessage = (message: MessageEvent<string>) => {
      const state = useShot.getState()
      const wanted = concerns(JSON.parse(message.data) as NewsEvent, state)
      if (wanted) soon(wanted === 'shot')
    }
    source.onopen = () => {
      if (useShot.getState().away) void useShot.getState().load(name)
    }
    source.onerror = () => useShot.getState().set({ away: true })
    const back = setInterval(() => {
      if (useShot.getState().away) void useShot.getState().load(name)
    }, 2000)
    return () => {
      source.close()
      clearTimeout(timer)
      clearInterval(back)
    }
  }, [name])
}
