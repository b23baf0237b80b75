import { useState } from 'react'
import { useShotParts } from '../shot/shotStore.ts'

/** Files on their way in for an item: what goes on now, and what starts it. What goes wrong is said. */
export function useTaking(): { doing: string; take(work: (say: (what: string) => void) => Promise<void>): void } {
  const { say } = useShotParts('say')
  const [doing, setDoing] = useState('')
  const take = async (work: (say: (what: string) => void) => Promise<void>): Promise<void> => {
    try {
      await work(setDoing)
    } catch (error) {
      say(error)
    } finally {
      setDoing('')
    }
  }
  return { doing, take: (work) => void take(work) }
}
