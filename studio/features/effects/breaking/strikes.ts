import type { Camera } from '@lantern/core/data'
import { type BreakingItem, isBreaking, type Strike } from '@lantern/core/effects/breaking'
import { pickNormal, pickSurface } from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'

// Strikes as they are added over the picture.

const round = (value: number): number => Math.round(value * 1000) / 1000
const rounded = (at: readonly number[]): [number, number, number] => [
  round(at[0] ?? 0),
  round(at[1] ?? 0),
  round(at[2] ?? 0),
]

const freshName = ({ strikes }: BreakingItem): string => {
  const names = new Set(Object.values(strikes).map(({ name }) => name))
  for (let n = Object.keys(strikes).length + 1; ; n++) if (!names.has(`Strike ${n}`)) return `Strike ${n}`
}

/** A strike where the set is clicked: as the last one, at this place and frame; undefined above the horizon. */
export function strikeAt(
  document: ShotDocument,
  camera: Camera,
  id: string,
  [x, y]: readonly [number, number],
  frame: number,
): Record<string, unknown> | undefined {
  const item = document.items[id]
  const hit = isBreaking(item) ? pickSurface(document, camera, x, y, frame) : undefined
  if (!isBreaking(item) || !hit) return undefined
  const before: Partial<Strike> = Object.values(item.strikes).at(-1) ?? {}
  const normal = pickNormal(document, hit, frame)
  const strike = {
    radius: before.radius ?? 0.4,
    energy: before.energy ?? 600,
    spread: before.spread ?? 40,
    name: freshName(item),
    frame,
    at: rounded(hit.point),
    direction: before.direction ?? rounded(normal.map((v) => -v)),
    by: '',
    mass: 50,
  }
  return { items: { [id]: { strikes: { [`strike-${crypto.randomUUID().slice(0, 6)}`]: strike } } } }
}
