'use client'
import { Flex, Text } from '@chakra-ui/react'
import { trackLast } from '@lantern/core/data'
import { MANUAL_TRACK_NUMBERS } from '@lantern/core/pipeline'
import { Press } from '@/ui/Press.tsx'
import { useShotParts } from '../../shot/shotStore.ts'
import { type ShownMatch, trackErrors } from '../matchData.ts'
import { Figure, Part } from './parts.tsx'

/** The chosen track: how long, how far off, and dropping it. */
export function TrackDetail({ shown }: { shown: ShownMatch }) {
  const { shot, chosen, edit, set, frame, tool } = useShotParts('shot', 'chosen', 'edit', 'set', 'frame', 'tool')
  const id = chosen.startsWith('track.') ? Number(chosen.slice(6)) : undefined
  const track = shown.tracks.find((one) => one.id === id)
  if (!shot || !track || !shown.tracksKey || track.id >= MANUAL_TRACK_NUMBERS) return null
  const errors = [...trackErrors(shown, track.id).values()]
  const { first } = shot.document.plate
  const before = shot.document.match.dropped
  const dropped = before?.tracks === shown.tracksKey ? before.ids : []
  const gone = dropped.includes(track.id)
  const tidied =
    shot.document.match.tidied?.tracks === shown.tracksKey ? shot.document.match.tidied : { spans: [], joins: [] }
  const tidy = (change: { spans?: readonly unknown[]; joins?: readonly unknown[] }): void =>
    edit({ match: { tidied: { tracks: shown.tracksKey, spans: tidied.spans, joins: tidied.joins, ...change } } })
  const now = frame - first
  const last = trackLast(track)
  const trim = (from: number, to: number): void =>
    tidy({ spans: [...tidied.spans.filter(([one]) => one !== track.id), [track.id, from, to]] })
  const joined = tidied.joins.filter(([one]) => one === track.id)
  const trimmed = tidied.spans.some(([one]) => one === track.id)
  const drop = (ids: readonly number[]): void =>
    edit({ match: { dropped: { tracks: shown.tracksKey, ids: [...new Set(ids)] } } })
  return (
    <Part title={`Track ${track.id}`} note={`${first + track.first}–${first + trackLast(track)}`}>
      {errors.length > 0 ? (
        <Figure
          label="Error, usual and most"
          value={`${[...errors].sort((a, b) => a - b)[errors.length >> 1]?.toFixed(2)} · ${Math.max(...errors).toFixed(2)} px`}
        />
      ) : (
        <Text color="soft">{shown.solve ? 'Left out of the solve.' : 'Not solved yet.'}</Text>
      )}
      <Flex gap="6px" marginTop="4px" wrap="wrap">
        <Press onClick={() => drop(gone ? dropped.filter((one) => one !== track.id) : [...dropped, track.id])}>
          {gone ? 'Take back in' : 'Drop'}
        </Press>
        <Press disabled={now <= track.first || now >= last} onClick={() => trim(now, last)}>
          Trim before
        </Press>
        <Press disabled={now <= track.first || now >= last} onClick={() => trim(track.first, now)}>
          Trim after
        </Press>
        <Press aria-pressed={tool === 'join'} onClick={() => set({ tool: tool === 'join' ? 'choose' : 'join' })}>
          Join
        </Press>
        {(trimmed || joined.length > 0) && (
          <Press
            onClick={() =>
              tidy({
                spans: tidied.spans.filter(([one]) => one !== track.id),
                joins: tidied.joins.filter(([one]) => one !== track.id),
              })
            }
          >
            As it was
          </Press>
        )}
        <Press plain onClick={() => set({ chosen: '' })}>
          Let go
        </Press>
      </Flex>
      {tool === 'join' && (
        <Text color="faint" marginTop="4px">
          Click the track that is the same feature, seen before or after this one.
        </Text>
      )}
      {joined.length > 0 && (
        <Text className="num" color="soft" marginTop="4px">
          with {joined.map(([, other]) => other).join(', ')}
        </Text>
      )}
      {gone && (
        <Text color="faint" marginTop="4px">
          The next solve leaves it out.
        </Text>
      )}
    </Part>
  )
}
