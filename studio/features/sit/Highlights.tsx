'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { Press } from '@/ui/Press.tsx'
import { usePlateFiles } from '../plate/plateFiles.ts'
import { useShotParts } from '../shot/shotStore.ts'
import { useCheck } from './checkStore.ts'

/** What the plate's own highlights tell: where its camera bends and clips, and how much halo they have. */
export function Highlights() {
  const { shot, status, edit, ask } = useShotParts('shot', 'status', 'edit', 'ask')
  const { reports } = usePlateFiles()
  const { check } = useCheck()
  if (!shot) return null
  const { sit } = shot.document
  const report = reports[status?.readings.report.key ?? '']
  const busy = status?.readings.report.state === 'running' || status?.readings.report.state === 'waiting'
  const halo = check?.layers.find(({ id }) => id === 'picture')?.lines.find(({ name }) => name === 'halo')
  const most = halo && halo.layer > 0.01 ? Math.round(10 * sit.halation * (halo.plate / halo.layer)) / 10 : undefined
  return (
    <Box as="section" aria-label="Plate’s highlights" padding="8px 14px" borderTopWidth="1px" borderColor="hair">
      <Flex align="center" gap="6px">
        <Text color="soft" fontWeight="600" flex="1">
          Plate’s highlights
        </Text>
        {!report && (
          <Press disabled={busy} onClick={() => void ask({ what: 'report' })}>
            {busy ? 'Measuring' : 'Measure'}
          </Press>
        )}
      </Flex>
      {report &&
        (report.sensor ? (
          <Flex align="center" gap="6px" marginTop="3px">
            <Text className="num" color="fact" flex="1">
              knee {report.sensor.knee.toFixed(2)}, clips at {report.sensor.top.toFixed(1)} ×
            </Text>
            <Press
              onClick={() =>
                edit({
                  sit: {
                    knee: Math.round(100 * (report.sensor?.knee ?? 0.7)) / 100,
                    shoulder: Math.round(10 * (report.sensor?.top ?? 8)) / 10,
                  },
                })
              }
            >
              Take
            </Press>
          </Flex>
        ) : (
          <Text color="faint" marginTop="3px">
            Too few or too uneven to tell the camera’s curve.
          </Text>
        ))}
      {halo && (
        <Flex align="center" gap="6px" marginTop="3px" data-halo={halo.within ? 'within' : 'out'}>
          <Text className="num" color={halo.within ? 'fact' : 'wrong'} flex="1">
            halo {halo.layer.toFixed(1)} % of white, the plate’s {halo.plate.toFixed(1)} %
          </Text>
          {most !== undefined && halo.difference > halo.spread && (
            <Press onClick={() => edit({ sit: { halation: most, halationMost: most, halationHeld: true } })}>
              Back to the plate’s
            </Press>
          )}
        </Flex>
      )}
    </Box>
  )
}
