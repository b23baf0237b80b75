'use client'
import { Box, Text } from '@chakra-ui/react'
import { type GasItem, resized, speedForSize } from '@lantern/core/effects/gas'
import { useState } from 'react'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { keptFigure } from '../../items/keptRows.ts'
import { useShot, useShotParts } from '../../shot/shotStore.ts'

/** Within this of the law a fire's speed fits its size. */
const FITS = 0.25

function Line({ name, unit, law, found }: { name: string; unit: string; law: number; found?: number }) {
  const top = Math.max(law, found ?? 0, 1e-6)
  const off = found === undefined ? undefined : found / law - 1
  const bar = (value: number, colour: string) => (
    <Box height="4px" background={colour} width={`${(100 * value) / top}%`} />
  )
  return (
    <Box
      display="grid"
      gridTemplateColumns="42px 1fr 122px"
      gap="8px"
      alignItems="center"
      minHeight="24px"
      data-fit={name}
    >
      <span>{name}</span>
      <Box display="grid" gap="2px" background="floor" padding="2px 0">
        {bar(law, '#9a9a9a')}
        {bar(found ?? 0, '#f5c566')}
      </Box>
      <Text
        className="num"
        textAlign="right"
        whiteSpace="nowrap"
        color={off === undefined ? 'faint' : Math.abs(off) <= FITS ? 'fact' : 'wrong'}
      >
        {found === undefined ? '–' : found.toFixed(2)} for {law.toFixed(2)} {unit}
      </Text>
    </Box>
  )
}

/** Another size with everything that goes with it. */
function Resize({ id, item }: { id: string; item: GasItem }) {
  const edit = useShot((state) => state.edit)
  const [wanted, want] = useState<number>()
  const to = wanted ?? item.diameter
  return (
    <Box
      display="grid"
      gridTemplateColumns="42px 1fr auto"
      gap="8px"
      alignItems="center"
      minHeight="26px"
      data-hint="Makes it so large: heat with its ground, lengths with its size, speeds and times with the root of it, as Froude’s law has it. Wind, motion, what pushes it and the length of a burst stay."
    >
      <span>Size</span>
      <NumberField
        label="Made so large"
        value={to}
        unit="m"
        step={0.05}
        span={[0.1, 5]}
        minimum={0.02}
        maximum={50}
        onValue={want}
      />
      <Press
        disabled={item.locked || to === item.diameter}
        onClick={() => (edit({ items: { [id]: resized(item, to) } }), want(undefined))}
      >
        Make it so large
      </Press>
    </Box>
  )
}

/** Speed for size: a fire's pulse and height, measured, against the laws of its diameter and heat. */
export function SpeedForSize({ id, item }: { id: string; item: GasItem }) {
  const { shot, status, drafts } = useShotParts('shot', 'status', 'drafts')
  if (!shot) return null
  const gas = status?.items[id]
  const kept =
    (gas?.kept.length ?? 0) >= 30
      ? {
          heatKw: [...keptFigure(gas, 'heatKw').values()],
          axialFlameLength: [...keptFigure(gas, 'axialFlameLength').values()],
          baseBuoyancy: [...keptFigure(gas, 'baseBuoyancy').values()],
        }
      : undefined
  const burning = drafts[id]
  const [over, under] = shot.document.plate.rate
  const fit = speedForSize(
    item,
    kept ?? {
      heatKw: burning?.heatKw ?? [],
      axialFlameLength: burning?.axialFlameLength ?? [],
      baseBuoyancy: burning?.baseBuoyancy ?? [],
    },
    over / under,
  )
  if (!fit) return null
  return (
    <Box
      as="section"
      aria-label="Speed for size"
      padding="8px 14px"
      borderBottomWidth="1px"
      borderColor="hair"
      data-hint={`A fire ${fit.diameter.toFixed(2)} m across with ${fit.heat.toFixed(0)} kW pulses and stands so by the laws of its size; a fire filmed smaller gives itself away by being too quick.`}
    >
      <Text color="soft" fontWeight="600" fontSize="12px">
        Speed for size{' '}
        <Text as="span" className="num" color="faint" fontWeight="400">
          {kept ? 'kept' : 'draft'}
        </Text>
      </Text>
      <Line name="Pulse" unit="Hz" {...fit.pulse} />
      <Line name="Height" unit="m" {...fit.height} />
      <Resize key={item.diameter} id={id} item={item} />
    </Box>
  )
}
