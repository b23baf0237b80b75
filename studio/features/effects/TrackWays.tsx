'use client'
import { Flex } from '@chakra-ui/react'
import type { Ride } from '@lantern/core/settings'
import { Choice } from '@/ui/Choice.tsx'

const WAYS = [
  ['place', 'in place alone'],
  ['turn', 'turned, and as large'],
  ['perspective', 'in perspective'],
] as const
const TAKES = [
  ['travel', 'all of its way'],
  ['jitter', 'its jitter alone'],
] as const

type Going = Required<Pick<Ride, 'way' | 'takes'>>

/** How something goes with a track: in which way (of a flat one), and whether with all of it. */
export function TrackWays({
  flat,
  way,
  takes,
  disabled,
  onChange,
}: Going & { flat: boolean; disabled: boolean; onChange(change: Partial<Going>): void }) {
  return (
    <Flex gap="6px" marginTop="4px">
      {flat && (
        <Choice
          aria-label="Goes"
          value={way}
          disabled={disabled}
          flex="1"
          onChange={({ target }) => onChange({ way: target.value as Going['way'] })}
        >
          {WAYS.map(([key, name]) => (
            <option key={key} value={key}>
              {name}
            </option>
          ))}
        </Choice>
      )}
      <Choice
        aria-label="Takes"
        value={takes}
        disabled={disabled}
        flex="1"
        onChange={({ target }) => onChange({ takes: target.value as Going['takes'] })}
      >
        {TAKES.map(([key, name]) => (
          <option key={key} value={key}>
            {name}
          </option>
        ))}
      </Choice>
    </Flex>
  )
}
