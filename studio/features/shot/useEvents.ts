import { useEffect } from 'react'
import { useShot } from './shotStore.ts'

const GATHER_MS = 250

/** Follows the store's events: frames landing, other edits, the database coming back. */
export function useEvents(name: string): void {
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined
    const source = new EventSource('/api/events')
    const soon = (work: () => void): void => {
      timer ??= setTimeout(() => {
        timer = undefined
        work()
      }, GATHER_MS)
    }
    source.onmessage = (message: MessageEvent<string>) => {
      const event = JSON.parse(message.data) as { what: string; shot?: number; head?: number }
      const { shot, saving, load, refreshStatus } = useShot.getState()
      if (event.what === 'shot' && event.shot === shot?.id && event.head !== shot?.head && saving === 0) soon(() => void load(name))
      else if (event.what !== 'shots') soon(() => void refreshStatus())
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
