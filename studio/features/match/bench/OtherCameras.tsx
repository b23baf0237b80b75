'use client'
import { Box, Flex } from '@chakra-ui/react'
import { SETTINGS } from '@lantern/core/shot'
import { useRef } from 'react'
import { Press } from '@/ui/Press.tsx'
import { Settings } from '../../bench/Settings.tsx'
import { useShotParts } from '../../shot/shotStore.ts'
import { Part } from './parts.tsx'

/** The camera by other ways than solving: from a file, typed. */
export function OtherCameras() {
  const file = useRef<HTMLInputElement>(null)
  const { shot, edit, takeCamera, preview } = useShotParts('shot', 'edit', 'takeCamera', 'preview')
  const camera = shot?.document.camera
  if (!camera) return null
  return (
    <Part
      title={camera.kind === 'typed' ? 'Camera in use' : 'Another camera'}
      note={
        { none: 'none', typed: 'typed', path: camera.path?.file.slice(0, 20), solved: 'solved', lined: 'lined up' }[
          camera.kind
        ]
      }
    >
      <input
        ref={file}
        type="file"
        hidden
        accept=".gltf,.glb,.usda,.usd,.csv,model/*"
        aria-label="Camera file"
        onChange={(event) => {
          const chosen = event.target.files?.[0]
          event.target.value = ''
          if (chosen) void takeCamera(chosen)
        }}
      />
      <Flex gap="6px" wrap="wrap" marginTop="5px">
        <Press onClick={() => file.current?.click()}>From a file…</Press>
        {camera.kind !== 'typed' && <Press onClick={() => edit({ camera: { kind: 'typed' } })}>Type one</Press>}
        {camera.kind !== 'none' && <Press onClick={() => edit({ camera: { kind: 'none' } })}>None</Press>}
        {camera.kind !== 'path' && camera.path && (
          <Press onClick={() => edit({ camera: { kind: 'path' } })}>Back to {camera.path.file.slice(0, 18)}</Press>
        )}
        {camera.kind !== 'lined' && camera.lineUp && (
          <Press onClick={() => edit({ camera: { kind: 'lined' } })}>Back to the lines</Press>
        )}
        {camera.kind !== 'solved' && camera.solve && (
          <Press onClick={() => edit({ camera: { kind: 'solved' } })}>Back to the solve</Press>
        )}
      </Flex>
      {camera.kind === 'path' && camera.path && (
        <Box marginX="-14px">
          <Settings
            settings={SETTINGS.cameraPath}
            values={camera.path}
            onChange={(key, value, final) => final && edit({ camera: { path: { [key]: value } } })}
          />
        </Box>
      )}
      {camera.kind === 'typed' && (
        <Box marginX="-14px">
          <Settings
            settings={SETTINGS.camera.filter(({ group }) => group !== 'Notes')}
            values={camera}
            onChange={(key, value, final) => (final ? edit : preview)({ camera: { [key]: value } })}
          />
        </Box>
      )}
    </Part>
  )
}
