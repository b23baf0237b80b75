import { isBreaking } from '@lantern/core/effects/breaking'
import { isGas } from '@lantern/core/effects/gas'
import { isParticles } from '@lantern/core/effects/particles'
import { type ItemKind, isBaked, makeItem, type ShotDocument } from '@lantern/core/shot'
import type { Placed, Placer } from '../placer.ts'

const countOf = (document: ShotDocument, kind: ItemKind): number =>
  Object.values(document.items).filter((item) => item.kind === kind).length + 1

/** The gas that something is added for: the chosen one, else the first. */
const gasOf = ({ document, chosen }: Placed): string =>
  isGas(document.items[chosen]) ? chosen : (Object.keys(document.items).find((id) => isGas(document.items[id])) ?? '')

/** The item whose kept run is shown again: the chosen one where it has a run, else the first gas. */
const runOf = (at: Placed): string => {
  const chosen = at.document.items[at.chosen]
  return chosen && (isGas(chosen) || isBreaking(chosen) || (isParticles(chosen) && isBaked(chosen)))
    ? at.chosen
    : gasOf(at)
}

/** A fire by its own button. */
export const FIRE: Placer = {
  tool: 'fire',
  label: 'Fire',
  make: ({ document, order, position }) =>
    makeItem('gas', { name: `Fire ${countOf(document, 'gas')}`, order, position }),
}

/** What belongs to a gas. */
export const GAS_PLACERS: readonly Placer[] = [
  {
    tool: 'add-source',
    label: 'Source',
    make: (at) =>
      makeItem('source', {
        name: `Source ${countOf(at.document, 'source')}`,
        order: at.order,
        position: at.position,
        feeds: gasOf(at),
        diameter: 0.3,
        heat: 60,
      }),
  },
  {
    tool: 'add-force',
    label: 'Force',
    make: ({ document, order, position }) =>
      makeItem('force', {
        name: `Force ${countOf(document, 'force')}`,
        order,
        position: [position[0], position[1] + 1, position[2]],
      }),
  },
  {
    tool: 'add-reuse',
    label: 'A kept run again',
    make: (at) =>
      makeItem('reuse', {
        name: `${at.document.items[runOf(at)]?.name ?? 'Gas'} again`.slice(0, 80),
        order: at.order,
        position: at.position,
        of: runOf(at),
      }),
  },
]
