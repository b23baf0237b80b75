import type { Signal } from '@lantern/core/settings'
import type { ShotDocument } from '@lantern/core/shot'

/** A signal to start from: one at this frame, for the whole plate. */
export function newSignal({ signals }: ShotDocument, name: string, frame: number): { id: string; signal: Signal } {
  const count = Object.values(signals).filter((signal) => signal.name.startsWith(name)).length
  return {
    id: `signal-${crypto.randomUUID().slice(0, 6)}`,
    signal: {
      name: count > 0 ? `${name} ${count + 1}` : name,
      shown: true,
      source: { kind: 'keys', curve: 'smooth', keys: [{ frame, value: 1 }] },
    },
  }
}

/** The signal that a reading's figure is, and a patch that makes it where there is none yet. */
export function signalOfReading(
  { signals, readings }: ShotDocument,
  reading: string,
): { signal: string; made: { signals?: Record<string, Signal> } } {
  const there = Object.entries(signals).find(
    ([, { source }]) => source.kind === 'reading' && source.reading === reading,
  )
  if (there) return { signal: there[0], made: {} }
  const id = `signal-${crypto.randomUUID().slice(0, 6)}`
  const own: Signal = { name: readings[reading]?.name ?? 'Reading', shown: true, source: { kind: 'reading', reading } }
  return { signal: id, made: { signals: { [id]: own } } }
}

/** The paths of everything that follows a signal: where its `follows` lies, and the setting's key. */
export function followers(document: ShotDocument, signal: string): { name: string; path: string[]; key: string }[] {
  const of = (name: string, path: string[], follows: Readonly<Record<string, { signal: string }>> | undefined) =>
    Object.entries(follows ?? {}).flatMap(([key, one]) => (one.signal === signal ? [{ name, path, key }] : []))
  return [
    ...Object.entries(document.items).flatMap(([id, item]) =>
      'follows' in item ? of(item.name, ['items', id], item.follows) : [],
    ),
    ...of('Layers', ['sit'], document.sit.follows),
    ...of('Plate light', ['light'], document.light.follows),
  ]
}

/** A merge patch that removes a signal and lets go of what follows it. */
export function removal(document: ShotDocument, signal: string): Record<string, unknown> {
  const patch: Record<string, unknown> = { signals: { [signal]: null } }
  for (const { path, key } of followers(document, signal)) {
    let into = patch
    for (const step of [...path, 'follows']) {
      const inner = (into[step] ?? {}) as Record<string, unknown>
      into[step] = inner
      into = inner
    }
    into[key] = null
  }
  return patch
}
