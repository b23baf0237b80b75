import type { Reading } from '@lantern/core/shot'
import { useShot } from '../shot/shotStore.ts'

/** A new reading of an area, named after its kind and taken at once. */
export function makeReading(area: Reading['area'], name?: string): void {
  const { shot, edit, set, ask } = useShot.getState()
  if (!shot) return
  const id = `reading-${crypto.randomUUID().slice(0, 6)}`
  edit({ readings: { [id]: { name: name ?? `Reading ${Object.keys(shot.document.readings).length + 1}`, area } } })
  // One of a clip or a layer leaves its item chosen.
  set({ tool: 'choose', ...(area.kind === 'clip' || area.kind === 'layer' ? {} : { chosen: `reading.${id}` }) })
  void ask({ what: 'reading', reading: id })
}

/** Another area for a reading, which is taken anew. */
export function setArea(id: string, area: Reading['area']): void {
  const { edit, ask } = useShot.getState()
  edit({ readings: { [id]: { area } } })
  void ask({ what: 'reading', reading: id })
}
