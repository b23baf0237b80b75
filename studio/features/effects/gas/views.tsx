import { type ForceItem, GAS_SETTINGS, type GasItem, type ReuseItem, type SourceItem } from '@lantern/core/effects/gas'
import { Copy, Flame, Waypoints, Wind } from 'lucide-react'
import type { ItemView } from '../../items/view.ts'
import { GasPanel } from './GasPanel.tsx'
import { forceOutline, reuseOutline, sourceOutline } from './outlines.ts'
import { SourceTools, TakenForm } from './SourceTools.tsx'
import { gasRows } from './stripRows.ts'

/** Groups of settings that a gas from elsewhere has no use for. */
const BURNT_HERE = ['Source', 'Burning', 'Air', 'Run']

const gas: ItemView<GasItem> = {
  icon: Flame,
  kindName: 'gas',
  describe({ taken, shape }) {
    if (taken) return 'gas from elsewhere'
    if (shape === 'painted') return 'gas, from what is painted'
    return `gas, from ${shape === 'area' ? 'an' : shape === 'points' ? '' : 'a'} ${shape}`
  },
  settings: ({ taken }) =>
    taken ? GAS_SETTINGS.gas.filter(({ group }) => !BURNT_HERE.includes(group)) : GAS_SETTINGS.gas,
  panel: (props) => <GasPanel {...props} />,
  tools: ({ id, item }) => (item.taken ? <TakenForm id={id} item={item} /> : <SourceTools id={id} item={item} />),
  outline: sourceOutline,
  radius: ({ diameter }) => diameter / 2,
  stripRows: gasRows,
}

const source: ItemView<SourceItem> = {
  icon: Waypoints,
  kindName: 'source',
  tools: (props) => <SourceTools {...props} />,
  outline: sourceOutline,
  radius: ({ diameter }) => diameter / 2,
}

const force: ItemView<ForceItem> = {
  icon: Wind,
  kindName: 'force',
  outline: forceOutline,
  radius: ({ radius }) => radius,
}

const reuse: ItemView<ReuseItem> = {
  icon: Copy,
  kindName: 'again',
  describe: () => 'shown again',
  outline: reuseOutline,
  radius: () => 0.3,
}

export const GAS_VIEWS = { gas, source, force, reuse } as const
