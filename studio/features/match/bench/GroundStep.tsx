'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { type Tool, useShotParts } from '../../shot/shotStore.ts'
import type { ShownMatch } from '../matchData.ts'
import { Figure, Part } from './parts.tsx'

export function GroundStep({ shown }: { shown: ShownMatch }) {
  const { shot, tool, set, edit } = useShotParts('shot', 'tool', 'set', 'edit')
  const ground = shot?.document.match.ground
  const taken = shot?.document.camera.solve
  if (!shot || !ground) return null
  const say = (change: Record<string, unknown>): void => edit({ match: { ground: change } })
  const Way = ({ name, label, done }: { name: Tool; label: string; done: boolean }) => (
    <Press aria-pressed={tool === name} onClick={() => set({ tool: tool === name ? 'choose' : name })}>
      {label}
      {done ? ' ✓' : ''}
    </Press>
  )
  const stands = taken !== undefined && JSON.stringify(taken.by) === JSON.stringify(shown.by)
  if (!shown.solve)
    return (
      <Part title="Ground">
        <Text color="soft">Solve the camera first: the ground is said on its points.</Text>
      </Part>
    )
  if (shown.solve.kind === 'turning')
    return (
      <Part title="Ground">
        <Text color="soft">
          A camera that only turns has no points in depth to lay a ground through. Line it up by its edges, or set
          things far away.
        </Text>
      </Part>
    )
  return (
    <>
      <Part title="What is ground" note={`${ground.points.length} points`}>
        <Text color="soft">
          Click three points or more that lie on it; with Shift drag over a patch. A few may be wrong.
        </Text>
        <Flex gap="6px" wrap="wrap" marginTop="6px">
          <Way name="ground" label="Points" done={ground.points.length > 2} />
          <Way name="axis" label="Axis" done={ground.axis !== undefined} />
          <Way name="origin" label="Origin" done={ground.origin !== undefined} />
          <Way name="distance" label="Distance" done={ground.distance !== undefined} />
          <Press plain disabled={ground.points.length === 0} onClick={() => say({ points: [] })}>
            Clear points
          </Press>
        </Flex>
        {tool === 'axis' && (
          <Text color="faint" marginTop="4px">
            Two points, the second to the right of the first: the world’s X.
          </Text>
        )}
        {tool === 'distance' && (
          <Text color="faint" marginTop="4px">
            Two points whose distance you know.
          </Text>
        )}
        {tool === 'origin' && (
          <Text color="faint" marginTop="4px">
            The point that becomes 0, 0, 0.
          </Text>
        )}
      </Part>
      <Part title="Size">
        {ground.distance && (
          <Flex justify="space-between" align="center" minHeight="26px">
            <span>Between the two points</span>
            <Box width="108px">
              <NumberField
                label="Known distance"
                value={ground.distance.metres}
                unit="m"
                step={0.01}
                minimum={0.001}
                onValue={(metres, final) =>
                  final && ground.distance && say({ distance: { ...ground.distance, metres } })
                }
              />
            </Box>
          </Flex>
        )}
        {!ground.distance && (
          <Flex justify="space-between" align="center" minHeight="26px">
            <span>Camera height</span>
            <Box width="108px">
              <NumberField
                label="Camera height"
                value={ground.cameraHeight ?? 0}
                unit="m"
                step={0.01}
                minimum={0}
                onValue={(value, final) => final && say({ cameraHeight: value > 0 ? value : null })}
              />
            </Box>
          </Flex>
        )}
        {ground.distance && (
          <Press plain onClick={() => say({ distance: null })}>
            Use the camera’s height instead
          </Press>
        )}
        {!ground.distance && ground.cameraHeight === undefined && (
          <Text color="wrong">No size yet: say a distance, or how high the camera was.</Text>
        )}
      </Part>
      <Part title="Fit">
        {shown.groundError ? (
          <Text role="alert" color="wrong">
            {shown.groundError.message} {shown.groundError.remedy}
          </Text>
        ) : shown.ground ? (
          <>
            <Figure label="Points off the ground, rms" value={`${(shown.ground.rms * 100).toFixed(1)} cm`} />
            {shown.ground.left > 0 && <Figure label="Left out as wrong" value={String(shown.ground.left)} wrong />}
            <Figure label="First camera’s height" value={`${shown.cameras[0]?.position[1].toFixed(2)} m`} />
          </>
        ) : (
          <Text color="soft">Three points make a ground.</Text>
        )}
        {!shown.fresh && taken && shown.ground && !shown.groundError && (
          <Flex marginTop="6px" gap="8px" align="center">
            <Press
              main
              disabled={stands}
              onClick={() => edit({ camera: { solve: { by: shown.by, ground: shown.ground } } })}
            >
              Set the shot on it
            </Press>
            <Text color="faint">{stands ? 'The shot stands on it.' : 'Not set yet.'}</Text>
          </Flex>
        )}
        {shown.fresh && (
          <Text color="faint" marginTop="6px">
            Keep the new solve to set the shot on this ground.
          </Text>
        )}
      </Part>
    </>
  )
}
