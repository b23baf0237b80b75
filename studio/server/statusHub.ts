import { getShot, headOf, type ShotStatus, type Store, type StoreEvent, shotStatus } from '@lantern/store'
import { compare, type Operation } from 'fast-json-patch'
import { concerns } from './concerns.ts'
import { subscribe } from './news.ts'

// The status of open shots: computed once for all pages that show one, anew only after something happened, and sent to them as what has changed.

/** A status with the time that it was computed at; later ones have greater numbers. */
export type Dated = ShotStatus & { version: number }
/** What pages are sent: all of it first, then what changed against the version that they have. */
export type StatusMessage = { status: Dated } | { base: number; version: number; changes: Operation[] }

interface Watched {
  name: string
  /** The shot's own number. */
  id?: number
  status?: Dated
  /** The same as JSON, made when somebody asks for it. */
  text?: string
  /** Something happened since it was computed. */
  stale: boolean
  computing?: Promise<Dated>
  timer?: ReturnType<typeof setTimeout>
  watchers: Set<Watcher>
}
interface Watcher {
  heard(message: StatusMessage): void
  /** Whether it has all of a status, so that it understands what changed. */
  ready: boolean
}
interface Hub {
  shots: Map<string, Watched>
  /** How to leave the news. */
  listening?: Promise<() => void>
}

/** What happens close together is answered once. */
const GATHER_MS = 250
/** Shots that are remembered without a page that shows them. */
const MOST_IDLE = 20

const hub: Hub = ((globalThis as { lanternStatus?: Hub }).lanternStatus ??= { shots: new Map() })

function watchedShot(name: string): Watched {
  let one = hub.shots.get(name)
  if (!one) {
    for (const [other, { watchers }] of hub.shots)
      if (hub.shots.size >= MOST_IDLE && watchers.size === 0) hub.shots.delete(other)
    one = { name, stale: true, watchers: new Set() }
    hub.shots.set(name, one)
  }
  return one
}

/** Computes a status, once for all who want it at the same time, and tells who watches what changed. */
async function compute(store: Store, one: Watched): Promise<Dated> {
  one.stale = false
  const before = one.status
  try {
    const shot = await getShot(store, one.name)
    one.id = shot.id
    const status = await shotStatus(store, shot)
    const version = Math.max(Date.now(), (before?.version ?? 0) + 1)
    // As it goes over the wire: nothing that is undefined.
    const next = JSON.parse(JSON.stringify({ ...status, version })) as Dated
    one.status = next
    one.text = undefined
    if (one.watchers.size > 0) tell(one, before, next)
    return next
  } catch (error) {
    one.stale = true
    throw error
  }
}

function tell(one: Watched, before: Dated | undefined, next: Dated): void {
  const changes = before ? compare({ ...before, version: 0 }, { ...next, version: 0 }) : []
  if (before && changes.length === 0) {
    // Nothing to tell: whoever watches has it already.
    next.version = before.version
    return
  }
  const message: StatusMessage = before ? { base: before.version, version: next.version, changes } : { status: next }
  for (const { ready, heard } of one.watchers) if (ready) heard(message)
}

function freshStatus(store: Store, one: Watched): Promise<Dated> {
  one.computing ??= compute(store, one).finally(() => {
    one.computing = undefined
  })
  return one.computing
}

/** Computes a watched shot's status anew soon, where something happened to it. */
function soon(store: Store, one: Watched): void {
  if (one.watchers.size === 0) return
  one.timer ??= setTimeout(() => {
    one.timer = undefined
    if (!one.stale) return
    freshStatus(store, one)
      .catch(() => undefined)
      // What came while it was computed.
      .finally(() => one.stale && soon(store, one))
  }, GATHER_MS)
}

function hear(store: Store, event: StoreEvent): void {
  for (const one of hub.shots.values()) {
    if (!concerns(event, one.status, one.id)) continue
    one.stale = true
    soon(store, one)
  }
}

async function listen(store: Store): Promise<void> {
  hub.listening ??= subscribe(store, {
    heard: (event) => hear(store, event),
    lost: () => {
      hub.listening = undefined
      for (const one of hub.shots.values()) one.stale = true
    },
  })
  try {
    await hub.listening
  } catch (error) {
    hub.listening = undefined
    throw error
  }
}

/** Stops listening where nobody watches any more. */
function rest(): void {
  if ([...hub.shots.values()].some(({ watchers }) => watchers.size > 0)) return
  const last = hub.listening
  hub.listening = undefined
  for (const one of hub.shots.values()) one.stale = true
  void last?.then(
    (end) => end(),
    () => undefined,
  )
}

/** A shot's status as of now; what was computed before is known to hold while somebody watches. Throws LanternError 'no-shot'. */
export async function statusOf(store: Store, name: string): Promise<Dated> {
  const one = watchedShot(name)
  const head = await headOf(store, name)
  if (one.computing) await one.computing.catch(() => undefined)
  if (hub.listening && one.status && !one.stale && one.status.head === head) return one.status
  return freshStatus(store, one)
}

/** The same as JSON, written once for all who ask. */
export async function statusText(store: Store, name: string): Promise<string> {
  const status = await statusOf(store, name)
  const one = watchedShot(name)
  if (one.status !== status) return JSON.stringify(status)
  one.text ??= JSON.stringify(status)
  return one.text
}

/** Hears a shot's status from now on, whole at first. Returns how to leave. Throws LanternError 'no-shot'. */
export async function watchStatus(
  store: Store,
  name: string,
  heard: (message: StatusMessage) => void,
): Promise<() => void> {
  await listen(store)
  const one = watchedShot(name)
  const watcher: Watcher = { heard, ready: false }
  one.watchers.add(watcher)
  const leave = (): void => {
    one.watchers.delete(watcher)
    rest()
  }
  try {
    const status = await statusOf(store, name)
    heard({ status: one.status ?? status })
    watcher.ready = true
    return leave
  } catch (error) {
    leave()
    throw error
  }
}
