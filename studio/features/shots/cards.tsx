'use client'
import { Box, Flex, Input, Text } from '@chakra-ui/react'
import Link from 'next/link'
import { type ReactNode, useRef, useState } from 'react'
import { Press } from '@/ui/Press.tsx'
import { timeLeftText } from '@/ui/timeLeft.ts'

export interface Reading {
  state: 'arriving' | 'waiting' | 'reading' | 'ready' | 'stopped' | 'failed'
  done: number
  total: number
  error: { message: string; remedy: string } | null
}
export interface ShotRow {
  id: number
  name: string
  items: number
  plate: {
    asset: string
    file: string
    width: number
    height: number
    first: number
    last: number
    rate: [number, number]
  }
  reading: Reading | null
}
export interface ArrivalRow extends Reading {
  id: string
  makes: string
  file: string
  received: number
  bytes: number
  sending: boolean
}

const Frame = ({ label, picture, children }: { label: string; picture?: string; children: ReactNode }) => (
  <Box as="article" aria-label={label} width="264px" background="panel" borderWidth="1px" borderColor="line">
    <Box
      height="148px"
      background="well"
      {...(picture ? { backgroundImage: picture, backgroundSize: 'cover', backgroundPosition: 'center' } : {})}
    />
    <Box padding="8px 10px">{children}</Box>
  </Box>
)

const Progress = ({ share, what }: { share: number; what: string }) => (
  <Box role="status" marginTop="4px">
    <Text className="num" color="soft">
      {what}
    </Text>
    <Box height="2px" background="line" marginTop="4px">
      <Box height="2px" background="lamp" width={`${100 * Math.min(1, share)}%`} />
    </Box>
  </Box>
)

/** Seconds until something is done, from how fast it went while it was watched. */
function useTimeLeft(done: number, total: number): string {
  const seen = useRef<{ done: number; at: number } | undefined>(undefined)
  const now = performance.now()
  if (!seen.current || done < seen.current.done) seen.current = { done, at: now }
  const gone = done - seen.current.done
  return gone > 0 && total > done ? timeLeftText(((total - done) * (now - seen.current.at)) / 1000 / gone) : ''
}

export interface Acts {
  rename(shot: ShotRow, to: string): Promise<void>
  duplicate(shot: ShotRow): Promise<void>
  remove(shot: ShotRow): Promise<void>
  /** Of a plate that is read or on its way. */
  plate(id: string, what: 'stop' | 'go on' | 'remove'): Promise<void>
}

function ReadingLine({
  reading,
  asset,
  acts,
  children,
}: {
  reading: Reading
  asset: string
  acts: Acts
  children?: ReactNode
}) {
  const { state, done, total, error } = reading
  const left = useTimeLeft(done, total)
  if (state === 'ready' || state === 'arriving') return null
  return (
    <>
      {state === 'failed' ? (
        <Text role="alert" color="wrong" marginTop="4px">
          {error?.message} {error?.remedy}
        </Text>
      ) : (
        <Progress
          share={done / Math.max(1, total)}
          what={
            state === 'waiting'
              ? 'Waiting for the farm'
              : `${state === 'stopped' ? 'Stopped at' : 'Being read,'} ${done} of ${total || '…'}${state === 'reading' && left ? `, ${left}` : ''}`
          }
        />
      )}
      <Flex gap="6px" marginTop="6px">
        {state === 'reading' || state === 'waiting' ? (
          <Press onClick={() => void acts.plate(asset, 'stop')}>Stop</Press>
        ) : (
          <Press onClick={() => void acts.plate(asset, 'go on')}>Go on</Press>
        )}
        {children}
      </Flex>
    </>
  )
}

/** A shot: its plate's middle frame, and what can be done with it as a whole. */
export function ShotCard({ shot, acts }: { shot: ShotRow; acts: Acts }) {
  const [doing, setDoing] = useState<'rename' | 'remove'>()
  const [name, setName] = useState(shot.name)
  const { plate, reading } = shot
  const middle = reading && reading.state !== 'ready' ? plate.first : Math.round((plate.first + plate.last) / 2)
  const rename = (): void => {
    setDoing(undefined)
    if (name.trim() && name.trim() !== shot.name) void acts.rename(shot, name.trim())
  }
  return (
    <Box width="264px" position="relative">
      <Link href={`/shot/${encodeURIComponent(shot.name)}`} prefetch={false} aria-label={shot.name}>
        <Frame label={shot.name} picture={`url(/api/assets/${plate.asset}/${middle}?size=quarter)`}>
          <Text fontWeight="650" truncate>
            {shot.name}
          </Text>
          <Text className="num" color="soft">
            {plate.first}–{plate.last} · {Number((plate.rate[0] / plate.rate[1]).toFixed(3))}/s · {plate.width}×
            {plate.height}
          </Text>
        </Frame>
      </Link>
      <Box padding="0 10px 8px" background="panel" borderWidth="1px" borderTopWidth="0" borderColor="line">
        {doing === 'rename' ? (
          <Input
            aria-label={`New name of ${shot.name}`}
            size="xs"
            fontSize="12px"
            autoFocus
            value={name}
            maxLength={80}
            borderColor="line"
            background="floor"
            onChange={(event) => setName(event.target.value)}
            onBlur={rename}
            onKeyDown={(event) => {
              if (event.key === 'Enter') rename()
              if (event.key === 'Escape') setDoing(undefined)
            }}
          />
        ) : doing === 'remove' ? (
          <Flex gap="6px" align="center" wrap="wrap">
            <Text color="soft">Remove this shot?</Text>
            <Press main onClick={() => (setDoing(undefined), void acts.remove(shot))}>
              Remove
            </Press>
            <Press onClick={() => setDoing(undefined)}>Keep</Press>
          </Flex>
        ) : (
          <Flex gap="2px" marginLeft="-4px">
            <Press plain onClick={() => (setName(shot.name), setDoing('rename'))}>
              Rename
            </Press>
            <Press plain onClick={() => void acts.duplicate(shot)}>
              Duplicate
            </Press>
            <Press plain onClick={() => setDoing('remove')}>
              Remove…
            </Press>
          </Flex>
        )}
        {reading && <ReadingLine reading={reading} asset={plate.asset} acts={acts} />}
      </Box>
    </Box>
  )
}

/** A plate that was dropped and of which nothing can be seen yet. */
export function ArrivalCard({ arrival, acts }: { arrival: ArrivalRow; acts: Acts }) {
  const { id, makes, file, state, received, bytes, sending } = arrival
  const share = received / Math.max(1, bytes)
  const percent = `${Math.floor(100 * share)} %`
  const left = useTimeLeft(received, bytes)
  const remove = <Press onClick={() => void acts.plate(id, 'remove')}>Remove</Press>
  return (
    <Frame label={makes}>
      <Text fontWeight="650" truncate>
        {makes}
      </Text>
      <Text className="num" color="soft" truncate>
        {file}
      </Text>
      {state === 'arriving' && (
        <>
          <Progress
            share={share}
            what={sending ? `Being sent, ${percent}${left ? `, ${left}` : ''}` : `Cut off at ${percent}`}
          />
          {!sending && (
            <>
              <Text color="soft" marginTop="4px" marginBottom="6px">
                Drop the same files again to go on.
              </Text>
              {remove}
            </>
          )}
        </>
      )}
      <ReadingLine reading={arrival} asset={id} acts={acts}>
        {remove}
      </ReadingLine>
    </Frame>
  )
}
