'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { illuminanceOfNotes } from '@lantern/core/pipeline'
import { SETTINGS } from '@lantern/core/shot'
import { useRef, useState } from 'react'
import { FileInput } from '@/ui/FileInput.tsx'
import { Press } from '@/ui/Press.tsx'
import { Head } from '../bench/Head.tsx'
import { SchemaBench } from '../bench/SchemaBench.tsx'
import { type Tool, useShot, useShotParts } from '../shot/shotStore.ts'
import { AlonePress } from './lampView.tsx'
import { clearSunLines, sunNow, takeSurroundings } from './tools.ts'

/** Light that a plate may have been filmed in: lux, and how much of it comes from the sun. */
const SCENES = [
  [
    'Noon sun',
    { illuminance: 90000, sunShare: 0.85, sunHeight: 55, sunColour: [1.05, 1, 0.9], skyColour: [0.75, 0.97, 1.5] },
  ],
  ['Overcast', { illuminance: 10000, sunShare: 0, sunHeight: 45, sunColour: [1, 1, 1], skyColour: [0.97, 1, 1.06] }],
  ['Dusk', { illuminance: 300, sunShare: 0.15, sunHeight: 6, sunColour: [1.3, 1, 0.65], skyColour: [0.92, 1, 1.15] }],
  ['Lit room', { illuminance: 200, sunShare: 0, sunHeight: 45, sunColour: [1, 1, 1], skyColour: [1.05, 1, 0.9] }],
] as const

/** A light tool's button: pressed while it waits for clicks. */
function ToolPress({ tool, label, how }: { tool: Tool; label: string; how: string }) {
  const state = useShot()
  const on = state.tool === tool
  return (
    <Press
      aria-pressed={on}
      onClick={() => state.set(on ? { tool: 'choose' } : { tool, message: { text: how, good: true } })}
    >
      {label}
    </Press>
  )
}

/** What a camera's notes say of the light: a white surface that they expose right. */
function Notes() {
  const { edit } = useShotParts('edit')
  const [notes, setNotes] = useState('')
  const [f = 0, t = 0, iso = 0] = notes.split(/[,\s]+/).map((part) => {
    const [over = 0, under = 1] = part
      .replace(/^f\/?|^iso/i, '')
      .split('/')
      .map(Number)
    return over / under
  })
  const lux = f > 0 && t > 0 && iso > 0 ? illuminanceOfNotes(f, t, iso) : undefined
  const told = lux && Number.isFinite(lux) ? Number(lux.toPrecision(2)) : undefined
  return (
    <label
      style={{ display: 'grid', gridTemplateColumns: '74px 1fr auto', alignItems: 'center', gap: 6, marginTop: 8 }}
    >
      From notes
      <input
        value={notes}
        placeholder="f/4 1/50 800"
        title="f-number, shutter in seconds, ISO"
        aria-label="f-number, shutter, ISO"
        onChange={(event) => setNotes(event.target.value)}
        onKeyDown={(event) => event.stopPropagation()}
        style={{ background: '#1b1b1b', border: '1px solid #313131', padding: '2px 6px', minWidth: 0 }}
      />
      <Press
        disabled={!told}
        onClick={() => told && edit({ light: { illuminance: Math.min(200000, Math.max(0.1, told)) } })}
      >
        {told ? `${told} lx` : 'lx'}
      </Press>
    </label>
  )
}

/** The picture of all that is round the set: taken in, and turned so that its brightest spot stands where the sun does. */
function Surroundings() {
  const { shot, edit, say } = useShotParts('shot', 'edit', 'say')
  const files = useRef<HTMLInputElement>(null)
  if (!shot) return null
  const { light } = shot.document
  const taken = light.surroundings
  const turned = taken && Math.round(((((light.sunFrom - taken.from) % 360) + 540) % 360) - 180)
  return (
    <Flex gap="6px" wrap="wrap" align="center" marginTop="6px">
      <Press onClick={() => files.current?.click()}>Surroundings</Press>
      {taken && (
        <Text color="soft" truncate maxWidth="120px" title={taken.file}>
          {taken.file}
        </Text>
      )}
      {taken && light.sky === 'picture' && turned !== light.skyTurn && (
        <Press onClick={() => edit({ light: { skyTurn: turned } })}>Turn to the sun</Press>
      )}
      <FileInput
        ref={files}
        label="Picture of the surroundings"
        accept=".exr,.hdr"
        onFiles={([file]) => file && void takeSurroundings(file).catch(say)}
      />
    </Flex>
  )
}

/** The plate's light: the scene that it was filmed in, its sun by shadows, sun and sky by two patches, and all of it by numbers. */
export function LightBench() {
  const { shot, edit } = useShotParts('shot', 'edit')
  if (!shot) return null
  const { light } = shot.document
  const sun = light.sunLines.length > 0 ? sunNow(shot.document) : undefined
  return (
    <>
      <Head title="Plate light" kind="sun and sky" />
      <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair">
        <Text color="soft">Filmed in</Text>
        <Flex gap="6px" wrap="wrap" marginTop="4px">
          {SCENES.map(([name, scene]) => (
            <Press
              key={name}
              aria-pressed={light.illuminance === scene.illuminance}
              onClick={() => edit({ light: scene })}
            >
              {name}
            </Press>
          ))}
        </Flex>
        <Notes />
        <Flex gap="6px" wrap="wrap" marginTop="10px">
          <AlonePress id="plateLight" />
          <ToolPress
            tool="sun-line"
            label="Sun by a shadow"
            how="Click an upright thing’s foot, its top, and the tip of its shadow."
          />
          <ToolPress
            tool="patches"
            label="Sun and sky by patches"
            how="Click a patch in the sun, then one of the same surface in shadow."
          />
        </Flex>
        <Surroundings />
        {light.sunLines.length > 0 && (
          <Flex align="center" gap="8px" marginTop="6px">
            <Text className="num" color={sun && sun.apart < 5 ? 'fact' : 'wrong'} data-sun>
              {sun
                ? `${sun.used} line${sun.used > 1 ? 's' : ''}${sun.used > 1 ? `, ${sun.apart.toFixed(1)}° apart at most` : ''}`
                : 'no line holds any more'}
            </Text>
            <Press plain onClick={clearSunLines}>
              Forget them
            </Press>
          </Flex>
        )}
      </Box>
      <SchemaBench
        settings={SETTINGS.plateLight}
        values={light}
        path={['light']}
        follows={{ at: ['light'], now: light.follows }}
      />
    </>
  )
}
