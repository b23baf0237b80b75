'use client'
import { useQuery } from '@tanstack/react-query'
import { useShotParts } from '../shot/shotStore.ts'
import { otherShots } from './otherPlates.ts'

/** Has a person choose another shot, whose plate is wanted. */
export function OtherShots({ disabled, onShot }: { disabled: boolean; onShot(name: string): void }) {
  const { name } = useShotParts('name')
  const others = useQuery({ queryKey: ['other shots', name], queryFn: otherShots })
  return (
    <select
      aria-label="Another shot’s plate"
      value=""
      disabled={disabled}
      onChange={(event) => onShot(event.target.value)}
      style={{ background: '#1b1b1b', border: '1px solid #313131', padding: '2px 4px', maxWidth: 120 }}
    >
      <option value="" disabled>
        Another shot’s
      </option>
      {others.data?.map((one) => (
        <option key={one} value={one}>
          {one}
        </option>
      ))}
    </select>
  )
}
