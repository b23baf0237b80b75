import type { Camera } from '@lantern/core/data'
import type { Setting } from '@lantern/core/settings'
import type { ShotItem } from '@lantern/core/shot'
import type { ComponentType, ReactNode } from 'react'
import type { ShotState } from '../shot/shotStore.ts'
import type { StripRow } from '../strip/row.ts'

export type Icon = ComponentType<{ size?: number; strokeWidth?: number; color?: string }>

/** What the strip's rows of an item are made from. */
export type StripState = Pick<ShotState, 'shot' | 'status' | 'drafts' | 'frame' | 'station' | 'chosen'>

/** How one kind of item is shown. What is left out is made from its schema and its kept runs. */
export interface ItemView<I extends ShotItem = ShotItem> {
  icon: Icon
  /** As the roster calls it. */
  kindName: string
  /** As the bench calls it, where that says more. */
  describe?(item: I): string
  /** The settings that its form shows, where these are not all of its kind's. */
  settings?(item: I): readonly Setting[]
  /** Above the form: what is kept of it, how it fits. */
  panel?(props: { id: string; item: I }): ReactNode
  /** Below its name: what is drawn or taken in for it. */
  tools?(props: { id: string; item: I }): ReactNode
  /** Its lines over the picture. */
  outline(camera: Camera, item: I): string
  /** How far it reaches to all sides of its place, m. */
  radius(item: I): number
  stripRows?(state: StripState, id: string, item: I): StripRow[]
}
