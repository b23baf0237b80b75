'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { MatchStage } from '@lantern/store'
import { Press } from '@/ui/Press.tsx'
import { COLOURS } from '@/ui/theme.ts'
import { useShot } from '../../shot/shotStore.ts'

const FULL_FRAME_MM = 36

export const Part = ({ title, note, children }: { title: string; note?: string; children?: React.ReactNode }) => (
  <Box as="section" aria-label={title} padding="8px 14px 10px" borderBottomWidth="1px" borderColor="hair">
    <Flex justify="space-between" align="baseline" gap="8px">
      <Text fontWeight="600">{title}</Text>
      {note && (
        <Text className="num" color="faint">
          {note}
        </Text>
      )}
    </Flex>
    {children}
  </Box>
)
export const Figure = ({ label, value, wrong }: { label: string; value: string; wrong?: boolean }) => (
  <Flex justify="space-between" minHeight="21px">
    <Text color="soft">{label}</Text>
    <span className="num" style={{ color: wrong ? COLOURS.wrong : COLOURS.fact }}>
      {value}
    </span>
  </Flex>
)

/** A press that asks for a stage, its progress, and its stop. */
export function StageRow({
  stage,
  name,
  again,
  disabled,
}: {
  stage: MatchStage | undefined
  name: 'Track' | 'Solve'
  again: string
  disabled?: boolean
}) {
  const ask = useShot((state) => state.ask)
  const busy = stage?.state === 'running' || stage?.state === 'waiting'
  return (
    <>
      <Flex gap="8px" align="center" marginTop="6px">
        {busy ? (
          <Press onClick={() => void ask({ what: 'stop-match' })}>Stop</Press>
        ) : (
          <Press
            main
            disabled={disabled || stage?.state === 'done'}
            onClick={() => void ask({ what: 'match', stage: name === 'Track' ? 'tracks' : 'solve' })}
          >
            {stage?.state === 'failed' || stage?.state === 'stopped' ? again : name}
          </Press>
        )}
        <Text className="num" color="soft" role="status" aria-label={`${name}, progress`} truncate>
          {busy
            ? stage.state === 'waiting'
              ? 'waiting for the farm'
              : `${Math.round(stage.share * 100)} % ${stage.doing ?? ''}`
            : stage?.state === 'stopped'
              ? 'stopped'
              : ''}
        </Text>
      </Flex>
      {busy && (
        <Box height="2px" background="line" marginTop="5px">
          <Box height="2px" background="lamp" width={`${stage.share * 100}%`} />
        </Box>
      )}
      {stage?.error && stage.state === 'failed' && (
        <Text role="alert" color="wrong" marginTop="5px">
          {stage.error.message} {stage.error.remedy}
        </Text>
      )}
    </>
  )
}

export const lengthInMillimetres = (focalPx: number, width: number): string =>
  ((focalPx / width) * FULL_FRAME_MM).toFixed(1)
export const millimetres = (focalPx: number, width: number): string => `${lengthInMillimetres(focalPx, width)} mm on 36`
