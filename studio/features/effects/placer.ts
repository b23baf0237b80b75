import type { ShotDocument, ShotItem } from '@lantern/core/shot'

/** Where a click placed something. */
export interface Placed {
  document: ShotDocument
  position: [number, number, number]
  order: number
  /** What was chosen when it was placed. */
  chosen: string
}

/** Makes an item where a person clicks. */
export interface Placer {
  tool: 'fire' | `add-${string}`
  label: string
  make(at: Placed): ShotItem
}
