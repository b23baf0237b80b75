'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { ItemStatus } from '@lantern/store'
import type { ReactNode } from 'react'
import { Press } from '@/ui/Press.tsx'
import { timeLeftText } from '@/ui/timeLeft.ts'
import { useShotParts } from '../shot/shotStore.ts'

const isBusy = (run: { state: string } | undefined): boolean => run?.state === 'running' || run?.state === 'waiting'

/** How a run stands: how long it still takes, or why it is not under way. */
function standing(run: ItemStatus | undefined): string {
  const left = timeLeftText(run?.secondsLeft)
  if (run?.state === 'waiting') return left ? `waiting · ${left}` : 'waiting for the farm'
  if (run?.state === 'running') return left
  if (run?.state === 'stopped') return 'stopped'
  return run?.stale.length ? `${run.stale.length} stale` : ''
}

/** What of an item is kept, how long the rest takes, and its keeping and stopping. */
export function Keeping({ id, children }: { id: string; children?: ReactNode }) {
  const { shot, status, ask } = useShotParts('shot', 'status', 'ask')
  const own = status?.items[id]
  if (!shot) return null
  const total = own ? own.last - own.first + 1 : 0
  const derived = own?.derived ?? []
  const busy = isBusy(own) || derived.some(isBusy)
  const done = own?.state === 'done' && derived.every(({ state }) => state === 'done')
  const error = own?.error ?? derived.find((run) => run.error)?.error
  return (
    <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair">
      <Flex justify="space-between" align="center">
        <Text color="soft" fontWeight="600">
          Kept
        </Text>
        {busy ? (
          <Press onClick={() => void ask({ what: 'stop-bake', item: id })}>Stop</Press>
        ) : (
          <Press main disabled={done} onClick={() => void ask({ what: 'bake', item: id })}>
            {own && own.kept.length > 0 && !done ? 'Go on' : 'Keep'}
          </Press>
        )}
      </Flex>
      <Text className="num" color="soft" role="status" marginTop="4px">
        {[
          `${own?.kept.length ?? 0} of ${total}`,
          ...(own?.state === 'running' && own.kept.length === 0 ? ['running up'] : []),
          standing(own),
        ]
          .filter(Boolean)
          .join(' · ')}
      </Text>
      {derived.map((run) => (
        <Text key={run.output} className="num" color="soft">
          {run.output}: {run.kept.length} of {total}
          {isBusy(run) ? ', being made' : ''}
        </Text>
      ))}
      {error && (
        <Text role="alert" color="wrong">
          {error.message} {error.remedy}
        </Text>
      )}
      {children}
    </Box>
  )
}
