'use client'
import { Box } from '@chakra-ui/react'
import type { MatteItem } from '@lantern/core/mattes'
import { Blend } from 'lucide-react'
import { framesRow, keptFigure } from '../items/keptRows.ts'
import type { ItemView } from '../items/view.ts'
import type { StripRow } from '../strip/row.ts'
import { DepthPanel } from './DepthPanel.tsx'
import { HelpedPanel } from './HelpedPanel.tsx'
import { NeedPanel } from './Needs.tsx'
import { framesText, needOf, useNeeds } from './needs.ts'
import { PaintPanel } from './PaintPanel.tsx'
import { PartsPanel } from './PartsPanel.tsx'

/** A matte's parts, how they are drawn, where what it covers stands, and where it is needed. */
function MattePanel({ id, item }: { id: string; item: MatteItem }) {
  return (
    <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair">
      <DepthPanel id={id} item={item} />
      {item.shown && <NeedPanel id={id} />}
      <HelpedPanel id={id} item={item} />
      <PaintPanel id={id} item={item} />
      <PartsPanel id={id} item={item} />
    </Box>
  )
}

/** Of the chosen matte: the frames on which it is needed; hatched where it covers nothing there yet. */
const needRows: NonNullable<ItemView<MatteItem>['stripRows']> = ({ shot, chosen }, id, item) => {
  const { frames } = useNeeds.getState()
  const all = new Set([...needOf(frames, id).values()].flatMap(({ behind }) => behind))
  if (!shot || chosen !== id || !item.shown || frames.size === 0) return []
  const { first, last } = shot.document.plate
  const none = frames.size > last - first ? 'nowhere' : 'looking'
  const missing = [...all].filter((frame) => !frames.get(frame)?.mattes[id]?.there)
  return [
    {
      kind: 'frames',
      name: `${item.name}, needed`,
      figure: framesText([...all]) || none,
      kept: new Set([...all].filter((frame) => !missing.includes(frame))),
      stale: new Set(missing),
      running: false,
    },
  ]
}

/** Of a helped matte: how much of its rim is uncertain, and which frames are carried. */
const helpedRows: NonNullable<ItemView<MatteItem>['stripRows']> = (state, id, item) => {
  const { shot, status, frame, chosen } = state
  const needed = needRows(state, id, item)
  if (!shot || !item.helped) return needed
  const kept = status?.items[id]
  const values = new Map([...keptFigure(kept, 'uncertain')].map(([n, value]) => [n, 100 * value]))
  const now = values.get(frame)
  const curve: StripRow[] =
    chosen === id && values.size > 0
      ? [
          {
            kind: 'curve',
            name: `${item.name}, uncertain rim`,
            figure: now === undefined ? '' : `${Math.round(now)} %`,
            values,
            top: Math.max(10, ...values.values()) * 1.1,
            added: false,
          },
        ]
      : []
  return [...needed, ...curve, framesRow(item.name, item.helped.carried > 0 ? kept : undefined)]
}

/** How a matte is shown: its lines are the overlay's of its station. */
export const MATTE_VIEW: ItemView<MatteItem> = {
  icon: Blend,
  kindName: 'matte',
  panel: ({ id, item }) => <MattePanel id={id} item={item} />,
  stripRows: helpedRows,
  outline: () => '',
  radius: () => 0,
}
