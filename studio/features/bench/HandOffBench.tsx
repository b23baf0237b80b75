'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { SETTINGS } from '@lantern/core/shot'
import { Press } from '@/ui/Press.tsx'
import { useShot } from '../shot/shotStore.ts'
import { Head } from './Head.tsx'
import { handOffs } from './handOff.ts'
import { SchemaBench } from './SchemaBench.tsx'

/** What leaves: a movie, OpenEXR frames. */
export function HandOffBench() {
  const state = useShot()
  const { shot, ask } = state
  const offs = handOffs(state)
  if (!shot) return null
  return (
    <>
      <Head title="Hand-off" kind="movie, OpenEXR" />
      {offs.rows.map((row) => (
        <Flex
          key={row.title}
          padding="10px 14px"
          borderBottomWidth="1px"
          borderColor="hair"
          justify="space-between"
          align="center"
          gap="8px"
        >
          <Box>
            <Text fontWeight="600">{row.title}</Text>
            <Text className="num" color={row.error ? 'wrong' : 'soft'} role="status">
              {row.text}
            </Text>
          </Box>
          {row.download ? (
            <a href={row.download} download style={{ border: '1px solid #b4b4b4', padding: '2px 7px' }}>
              Download
            </a>
          ) : (
            <Press
              main
              disabled={row.busy}
              onClick={() => void ask({ what: 'hand-off', quality: row.quality, form: row.form }).then(offs.refresh)}
            >
              Make
            </Press>
          )}
        </Flex>
      ))}
      <SchemaBench
        settings={SETTINGS.sit.filter(({ key }) => key === 'curve')}
        values={shot.document.sit}
        path={['sit']}
      />
      <Text padding="10px 14px" color="faint">
        Frames that are missing are computed first. The command line writes both to folders: lantern out.
      </Text>
    </>
  )
}
