'use client'
import { Box, Text } from '@chakra-ui/react'
import { speedForSize } from '@lantern/core/pipeline'
import type { GasItem } from '@lantern/core/shot'
import { useShot } from '../shot/shotStore.ts'

/** Within this of the law a fire's speed fits its size. */
const FITS = 0.25

function Line({ name, unit, law, found }: { name: string; unit: string; law: number; found?: number }) {
  const top = Math.max(law, found ?? 0, 1e-6)
  const off = found === undefined ? undefined : found / law - 1
  const bar = (value: number, colour: string) => <Box height="4px" background={colour} width={`${(100 * value) / top}%`} />
  return (
    <Box display="grid" gridTemplateColumns="42px 1fr 122px" gap="8px" alignItems="center" minHeight="24px" data-fit={name}>
      <span>{name}</span>
      <Box display="grid" gap="2px" background="floor" padding="2px 0">{bar(law, '#9a9a9a')}{bar(found ?? 0, '#f5c566')}</Box>
      <Text className="num" textAlign="right" whiteSpace="nowrap" color={off === undefined ? 'faint' : Math.abs(off) <= FITS ? 'fact' : 'wrong'}>{found === undefined ? '–' : found.toFixed(2)} for {law.toFixed(2)} {unit}</Text>
    </Box>
  )
}

/** Speed for size: a fire's pulse and height, measured, against the laws of its diameter and heat. */
export function SpeedForSize({ id, item }: { id: string; item: GasItem }) {
  const { shot, status, thin } = useShot()
  if (!shot) return null
  const gas = status?.gases[id]
  const kept = (gas?.kept.length ?? 0) >= 30 ? { heatKw: gas?.heatKw ?? [], standing: gas?.figures.map((one) => one.standing) ?? [] } : undefined
  const burning = thin[id]
  const [over, under] = shot.document.plate.rate
  const fit = speedForSize(item, kept ?? { heatKw: burning?.heatKw ?? [], standing: burning?.standing ?? [] }, over / under)
  if (!fit) return null
  return (
    <Box as="section" aria-label="Speed for size" padding="8px 14px" borderBottomWidth="1px" borderColor="hair" data-hint={`A fire ${fit.diameter.toFixed(2)} m across with ${fit.heat.toFixed(0)} kW pulses and stands so by the laws of its size; a fire filmed smaller gives itself away by being too quick.`}>
      <Text color="soft" fontWeight="600" fontSize="12px">Speed for size <Text as="span" className="num" color="faint" fontWeight="400">{kept ? 'kept' : 'thin'}</Text></Text>
      <Line name="Pulse" unit="Hz" {...fit.pulse} />
      <Line name="Height" unit="m" {...fit.height} />
    </Box>
  )
}
