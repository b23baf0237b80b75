import type { ShotState } from './shotStore.ts'

/** Where a shot was left in this browser. */
export function remembered(
  name: string,
): Partial<Pick<ShotState, 'frame' | 'station' | 'chosen' | 'view' | 'matchStep'>> {
  try {
    return JSON.parse(localStorage.getItem(`lantern.${name}`) ?? '{}') as object
  } catch {
    return {}
  }
}
