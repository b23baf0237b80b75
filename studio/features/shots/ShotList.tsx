'use client'
import { Box, Flex, Input, Text } from '@chakra-ui/react'
import { LanternError } from '@lantern/core/base'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import Link from 'next/link'
import { useRouter } from 'next/navigation'
import { useState } from 'react'
import { Press } from '@/ui/Press.tsx'
import { call } from '../api.ts'
import { shotNameFor, takeInPlate } from './upload.ts'

interface ShotRow {
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
}

function ShotCard({ shot }: { shot: ShotRow }) {
  return (
    <Link
      href={`/shot/${encodeURIComponent(shot.name)}`}
      prefetch={false}
      style={{ width: 264, background: '#242424', border: '1px solid #313131' }}
    >
      <Box
        height="148px"
        background="well"
        backgroundImage={`url(/api/assets/${shot.plate.asset}/${Math.round((shot.plate.first + shot.plate.last) / 2)}?size=quarter)`}
        backgroundSize="cover"
        backgroundPosition="center"
      />
      <Box padding="8px 10px">
        <Text fontWeight="650" truncate>
          {shot.name}
        </Text>
        <Text className="num" color="soft">
          {shot.plate.first}–{shot.plate.last} · {Number((shot.plate.rate[0] / shot.plate.rate[1]).toFixed(3))}/s ·{' '}
          {shot.plate.width}×{shot.plate.height}
        </Text>
      </Box>
    </Link>
  )
}

/** The shots of the project; a plate dropped anywhere on the page becomes a new one. */
export function ShotList() {
  const router = useRouter()
  const queries = useQueryClient()
  const shots = useQuery({ queryKey: ['shots'], queryFn: () => call<ShotRow[]>('/api/shots'), refetchInterval: 3000 })
  const [over, setOver] = useState(false)
  const [files, setFiles] = useState<File[]>([])
  const [name, setName] = useState('')
  const [going, setGoing] = useState<{ share: number; what: string }>()
  const [wrong, setWrong] = useState<LanternError>()

  const choose = (list: FileList | null): void => {
    const chosen = [...(list ?? [])].sort((a, b) => a.name.localeCompare(b.name))
    if (chosen.length === 0) return
    setFiles(chosen)
    setName(shotNameFor(chosen))
    setWrong(undefined)
  }
  const make = async (): Promise<void> => {
    setWrong(undefined)
    try {
      const made = await takeInPlate(files, name.trim(), (share, what) => setGoing({ share, what }))
      await queries.invalidateQueries({ queryKey: ['shots'] })
      router.push(`/shot/${encodeURIComponent(made)}`)
    } catch (error) {
      setWrong(error instanceof LanternError ? error : new LanternError('fault', String(error), 'Try again.'))
    } finally {
      setGoing(undefined)
    }
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
              {shots.error instanceof LanternError
                ? `${shots.error.message} ${shots.error.remedy}`
                : 'The shots can’t be listed.'}
            </Text>
          )}
          {shots.data?.length === 0 && (
            <Text color="soft">No shot yet. Drop a movie or numbered stills on this page to begin.</Text>
          )}
          <Flex wrap="wrap" gap="14px">
            {shots.data?.map((shot) => (
              <ShotCard key={shot.id} shot={shot} />
            ))}
          </Flex>
        </Box>
        <Box
          as="section"
          aria-label="New shot"
          width="330px"
          background="panel"
          borderWidth="1px"
          borderColor={over ? 'text' : 'line'}
          borderStyle={over ? 'solid' : 'dashed'}
          padding="16px"
        >
          <Text as="h2" fontWeight="650" marginBottom="6px">
            New shot
          </Text>
          <Text color="soft" marginBottom="12px">
            Drop a plate here: one movie, or stills numbered like name.0001.png (PNG, JPEG, TIFF, OpenEXR).
          </Text>
          <input
            id="plate-files"
            type="file"
            multiple
            hidden
            accept="video/*,image/*,.exr,.mov,.mxf"
            onChange={(event) => choose(event.target.files)}
          />
          <Press onClick={() => document.getElementById('plate-files')?.click()} disabled={!!going}>
            Choose files…
          </Press>
          {files.length > 0 && (
            <Box marginTop="12px">
              <Text className="num" color="soft" truncate>
                {files.length === 1 ? files[0]?.name : `${files.length} stills, ${files[0]?.name} …`}
              </Text>
              <label htmlFor="shot-name">Name</label>
              <Input
                id="shot-name"
                size="xs"
                marginY="4px"
                value={name}
                maxLength={300}
                onChange={(event) => setName(event.target.value)}
                borderColor="line"
                background="floor"
              />
              <Press main disabled={!!going} onClick={() => void make()}>
                Make the shot
              </Press>
            </Box>
          )}
          {going && (
            <Box marginTop="12px" role="status">
              <Text className="num">{going.what}</Text>
              <Box height="3px" background="line" marginTop="6px">
                <Box height="3px" background="lamp" width={`${going.share * 100}%`} />
              </Box>
            </Box>
          )}
          {wrong && (
            <Text role="alert" color="wrong" marginTop="12px">
              {wrong.message} {wrong.remedy}
            </Text>
          )}
        </Box>
      </Flex>
    </Box>
  )
}
