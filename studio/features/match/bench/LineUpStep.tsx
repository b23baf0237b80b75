'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { linedCamera } from '@lantern/core/pipeline'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { type Tool, useShotParts } from '../../shot/shotStore.ts'
import { Figure, millimetres, Part } from './parts.tsx'

const WAYS = [
  ['line-x', 'x', 'Right'],
  ['line-y', 'y', 'Up'],
  ['line-z', 'z', 'Near'],
] as const

/** A still or a locked-off plate lined up by its edges, live. */
export function LineUpStep() {
  const { shot, tool, set, edit } = useShotParts('shot', 'tool', 'set', 'edit')
  const camera = shot?.document.camera
  if (!shot || !camera) return null
  const drawn = camera.lineUp
  const found = linedCamera(shot.document)
  const change = (value: Record<string, unknown>): void => edit({ camera: { lineUp: value } })
  const Tool = ({ name, label }: { name: Tool; label: string }) => (
    <Press aria-pressed={tool === name} onClick={() => set({ tool: tool === name ? 'choose' : name })}>
      {label}
    </Press>
  )
  return (
    <>
      <Part title="Edges" note={String(drawn?.lines.length ?? 0)}>
        <Text color="soft">
          Drag along edges that are parallel in the world: two or more for each of two directions, or of all three.
        </Text>
        <Flex gap="6px" wrap="wrap" marginTop="6px">
          {WAYS.map(([name, axis, label]) => (
            <Tool
              key={name}
              name={name}
              label={`${label} ${drawn?.lines.filter((line) => line.axis === axis).length ?? 0}`}
            />
          ))}
        </Flex>
        <Text color="faint" marginTop="4px">
          Ends can be dragged; drag one out of the picture to remove its line.
        </Text>
      </Part>
      <Part title="Origin and size">
        <Flex gap="6px" wrap="wrap" marginTop="5px">
          <Tool name="line-origin" label={`Origin${drawn?.origin ? ' ✓' : ''}`} />
          <Tool name="line-length" label={`Length${drawn?.length ? ' ✓' : ''}`} />
        </Flex>
        {tool === 'line-length' && (
          <Text color="faint" marginTop="4px">
            Click where a known length ends that starts at the origin and runs along one of the directions.
          </Text>
        )}
        {drawn?.length && (
          <>
            <Flex justify="space-between" align="center" minHeight="26px" marginTop="5px">
              <span>It runs</span>
              <Flex gap="3px">
                {WAYS.map(([, axis, label]) => (
                  <Press
                    key={axis}
                    aria-pressed={drawn.length?.axis === axis}
                    onClick={() => change({ length: { axis } })}
                  >
                    {label}
                  </Press>
                ))}
              </Flex>
            </Flex>
            <Flex justify="space-between" align="center" minHeight="26px">
              <span>and is</span>
              <Box width="108px">
                <NumberField
                  label="Known length"
                  value={drawn.length.metres}
                  unit="m"
                  step={0.01}
                  minimum={0.001}
                  onValue={(metres, final) => final && change({ length: { metres } })}
                />
              </Box>
            </Flex>
          </>
        )}
        <Flex justify="space-between" align="center" minHeight="26px">
          <span>Focal length, if known</span>
          <Box width="108px">
            <NumberField
              label="Known focal length"
              value={drawn?.focal ?? 0}
              unit="× width"
              step={0.005}
              minimum={0}
              onValue={(value, final) => final && change({ focal: value >= 0.1 ? value : null })}
            />
          </Box>
        </Flex>
      </Part>
      <Part title="Camera">
        {found.error && (
          <Text color="wrong">
            {found.error.message} {found.error.remedy}
          </Text>
        )}
        {found.camera && (
          <>
            <Figure label="Lines off, rms" value={`${found.rms?.toFixed(2)} px`} wrong={(found.rms ?? 0) > 3} />
            <Figure label="Focal length" value={millimetres(found.camera.focalPx, found.camera.width)} />
            <Figure label="Height" value={`${found.camera.position[1].toFixed(2)} m`} />
            {camera.kind !== 'lined' && (
              <Press main onClick={() => edit({ camera: { kind: 'lined' } })}>
                Make it the camera
              </Press>
            )}
          </>
        )}
      </Part>
    </>
  )
}
