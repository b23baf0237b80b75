'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { MANUAL_TRACK_NUMBERS } from '@lantern/core/pipeline'
import { SETTINGS } from '@lantern/core/shot'
import { Press } from '@/ui/Press.tsx'
import { Settings } from '../../bench/Settings.tsx'
import { useShotParts } from '../../shot/shotStore.ts'
import { withoutKey } from '../exclusionMasks.ts'
import type { ShownMatch } from '../matchData.ts'
import { ManualTrackBench } from './ManualTrackBench.tsx'
import { MattePart } from './MattePart.tsx'
import { ProposePatch } from './PatchPlaces.tsx'
import { Figure, Part, StageRow } from './parts.tsx'
import { TrackDetail } from './TrackDetail.tsx'

export function TrackStep({ shown }: { shown: ShownMatch }) {
  const { shot, status, tool, set, edit, preview, chosen, frame } = useShotParts(
    'shot',
    'status',
    'tool',
    'set',
    'edit',
    'preview',
    'chosen',
    'frame',
  )
  const match = shot?.document.match
  if (!match) return null
  const stage = status?.match.tracks
  const id = chosen.startsWith('keepout.') ? chosen.slice(8) : ''
  const shape = match.keepOuts[id]
  const handId = chosen.startsWith('hand.') ? chosen.slice(5) : ''
  const hand = match.hands[handId]
  const found = shown.tracks.filter((track) => track.id < MANUAL_TRACK_NUMBERS)
  const lengths = found.map((track) => track.places.length / 2).sort((a, b) => a - b)
  const few = stage?.state === 'done' && !match.even && found.length < 0.4 * match.count
  return (
    <>
      {hand && <ManualTrackBench shown={shown} id={handId} hand={hand} />}
      <TrackDetail shown={shown} />
      <Part title="Keep out" note={String(Object.keys(match.keepOuts).length)}>
        <Text color="soft">Nothing is followed inside a shape: draw one over what moves by itself.</Text>
        <Flex gap="6px" marginTop="6px">
          <Press
            aria-pressed={tool === 'keep-out'}
            onClick={() => set({ tool: tool === 'keep-out' ? 'choose' : 'keep-out' })}
          >
            Draw a shape
          </Press>
        </Flex>
        <MattePart />
        {tool === 'keep-out' && (
          <Text color="faint" marginTop="4px">
            Click corners on the picture; Enter or the first corner closes it.
          </Text>
        )}
        {shape && (
          <Box marginTop="8px">
            <Text>{shape.name}</Text>
            <Text className="num" color="soft">
              keys at {shape.keys.map((key) => key.frame).join(', ')}
            </Text>
            <Text color="faint">Go to another frame and move, bend or turn it there: that makes a key.</Text>
            <Flex gap="6px" marginTop="4px" wrap="wrap">
              <Press
                disabled={shape.keys.length < 2 || !shape.keys.some((key) => key.frame === frame)}
                onClick={() => edit({ match: { keepOuts: { [id]: { keys: withoutKey(shape, frame) } } } })}
              >
                Remove key
              </Press>
              <Press
                aria-pressed={shape.shown}
                onClick={() => edit({ match: { keepOuts: { [id]: { shown: !shape.shown } } } })}
              >
                {shape.shown ? 'In use' : 'Not used'}
              </Press>
              <Press onClick={() => (edit({ match: { keepOuts: { [id]: null } } }), set({ chosen: '' }))}>Remove</Press>
            </Flex>
          </Box>
        )}
      </Part>
      <Settings
        settings={SETTINGS.match.filter(({ group }) => group === 'Tracks')}
        values={match}
        onChange={(key, value, final) => (final ? edit : preview)({ match: { [key]: value } })}
      />
      <Part title="Tracks" note={stage?.state === 'done' ? 'kept' : undefined}>
        {found.length > 0 && <Figure label="Followed" value={`${found.length} tracks`} />}
        {found.length > 0 && <Figure label="Usual length" value={`${lengths[lengths.length >> 1]} fr`} />}
        {few && (
          <Text color="wrong">
            Few features hold. Even out contrast: it raises what is dim or flat before it is followed.
          </Text>
        )}
        <StageRow stage={stage} name="Track" again="Track again" />
      </Part>
      <Part title="By hand" note={String(Object.keys(match.hands).length)}>
        <Text color="soft">Set a point where you see one that matters, or drag a flat patch.</Text>
        <Flex gap="6px" marginTop="6px">
          <Press
            aria-pressed={tool === 'hand-point'}
            onClick={() => set({ tool: tool === 'hand-point' ? 'choose' : 'hand-point' })}
          >
            Point
          </Press>
          <Press
            aria-pressed={tool === 'hand-flat'}
            onClick={() => set({ tool: tool === 'hand-flat' ? 'choose' : 'hand-flat' })}
          >
            Flat patch
          </Press>
          <ProposePatch shown={shown} />
        </Flex>
        {tool === 'hand-flat' && (
          <Text color="faint" marginTop="4px">
            Drag over something flat with contrast; then move its corners.
          </Text>
        )}
        {tool === 'hand-point' && (
          <Text color="faint" marginTop="4px">
            Click the point. With Shift, it sets the chosen track at this frame.
          </Text>
        )}
      </Part>
    </>
  )
}
