'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { cellOf } from '@lantern/core/pipeline'
import type { GasItem } from '@lantern/core/shot'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { useShot } from '../shot/shotStore.ts'

/** Seconds as a person says them. */
export const clock = (seconds: number | null | undefined): string => {
  if (seconds === null || seconds === undefined) return ''
  const whole = Math.max(1, Math.round(seconds))
  const [hours, minutes] = [Math.floor(whole / 3600), Math.floor((whole % 3600) / 60)]
  return `${hours > 0 ? `${hours}:${String(minutes).padStart(2, '0')}` : minutes}:${String(whole % 60).padStart(2, '0')} left`
}

const AXES = ['right', 'up', 'near'] as const
const triple = (values: readonly number[] | undefined, other: readonly number[]): [number, number, number] =>
  [0, 1, 2].map((n) => values?.[n] ?? other[n] ?? 0) as [number, number, number]

/** Frames or a region that are kept alone while one works on them. */
function Part({ id, item }: { id: string; item: GasItem }) {
  const { shot, loop, edit } = useShot()
  const { part, position, reach, rise } = item
  const plate = shot?.document.plate
  if (!plate) return null
  const [low, high] = [
    triple(
      part?.low,
      position.map((v, n) => v - (n === 1 ? 0 : reach)),
    ),
    triple(
      part?.high,
      position.map((v, n) => v + (n === 1 ? rise || reach : reach)),
    ),
  ]
  const region = part?.low || part?.high
  const corner = (which: 'low' | 'high', values: readonly number[], label: string) => (
    <Box key={which} display="grid" gridTemplateColumns="62px 1fr" gap="6px" alignItems="center">
      <span>{label}</span>
      <Flex gap="3px">
        {AXES.map((axis, n) => (
          <Box key={axis} flex="1" minWidth="0">
            <NumberField
              label={`${label}, ${axis}`}
              value={values[n] ?? 0}
              step={0.1}
              onValue={(next) =>
                edit({
                  items: { [id]: { part: { low, high, [which]: values.map((old, m) => (m === n ? next : old)) } } },
                })
              }
            />
          </Box>
        ))}
      </Flex>
    </Box>
  )
  const whole = loop[0] <= plate.first && loop[1] >= plate.last
  return (
    <Box marginTop="5px">
      <Flex gap="5px" wrap="wrap" align="center">
        {part?.frames ? (
          <Press onClick={() => edit({ items: { [id]: { part: region ? { frames: null } : null } } })}>
            All frames again
          </Press>
        ) : (
          <Press
            disabled={whole}
            title="Set a loop on the strip first"
            onClick={() => edit({ items: { [id]: { part: { frames: [...loop] } } } })}
          >
            {whole ? 'Loop’s frames alone' : `${loop[0]}–${loop[1]} alone`}
          </Press>
        )}
        {region ? (
          <Press onClick={() => edit({ items: { [id]: { part: part?.frames ? { low: null, high: null } : null } } })}>
            Whole reach again
          </Press>
        ) : (
          <Press onClick={() => edit({ items: { [id]: { part: { low, high } } } })}>A region alone</Press>
        )}
      </Flex>
      {part?.frames && (
        <Text className="num" color="soft">
          kept alone: {part.frames[0]}–{part.frames[1]}
        </Text>
      )}
      {region && (
        <Flex direction="column" gap="3px" marginTop="4px">
          {corner('low', low, 'From')}
          {corner('high', high, 'To')}
        </Flex>
      )}
    </Box>
  )
}

/** What of a gas is kept, how long the rest takes, and its thin form. */
export function GasKeeping({ id, item }: { id: string; item: GasItem }) {
  const { shot, status, ask, thin } = useShot()
  const gas = status?.gases[id]
  if (!shot) return null
  const total = gas ? gas.last - gas.first + 1 : 0
  const busy = gas?.state === 'running' || gas?.state === 'waiting'
  const finer = gas?.finer
  const making = finer?.state === 'running' || finer?.state === 'waiting'
  const done = gas?.state === 'done' && (!finer || finer.state === 'done')
  const look = thin[id]
  const stands =
    gas?.state === 'waiting'
      ? clock(gas.secondsLeft)
        ? `waiting · ${clock(gas.secondsLeft)}`
        : 'waiting for the farm'
      : gas?.state === 'running'
        ? clock(gas.secondsLeft)
        : gas?.state === 'stopped'
          ? 'stopped'
          : gas?.stale.length
            ? `${gas.stale.length} stale`
            : ''
  return (
    <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair">
      <Flex justify="space-between" align="center">
        <Text color="soft" fontWeight="600">
          Kept
        </Text>
        {busy || making ? (
          <Press onClick={() => void ask({ what: 'stop-gas', item: id })}>Stop</Press>
        ) : (
          <Press main disabled={done} onClick={() => void ask({ what: 'gas', item: id })}>
            {gas && gas.kept.length > 0 && !done ? 'Go on' : 'Keep'}
          </Press>
        )}
      </Flex>
      <Text className="num" color="soft" role="status" marginTop="4px">
        {[
          `${gas?.kept.length ?? 0} of ${total}`,
          ...(gas?.state === 'running' && gas.kept.length === 0 ? ['running up'] : []),
          stands,
        ]
          .filter(Boolean)
          .join(' · ')}
      </Text>
      {finer && (
        <Text className="num" color="soft">
          finer: {finer.kept.length} of {total}
          {making ? ', being made' : ''}
        </Text>
      )}
      {(gas?.error ?? finer?.error) && (
        <Text role="alert" color="wrong">
          {(gas?.error ?? finer?.error)?.message} {(gas?.error ?? finer?.error)?.remedy}
        </Text>
      )}
      {!item.taken && look && gas?.state !== 'done' && (
        <Text className="num" color="faint" marginTop="4px">
          {look.finer ? 'finer' : 'thin'}: {look.finer ? look.fine : look.frames} of {look.of} at{' '}
          {((look.cell || cellOf(item, 'thin')) * 1000).toFixed(0)} mm, {(look.milliseconds / 1000).toFixed(2)} s each
        </Text>
      )}
      {!item.taken && <Part id={id} item={item} />}
    </Box>
  )
}
