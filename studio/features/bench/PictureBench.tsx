'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { SETTINGS } from '@lantern/core/shot'
import { Press } from '@/ui/Press.tsx'
import { timeLeftText } from '@/ui/timeLeft.ts'
import { useShot, useShotParts } from '../shot/shotStore.ts'
import { Head } from './Head.tsx'
import { SchemaBench } from './SchemaBench.tsx'

/** A part of the frame as the final has it, here and now. */
function Region() {
  const { region, tool, set } = useShotParts('region', 'tool', 'set')
  return (
    <Box padding="10px 14px" borderBottomWidth="1px" borderColor="hair">
      <Text fontWeight="600">A part of this frame</Text>
      <Text color="soft">As the final has it: drag a box over the picture.</Text>
      <Flex gap="6px" marginTop="6px">
        <Press aria-pressed={tool === 'region'} onClick={() => set({ tool: tool === 'region' ? 'choose' : 'region' })}>
          Drag a box
        </Press>
        {region && <Press onClick={() => set({ region: undefined, tool: 'choose' })}>Whole picture</Press>}
      </Flex>
    </Box>
  )
}

/** What is kept of the pictures, and the plate's light. */
export function PictureBench() {
  const state = useShot()
  const { status, ask, shot } = state
  const total = shot ? shot.document.plate.last - shot.document.plate.first + 1 : 0
  return (
    <>
      <Head title="Picture" kind="passes of every frame" />
      {(['look', 'final'] as const).map((quality) => {
        const one = status?.[quality]
        const busy = one?.state === 'running'
        return (
          <Box key={quality} padding="10px 14px" borderBottomWidth="1px" borderColor="hair">
            <Flex justify="space-between" align="center">
              <Text fontWeight="600">{quality === 'look' ? 'First look, half size' : 'Final, full size'}</Text>
              {busy ? (
                <Press onClick={() => void ask({ what: 'stop-picture', quality })}>Stop</Press>
              ) : (
                <Press
                  main
                  disabled={one?.state === 'done' || shot?.document.camera.kind === 'none'}
                  onClick={() => void ask({ what: 'picture', quality })}
                >
                  {one && one.kept.length > 0 && one.state !== 'done' ? 'Go on' : 'Make'}
                </Press>
              )}
            </Flex>
            <Text className="num" color="soft" role="status">
              {one?.kept.length ?? 0} of {total}{' '}
              {busy
                ? timeLeftText(one.secondsLeft)
                : one?.state === 'stopped'
                  ? 'stopped'
                  : one?.stale.length
                    ? `${one.stale.length} stale`
                    : ''}
            </Text>
            {!busy && quality === 'look' && (
              <Press
                plain
                disabled={shot?.document.camera.kind === 'none'}
                onClick={() => void ask({ what: 'picture', quality, frames: [state.frame] })}
              >
                This frame alone
              </Press>
            )}
            {!busy && quality === 'final' && (
              <Press
                plain
                disabled={shot?.document.camera.kind === 'none'}
                onClick={() => void ask({ what: 'picture', quality, frames: [state.frame] })}
              >
                This frame alone
              </Press>
            )}
            {one?.error && (
              <Text role="alert" color="wrong">
                {one.error.message} {one.error.remedy}
              </Text>
            )}
          </Box>
        )
      })}
      <Region />
      <SchemaBench
        settings={SETTINGS.plateLight}
        values={shot?.document.light ?? {}}
        path={['light']}
        follows={{ at: ['light'], now: shot?.document.light.follows }}
      />
    </>
  )
}
