import { useRef } from 'react'

/**
 * A new value of plain data, with every part that equals the old one's in that place being the old one itself: what hangs on a part that did not change need not be made again.
 * The new value is used up. Objects of other kinds than lists, plain ones, maps and sets are what they are.
 */
export function sharing<T>(old: unknown, next: T): T {
  if (old === next || typeof old !== 'object' || typeof next !== 'object' || old === null || next === null) return next
  if (old instanceof Map && next instanceof Map) return sharedMap(old, next) as T
  if (old instanceof Set && next instanceof Set)
    return old.size === next.size && [...next].every((one) => old.has(one)) ? (old as T) : next
  const [kind, was] = [Object.getPrototypeOf(next), Object.getPrototypeOf(old)]
  if (kind !== was || (kind !== Object.prototype && kind !== Array.prototype)) return next
  const [before, now] = [old as Record<string, unknown>, next as Record<string, unknown>]
  const names = Object.keys(now)
  let same = names.length === Object.keys(before).length
  for (const name of names) {
    now[name] = sharing(before[name], now[name])
    if (now[name] !== before[name] || !(name in before)) same = false
  }
  return same ? (old as T) : next
}

function sharedMap(old: Map<unknown, unknown>, next: Map<unknown, unknown>): Map<unknown, unknown> {
  let same = old.size === next.size
  for (const [name, value] of next) {
    const shared = sharing(old.get(name), value)
    if (shared !== value) next.set(name, shared)
    if (shared !== old.get(name) || !old.has(name)) same = false
  }
  return same ? old : next
}

/** A value that a component makes anew each time, as far as it did not change the one from before. */
export function useShared<T>(next: T): T {
  const last = useRef<T>(undefined)
  last.current = sharing(last.current, next)
  return last.current
}
