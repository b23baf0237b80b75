'use client'
import { Flex, Text } from '@chakra-ui/react'
import { useRef, useState } from 'react'
import { Press } from '@/ui/Press.tsx'
import { useShotParts } from '../../shot/shotStore.ts'
import { takeInFrames } from '../../shots/upload.ts'

/** A matte that keeps out: frames from elsewhere, white where nothing is to be followed. */
export function MattePart() {
  const file = useRef<HTMLInputElement>(null)
  const { shot, edit, say } = useShotParts('shot', 'edit', 'say')
  const [doing, setDoing] = useState('')
  const matte = shot?.document.match.matte
  const take = async (files: readonly File[]): Promise<void> => {
    try {
      const asset = await takeInFrames(files, (_, what) => setDoing(what))
      edit({
        match: {
          matte: {
            asset: asset.id,
            file: asset.file,
            first: asset.info.first ?? 1,
            last: asset.info.last ?? 1,
            inverted: false,
          },
        },
      })
    } catch (error) {
      say(error)
    } finally {
      setDoing('')
    }
  }
  return (
    <>
      <input
        ref={file}
        type="file"
        hidden
        multiple
        accept="video/*,image/*,.exr"
        aria-label="Matte files"
        onChange={(event) => {
          const files = [...(event.target.files ?? [])]
          event.target.value = ''
          if (files.length > 0) void take(files)
        }}
      />
      {matte && (
        <Text className="num" color="soft" marginTop="6px" truncate>
          {matte.file} {matte.first}–{matte.last}
        </Text>
      )}
      {doing && (
        <Text className="num" color="soft" role="status" aria-label="Matte, progress" marginTop="4px">
          {doing}
        </Text>
      )}
      <Flex gap="6px" marginTop="4px" wrap="wrap">
        {!matte && (
          <Press disabled={doing !== ''} onClick={() => file.current?.click()}>
            Load a matte…
          </Press>
        )}
        {matte && (
          <Press
            aria-pressed={matte.inverted}
            onClick={() => edit({ match: { matte: { inverted: !matte.inverted } } })}
          >
            {matte.inverted ? 'Black keeps out' : 'White keeps out'}
          </Press>
        )}
        {matte && <Press onClick={() => edit({ match: { matte: null } })}>Remove</Press>}
      </Flex>
    </>
  )
}
