import { LanternError } from '../base/index.ts'
import { ITEM_KINDS, type ShotItem } from './itemKinds.ts'

/** The items that an item names in its settings. */
function namedBy(item: ShotItem): string[] {
  const values: Readonly<Record<string, unknown>> = item
  return ITEM_KINDS[item.kind].settings.flatMap(({ key, type }) => {
    const named = type === 'item' ? values[key] : undefined
    return typeof named === 'string' && named !== '' ? [named] : []
  })
}

/** Ids of items that name one another in a circle, in that order; undefined where there is none. */
function findCircle(items: Readonly<Record<string, ShotItem>>): string[] | undefined {
  const done = new Set<string>()
  const visit = (id: string, open: readonly string[]): string[] | undefined => {
    if (open.includes(id)) return open.slice(open.indexOf(id))
    const item = items[id]
    if (!item || done.has(id)) return undefined
    done.add(id)
    for (const other of namedBy(item)) {
      const circle = visit(other, [...open, id])
      if (circle) return circle
    }
    return undefined
  }
  for (const id of Object.keys(items)) {
    const circle = visit(id, [])
    if (circle) return circle
  }
  return undefined
}

/** Items that are made from one another, by name. */
export function circleError(names: readonly string[]): LanternError {
  const [first = '', ...others] = names
  const chain = [...others, first].map((name) => `“${name}”`).join(', which is made from ')
  return new LanternError('circle', `“${first}” is made from ${chain}.`, 'Choose another item for one of them.', {
    field: 'items',
  })
}

/** Throws LanternError 'circle' by name where items are made from one another. */
export function refuseCircles(items: Readonly<Record<string, ShotItem>>): void {
  const circle = findCircle(items)
  if (circle) throw circleError(circle.map((id) => items[id]?.name ?? id))
}
