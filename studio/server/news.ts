import { listen, type Store, type StoreEvent } from '@lantern/store'

interface Subscriber {
  heard(event: StoreEvent): void
  /** Called once when the database goes; the subscriber is then off the list. */
  lost(): void
}
interface News {
  subscribers: Set<Subscriber>
  /** How to end the one listening connection. */
  listening?: Promise<() => void>
}

const kept: News = ((globalThis as { lanternNews?: News }).lanternNews ??= { subscribers: new Set() })

/** Hears what happens in the store, over one connection for all pages of this process. Returns how to leave. Throws where the database is away. */
export async function subscribe(store: Store, subscriber: Subscriber): Promise<() => void> {
  const { subscribers } = kept
  subscribers.add(subscriber)
  kept.listening ??= listen(
    store,
    (event) => {
      for (const one of subscribers) one.heard(event)
    },
    () => {
      kept.listening = undefined
      const all = [...subscribers]
      subscribers.clear()
      for (const one of all) one.lost()
    },
  )
  try {
    await kept.listening
  } catch (error) {
    kept.listening = undefined
    subscribers.delete(subscriber)
    throw error
  }
  return () => {
    subscribers.delete(subscriber)
    if (subscribers.size > 0) return
    const last = kept.listening
    kept.listening = undefined
    void last?.then(
      (end) => end(),
      () => undefined,
    )
  }
}
