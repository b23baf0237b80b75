'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { Camera } from '@lantern/core/data'
import { MANUAL_TRACK_NUMBERS, matchScene } from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import { useState } from 'react'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import type { MatchForm, MatchOutRequest } from '@/workers/matchOut.worker.ts'
import { useShotParts } from '../../shot/shotStore.ts'
import type { ShownMatch } from '../matchData.ts'
import { Part } from './parts.tsx'

const FORMS: Readonly<Record<MatchForm, { label: string; ending: string; says: string }>> = {
  gltf: { label: 'Camera, points, things: glTF', ending: '.gltf', says: 'Y up and in metres, as glTF has it.' },
  usda: { label: 'Camera, points, things: USD', ending: '.usda', says: 'USD as text.' },
  'camera-csv': { label: 'Camera: table', ending: '-camera.csv', says: 'A row a frame.' },
  'tracks-csv': { label: 'Tracks: table', ending: '-tracks.csv', says: 'A row a track and frame, in px.' },
  'lens-exr': {
    label: 'Lens map: OpenEXR',
    ending: '-lens.exr',
    says: 'Where each pixel goes when straightened, and back.',
  },
}

interface Choices {
  form: MatchForm
  up: 'y' | 'z'
  unit: 'm' | 'cm'
  first: number | null
  which: 'all' | 'hand'
}
const AT_FIRST: Choices = { form: 'gltf', up: 'y', unit: 'm', first: null, which: 'all' }
const REMEMBERED = 'lantern.hand-out'
const remembered = (): Choices => {
  try {
    return { ...AT_FIRST, ...(JSON.parse(localStorage.getItem(REMEMBERED) ?? '{}') as Partial<Choices>) }
  } catch {
    return AT_FIRST
  }
}

const written = (request: MatchOutRequest): Promise<Blob> =>
  new Promise((resolve, reject) => {
    const worker = new Worker(new URL('../../../workers/matchOut.worker.ts', import.meta.url), { type: 'module' })
    worker.onmessage = (message: MessageEvent<Blob>) => (resolve(message.data), worker.terminate())
    worker.onerror = (event) => (reject(new Error(event.message)), worker.terminate())
    worker.postMessage(request)
  })

function save(blob: Blob, name: string): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = name
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 60_000)
}

/** What goes out: the camera's path, the solve where it is the document's, and the tracks asked for. */
function sceneOf(
  document: ShotDocument,
  cameras: { first: number; cameras: Camera[] },
  shown: ShownMatch,
  which: Choices['which'],
): ReturnType<typeof matchScene> {
  const ids =
    which === 'hand'
      ? new Set(shown.tracks.filter(({ id }) => id >= MANUAL_TRACK_NUMBERS).map(({ id }) => id))
      : undefined
  return matchScene(
    document,
    cameras.cameras.map((one, n) => ({ frame: cameras.first + n, camera: one })),
    shown.fresh ? undefined : shown.solve,
    shown.tracks,
    ids,
  )
}

interface PickProps {
  label: string
  value: string
  options: readonly (readonly [string, string])[]
  onPick: (key: string) => void
}

/** A line of the form: one of a few. */
function PickLine({ label, value, options, onPick }: PickProps) {
  return (
    <Flex justify="space-between" align="center" minHeight="26px">
      <span>{label}</span>
      <Flex gap="3px">
        {options.map(([key, name]) => (
          <Press key={key} aria-pressed={value === key} onClick={() => onPick(key)}>
            {name}
          </Press>
        ))}
      </Flex>
    </Flex>
  )
}

/** The camera, what was solved with it, its tracks and its lens, as open files. */
export function HandOut({ shown }: { shown: ShownMatch }) {
  const { shot, cameras, say } = useShotParts('shot', 'cameras', 'say')
  const [choices, setChoices] = useState(remembered)
  const [busy, setBusy] = useState(false)
  const camera = cameras.cameras[0]
  if (!shot || !camera) return null
  const { plate } = shot.document
  const choose = (change: Partial<Choices>): void => {
    const next = { ...choices, ...change }
    setChoices(next)
    localStorage.setItem(REMEMBERED, JSON.stringify(next))
  }
  const { form, up, unit, which } = choices
  const first = choices.first ?? plate.first
  const own = form === 'gltf' || form === 'tracks-csv' || form === 'lens-exr'
  const out = async (): Promise<void> => {
    setBusy(true)
    try {
      const scene = sceneOf(shot.document, cameras, shown, which)
      save(
        await written({ form, scene, lens: camera, up, unit, shift: first - plate.first }),
        `${shot.name}${FORMS[form].ending}`,
      )
    } catch (error) {
      say(error)
    } finally {
      setBusy(false)
    }
  }
  return (
    <Part title="Hand out">
      <select
        aria-label="What to hand out"
        value={form}
        onChange={(event) => choose({ form: event.target.value as MatchForm })}
        style={{ background: '#1b1b1b', border: '1px solid #313131', padding: '2px 6px', width: '100%', marginTop: 5 }}
      >
        {Object.entries(FORMS).map(([key, { label }]) => (
          <option key={key} value={key}>
            {label}
          </option>
        ))}
      </select>
      <Text color="faint" marginTop="3px">
        {FORMS[form].says}
      </Text>
      {form !== 'lens-exr' && form !== 'camera-csv' && (
        <PickLine
          label="Tracks and points"
          value={which}
          options={[
            ['all', 'All'],
            ['hand', 'By hand'],
          ]}
          onPick={(key) => choose({ which: key as Choices['which'] })}
        />
      )}
      {!own && (
        <PickLine
          label="Up"
          value={up}
          options={[
            ['y', 'Y'],
            ['z', 'Z'],
          ]}
          onPick={(key) => choose({ up: key as Choices['up'] })}
        />
      )}
      {!own && (
        <PickLine
          label="Unit"
          value={unit}
          options={[
            ['m', 'm'],
            ['cm', 'cm'],
          ]}
          onPick={(key) => choose({ unit: key as Choices['unit'] })}
        />
      )}
      {form !== 'lens-exr' && (
        <Flex justify="space-between" align="center" minHeight="26px">
          <span>First frame</span>
          <Box width="108px">
            <NumberField
              label="Number of the first frame"
              value={first}
              step={1}
              onValue={(value, final) =>
                final && choose({ first: Math.round(value) === plate.first ? null : Math.round(value) })
              }
            />
          </Box>
        </Flex>
      )}
      <Press main disabled={busy} onClick={() => void out()}>
        {busy ? 'Writing…' : 'Download'}
      </Press>
    </Part>
  )
}
