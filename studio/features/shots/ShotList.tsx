'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { LanternError } from '@lantern/core/base'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Press } from '@/ui/Press.tsx'
import { call, shotPath } from '../api.ts'
import { type Acts, ArrivalCard, type ArrivalRow, ShotCard, type ShotRow } from './cards.tsx'
import { asError, NewShot } from './NewShot.tsx'
import { areStills, type Sent, sendFiles, shotNameFor } from './upload.ts'

interface Coming {
  arrivals: ArrivalRow[]
  removed: { id: number; name: string; secondsLeft: number }[]
}

const AT_REST_MS = 3000
const BUSY_MS = 700

const isUnderWay = ({ state }: { state: string }): boolean => state !== 'ready' && state !== 'failed'

/** What is known of the shots and of what is on its way; asked more often while something is. */
function useShots() {
  const coming = useQuery({
    queryKey: ['plates'],
    queryFn: () => call<Coming>('/api/plates'),
    refetchInterval: ({ state: { data } }) =>
      data?.arrivals.some(isUnderWay) || data?.removed.length ? BUSY_MS : AT_REST_MS,
  })
  const shots = useQuery({
    queryKey: ['shots'],
    queryFn: () => call<ShotRow[]>('/api/shots'),
    refetchInterval: ({ state: { data } }) =>
      coming.data?.arrivals.some(isUnderWay) || data?.some(({ reading }) => reading && isUnderWay(reading))
        ? BUSY_MS
        : AT_REST_MS,
  })
  return { shots, coming }
}

/** The shots of the project; a plate dropped anywhere on the page becomes a new one. */
export function ShotList() {
  const queries = useQueryClient()
  const { shots, coming } = useShots()
  const [over, setOver] = useState(false)
  const [files, setFiles] = useState<File[]>([])
  const [wrong, setWrong] = useState<LanternError>()

  const again = async (): Promise<void> => {
    await queries.invalidateQueries({ queryKey: ['plates'] })
    await queries.invalidateQueries({ queryKey: ['shots'] })
  }
  const attempt = async (work: () => Promise<unknown>): Promise<void> => {
    setWrong(undefined)
    try {
      await work()
    } catch (error) {
      setWrong(asError(error))
    }
    await again()
  }
  const send = (chosen: readonly File[], sent: Sent): void => {
    setFiles([])
    // What was announced shows on the list before it is here.
    void attempt(() => sendFiles(chosen, sent, () => void again()))
  }
  const choose = (list: FileList | null): void => {
    const chosen = [...(list ?? [])].sort((a, b) => a.name.localeCompare(b.name))
    if (chosen.length === 0) return
    setWrong(undefined)
    if (areStills(chosen)) setFiles(chosen)
    else send(chosen, { makes: shotNameFor(chosen) })
  }
  const card = (shot: ShotRow, json: object): Promise<void> =>
    attempt(() => call(`${shotPath(shot.name)}/card`, { json }))
  const acts: Acts = {
    rename: (shot, to) => card(shot, { what: 'rename', to }),
    duplicate: (shot) => card(shot, { what: 'duplicate' }),
    remove: (shot) => card(shot, { what: 'remove' }),
    plate: (id, what) =>
      attempt(() => call(`/api/plates/${id}`, what === 'remove' ? { method: 'DELETE' } : { json: { what } })),
  }
  return (
    <Box
      minHeight="100vh"
      background="floor"
      onDragOver={(event) => (event.preventDefault(), setOver(true))}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => (event.preventDefault(), setOver(false), choose(event.dataTransfer.files))}
    >
      <Flex
        align="baseline"
        gap="14px"
        padding="20px 28px 14px"
        borderBottomWidth="1px"
        borderColor="line"
        background="panel"
      >
        <Text as="h1" fontSize="20px" fontWeight="650">
          Coal Lantern
        </Text>
        <Text color="soft">Fire, smoke and breaking things that sit in the plate.</Text>
      </Flex>
      <Flex gap="28px" padding="22px 28px" align="flex-start">
        <Box flex="1" minWidth="0">
          <Text as="h2" color="soft" fontWeight="600" marginBottom="10px">
            Shots
          </Text>
          {shots.error && (
            <Text role="alert" color="wrong">
              {asError(shots.error).message} {asError(shots.error).remedy}
            </Text>
          )}
          {coming.data?.removed.map(({ id, name, secondsLeft }) => (
            <Flex key={id} role="status" gap="8px" align="center" marginBottom="10px">
              <Text color="soft">
                “{name}” was removed; it can be had back for {Math.max(1, Math.round(secondsLeft))} s.
              </Text>
              <Press main onClick={() => void attempt(() => call(`/api/removed/${id}`, { json: {} }))}>
                Undo
              </Press>
            </Flex>
          ))}
          {shots.data?.length === 0 && coming.data?.arrivals.length === 0 && (
            <Text color="soft">No shot yet. Drop a movie or numbered stills on this page to begin.</Text>
          )}
          <Flex wrap="wrap" gap="14px" align="flex-start">
            {coming.data?.arrivals.map((arrival) => (
              <ArrivalCard key={arrival.id} arrival={arrival} acts={acts} />
            ))}
            {shots.data?.map((shot) => (
              <ShotCard key={shot.id} shot={shot} acts={acts} />
            ))}
          </Flex>
        </Box>
        <NewShot
          over={over}
          files={files}
          choose={choose}
          make={(sent) => send(files, sent)}
          forget={() => setFiles([])}
          wrong={wrong}
        />
      </Flex>
    </Box>
  )
}
