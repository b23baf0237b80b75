'use client'
import { Box, Text } from '@chakra-ui/react'
import { COLOURS } from '@/ui/theme.ts'
import { useShotParts } from '../shot/shotStore.ts'
import { cellsPath, framesText, needOf, partText, useNeeds } from './needs.ts'

/** For what a matte is needed: effect by effect, on which frames, which part of it here. */
export function NeedPanel({ id }: { id: string }) {
  const { shot, frame } = useShotParts('shot', 'frame')
  const { frames } = useNeeds()
  if (!shot || frames.size === 0) return null
  const { first, last } = shot.document.plate
  const whole = frames.size >= last - first + 1
  const all = [...needOf(frames, id)]
  const now = frames.get(frame)?.mattes[id]
  const behind = all.filter(([, own]) => own.behind.length > 0)
  const before = all.filter(([, own]) => own.before.length > 0)
  const nameOf = (item: string): string => shot.document.items[item]?.name ?? item
  return (
    <Box marginBottom="6px" data-needs={behind.length}>
      {behind.length === 0 && whole && (
        <Text color="soft">Not needed: nothing lies behind what it covers on any frame.</Text>
      )}
      {behind.map(([item, own]) => (
        <Text key={item} className="num" color="fact">
          needed {framesText(own.behind)} <span style={{ color: COLOURS.soft }}>before {nameOf(item)}</span>
          {now && (now.items[item]?.behind ?? 0) > 0 && (
            <span style={{ color: COLOURS.soft }}>
              {partText(now.from, now.to) ? `, ${partText(now.from, now.to)} here` : ''}
            </span>
          )}
        </Text>
      ))}
      {before.length > 0 && (
        <Text className="num" color="soft">
          behind {before.map(([item, own]) => `${nameOf(item)} ${framesText(own.before)}`).join('; ')}
        </Text>
      )}
      {!whole && <Text color="faint">Looking at {last - first + 1 - frames.size} more frames.</Text>}
    </Box>
  )
}

/** The area of the picture in which the chosen matte is needed at this frame, as an outline. */
export function NeedOutline({ frame, unit }: { frame: number; unit: number }) {
  const { shot, chosen } = useShotParts('shot', 'chosen')
  const { frames } = useNeeds()
  const own = frames.get(frame)
  const need = own?.mattes[chosen]
  if (!shot || !own || !need || need.cells.length === 0) return null
  return (
    <path
      data-need={need.cells.length}
      d={cellsPath(need.cells, own, shot.document.plate)}
      fill="none"
      stroke={COLOURS.lamp}
      strokeOpacity={0.75}
      strokeWidth={unit}
      strokeDasharray={`${3 * unit} ${2 * unit}`}
    />
  )
}

/** Of an added thing: on which frames it is in view, and how much of it is hidden here. */
export function InView({ id }: { id: string }) {
  const { frame } = useShotParts('frame')
  const { frames } = useNeeds()
  const seen = [...frames.values()].filter(({ items }) => (items[id]?.share ?? 0) > 0).map((one) => one.frame)
  if (![...frames.values()].some(({ items }) => items[id])) return null
  const now = frames.get(frame)?.items[id]
  return (
    <Text className="num" color="fact" padding="6px 14px 0" data-in-view={seen.length}>
      {seen.length === 0 ? 'never in view' : `in view ${framesText(seen)}`}
      {now && now.share > 0 && (
        <span style={{ color: COLOURS.soft }}>
          , here over {Math.max(1, Math.round(100 * now.share))} % of the picture, {Math.round(100 * now.hidden)} % of
          it hidden
        </span>
      )}
    </Text>
  )
}
