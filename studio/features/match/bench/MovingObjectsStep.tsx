'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { objectMotion } from '@lantern/core/match'
import { objectSize } from '@lantern/core/pipeline'
import { isBox } from '@lantern/core/set'
import { type MovingObject, SETTINGS } from '@lantern/core/shot'
import { Press } from '@/ui/Press.tsx'
import { Settings } from '../../bench/Settings.tsx'
import { useShotParts } from '../../shot/shotStore.ts'
import { withoutKey } from '../exclusionMasks.ts'
import { useMatchFiles } from '../matchData.ts'
import { Figure, Part } from './parts.tsx'

function ThingDetail({ id, thing }: { id: string; thing: MovingObject }) {
  const { shot, status, frame, cameras, edit, preview, ask, set } = useShotParts(
    'shot',
    'status',
    'frame',
    'cameras',
    'edit',
    'preview',
    'ask',
    'set',
  )
  const { solves } = useMatchFiles()
  if (!shot) return null
  const stages = status?.match.things[id]
  const solve = solves[stages?.solve.key ?? '']
  const busy =
    [stages?.tracks, stages?.solve].find((stage) => stage?.state === 'running') ??
    [stages?.tracks, stages?.solve].find((stage) => stage?.state === 'waiting')
  const failed = [stages?.tracks, stages?.solve].find((stage) => stage?.state === 'failed')
  const boxes = Object.entries(shot.document.items).filter(([, item]) => isBox(item))
  const change = (value: Partial<Record<keyof MovingObject, unknown>>): void =>
    edit({ match: { things: { [id]: value } } })
  const { first } = shot.document.plate
  const found = solve?.cameras.filter((camera) => camera !== null).length
  const size = solve ? objectSize(thing, solve) : 1
  const home = thing.geometry
    ? thing.geometry.frame - first
    : (solve?.cameras.findIndex((camera) => camera !== null) ?? 0)
  const [from, now] = solve
    ? [objectMotion(solve, size, cameras.cameras, home), objectMotion(solve, size, cameras.cameras, frame - first)]
    : []
  const moved = from && now ? Math.hypot(...now.shift.map((v, c) => v - (from.shift[c] ?? 0))) : undefined
  const turned =
    from && now
      ? (360 / Math.PI) *
        Math.acos(Math.min(1, Math.abs(now.rotation.reduce((sum, v, c) => sum + v * (from.rotation[c] ?? 0), 0))))
      : undefined
  return (
    <Part title={thing.name} note={thing.geometry ? 'by its geometry' : 'by its tracks alone'}>
      <Text className="num" color="soft">
        keys at {thing.keys.map((key) => key.frame).join(', ')}
      </Text>
      <Text color="faint">Go to another frame and move, bend or turn the region there: that makes a key.</Text>
      <Flex justify="space-between" align="center" minHeight="28px" gap="8px" marginTop="4px">
        <span>Geometry</span>
        <select
          aria-label="Rough geometry"
          value={thing.geometry?.item ?? ''}
          onChange={(event) => change({ geometry: event.target.value ? { item: event.target.value, frame } : null })}
          style={{ background: '#1b1b1b', border: '1px solid #313131', padding: '2px 6px', minWidth: 0, flex: 1 }}
        >
          <option value="">none</option>
          {boxes.map(([item, box]) => (
            <option key={item} value={item}>
              {box.name}
            </option>
          ))}
        </select>
      </Flex>
      {thing.geometry && (
        <Flex justify="space-between" align="center">
          <Text className="num" color="soft">
            stands over it at {thing.geometry.frame}
          </Text>
          <Press disabled={thing.geometry.frame === frame} onClick={() => change({ geometry: { frame } })}>
            At this frame
          </Press>
        </Flex>
      )}
      <Box marginX="-14px">
        <Settings
          settings={SETTINGS.movingObject.filter(({ key }) => key !== 'distance' || !thing.geometry)}
          values={thing}
          onChange={(key, value, final) => (final ? edit : preview)({ match: { things: { [id]: { [key]: value } } } })}
        />
      </Box>
      <Flex gap="6px" marginTop="6px" wrap="wrap">
        {busy ? (
          <Press onClick={() => void ask({ what: 'stop-match' })}>Stop</Press>
        ) : (
          <Press main disabled={stages?.solve.state === 'done'} onClick={() => void ask({ what: 'thing', thing: id })}>
            Follow and solve
          </Press>
        )}
        <Press
          disabled={thing.keys.length < 2 || !thing.keys.some((key) => key.frame === frame)}
          onClick={() => change({ keys: withoutKey(thing, frame) })}
        >
          Remove key
        </Press>
        <Press onClick={() => (edit({ match: { things: { [id]: null } } }), set({ chosen: '' }))}>Remove</Press>
      </Flex>
      <Text className="num" color="soft" role="status" aria-label="MovingObject, progress" marginTop="4px">
        {busy
          ? busy.state === 'waiting'
            ? 'waiting for the farm'
            : `${Math.round(busy.share * 100)} % ${busy.doing ?? ''}`
          : ''}
      </Text>
      {failed?.error && !busy && (
        <Text role="alert" color="wrong">
          {failed.error.message} {failed.error.remedy}
        </Text>
      )}
      {solve && (
        <>
          <Figure label="Error, usual" value={`${solve.medianPx.toFixed(2)} px`} wrong={solve.medianPx > 1} />
          <Figure
            label="Frames it is known on"
            value={`${found} of ${solve.cameras.length}`}
            wrong={found !== solve.cameras.length}
          />
          <Figure label="Tracks that agree" value={`${solve.points.length} of ${solve.tracks}`} />
          {moved !== undefined && turned !== undefined && (
            <Figure label="Moved and turned by now" value={`${moved.toFixed(2)} m · ${turned.toFixed(1)}°`} />
          )}
          {solve.doubts.map(({ what, remedy }) => (
            <Text key={what} color="wrong" marginTop="4px">
              {what} {remedy}
            </Text>
          ))}
        </>
      )}
    </Part>
  )
}

/** Things that move by themselves: each followed inside its own region, solved through the shot's camera. */
export function MovingObjectsStep() {
  const { shot, tool, set, chosen } = useShotParts('shot', 'tool', 'set', 'chosen')
  if (!shot) return null
  const { things } = shot.document.match
  const id = chosen.startsWith('thing.') ? chosen.slice(6) : ''
  const thing = things[id]
  return (
    <>
      <Part title="Things that move by themselves" note={String(Object.keys(things).length)}>
        <Text color="soft">
          Draw a region round one: its own features are followed there, and where it is told against the camera, frame
          by frame.
        </Text>
        <Flex marginTop="6px">
          <Press
            aria-pressed={tool === 'thing'}
            disabled={shot.document.camera.kind === 'none'}
            onClick={() => set({ tool: tool === 'thing' ? 'choose' : 'thing' })}
          >
            Draw its region
          </Press>
        </Flex>
        {shot.document.camera.kind === 'none' && (
          <Text color="faint" marginTop="4px">
            The shot’s own camera comes first.
          </Text>
        )}
        {tool === 'thing' && (
          <Text color="faint" marginTop="4px">
            Click corners on the picture; Enter or the first corner closes it.
          </Text>
        )}
      </Part>
      {thing && <ThingDetail id={id} thing={thing} />}
    </>
  )
}
