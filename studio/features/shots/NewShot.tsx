'use client'
import { Box, Flex, Input, Text } from '@chakra-ui/react'
import { LanternError } from '@lantern/core/base'
import { useState } from 'react'
import { Press } from '@/ui/Press.tsx'
import { areStills, keepRate, lastRate, rateOf, type Sent, shotNameFor } from './upload.ts'

/** Stills that wait for what they don't tell themselves: a name for the shot and their rate. */
function StillsForm({
  files,
  make,
  forget,
}: {
  files: readonly File[]
  make: (sent: Sent) => void
  forget: () => void
}) {
  const [name, setName] = useState(shotNameFor(files))
  const [rate, setRate] = useState(lastRate)
  const fraction = rateOf(rate)
  return (
    <Box
      as="form"
      marginTop="12px"
      onSubmit={(event) => {
        event.preventDefault()
        if (!fraction) return
        keepRate(rate)
        make({ makes: name.trim(), rate: fraction })
      }}
    >
      <Text className="num" color="soft" truncate>
        {files.length === 1 ? files[0]?.name : `${files.length} stills, ${files[0]?.name} …`}
      </Text>
      <label htmlFor="shot-name">Name</label>
      <Input
        id="shot-name"
        size="xs"
        fontSize="12px"
        marginY="4px"
        value={name}
        maxLength={80}
        onChange={(event) => setName(event.target.value)}
        borderColor="line"
        background="floor"
      />
      <label htmlFor="stills-rate">Frames a second</label>
      <Input
        id="stills-rate"
        size="xs"
        fontSize="12px"
        marginY="4px"
        value={rate}
        inputMode="decimal"
        aria-invalid={!fraction}
        onChange={(event) => setRate(event.target.value)}
        borderColor="line"
        background="floor"
      />
      {!fraction && (
        <Text role="alert" color="wrong">
          A rate is a number from 1 to 1000.
        </Text>
      )}
      <Flex gap="6px" marginTop="6px">
        <Press main type="submit" disabled={!fraction || !name.trim()}>
          Make the shot
        </Press>
        <Press onClick={forget}>Cancel</Press>
      </Flex>
    </Box>
  )
}

/** Where plates are dropped: a movie is taken in at once, stills say their rate first. */
export function NewShot({
  over,
  files,
  choose,
  make,
  forget,
  wrong,
}: {
  over: boolean
  files: readonly File[]
  choose: (list: FileList | null) => void
  make: (sent: Sent) => void
  forget: () => void
  wrong: LanternError | undefined
}) {
  return (
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
        onChange={(event) => {
          choose(event.target.files)
          event.target.value = ''
        }}
      />
      <Press onClick={() => document.getElementById('plate-files')?.click()}>Choose files…</Press>
      {files.length > 0 && areStills(files) && (
        <StillsForm key={files[0]?.name} files={files} make={make} forget={forget} />
      )}
      {wrong && (
        <Text role="alert" color="wrong" marginTop="12px">
          {wrong.message} {wrong.remedy}
        </Text>
      )}
    </Box>
  )
}

export const asError = (error: unknown): LanternError =>
  error instanceof LanternError ? error : new LanternError('fault', String(error), 'Try again.')
