'use client'
import { Flex, Text } from '@chakra-ui/react'
import type { Solve } from '@lantern/core/data'
import { SETTINGS } from '@lantern/core/shot'
import { Press } from '@/ui/Press.tsx'
import { Settings } from '../../bench/Settings.tsx'
import { useShotParts } from '../../shot/shotStore.ts'
import type { ShownMatch } from '../matchData.ts'
import { Figure, lengthInMillimetres, millimetres, Part, StageRow } from './parts.tsx'
import { TrackDetail } from './TrackDetail.tsx'

/** What is said after a term of the lens: its standard error, or that it is held because the tracks leave it open. */
function spread(solve: Solve, term: 'focalPx' | 'k1' | 'k2'): string {
  if (solve.held?.some((one) => one.term === term)) return ', held'
  const error = solve.lensErrors?.[term]
  if (error === undefined) return ''
  return ` ± ${term === 'focalPx' ? lengthInMillimetres(error, solve.width) : error.toFixed(4)}`
}

export function SolveStep({ shown }: { shown: ShownMatch }) {
  const { shot, status, edit, preview, takeSolve, oldSolve, set } = useShotParts(
    'shot',
    'status',
    'edit',
    'preview',
    'takeSolve',
    'oldSolve',
    'set',
  )
  const match = shot?.document.match
  if (!shot || !match) return null
  const stage = status?.match.solve
  const taken = shot.document.camera.kind === 'solved' ? shot.document.camera.solve : undefined
  const { solve } = shown
  const lensShown =
    match.lens === 'find' ? ['lens'] : match.lens === 'focal known' ? ['lens', 'focal'] : ['lens', 'focal', 'k1', 'k2']
  const waits = stage?.state === 'done' && stage.key !== taken?.key
  const fresh = stage?.figures.medianPx
  return (
    <>
      <Settings
        settings={SETTINGS.match.filter(({ key }) => lensShown.includes(key))}
        values={match}
        onChange={(key, value, final) => (final ? edit : preview)({ match: { [key]: value } })}
      />
      <Part title="Solve" note={taken && stage && taken.key !== stage.key ? 'stale' : taken ? 'kept' : undefined}>
        <StageRow stage={stage} name="Solve" again="Solve again" />
        {stage?.state === 'failed' && (
          <Flex gap="6px" marginTop="5px">
            <Press onClick={() => set({ matchStep: 'Line up' })}>Line up by edges</Press>
            <Press onClick={() => edit({ camera: { kind: 'typed' } })}>Type the camera</Press>
          </Flex>
        )}
      </Part>
      {waits && (
        <Part title="New solve" note={typeof fresh === 'number' ? `${fresh.toFixed(2)} px` : ''}>
          {taken && <Text color="soft">The shot’s own has {taken.medianPx.toFixed(2)} px.</Text>}
          <Flex gap="6px" marginTop="5px" wrap="wrap">
            <Press main onClick={() => void takeSolve()}>
              {taken ? 'Keep the new' : 'Make it the camera'}
            </Press>
            {taken && (
              <Press aria-pressed={oldSolve} onClick={() => set({ oldSolve: !oldSolve })}>
                {oldSolve ? 'Show the new' : 'Show the old'}
              </Press>
            )}
          </Flex>
        </Part>
      )}
      {solve && (
        <Part title={solve.kind === 'turning' ? 'A turn: the camera stays in its place' : 'A camera that moves'}>
          <Figure label="Error, usual" value={`${solve.medianPx.toFixed(2)} px`} wrong={solve.medianPx > 1} />
          <Figure
            label="Focal length"
            value={`${millimetres(solve.focalPx, solve.width)}${spread(solve, 'focalPx')}`}
          />
          <Figure label="Lens k1" value={`${solve.k1.toFixed(4)}${spread(solve, 'k1')}`} />
          <Figure label="Lens k2" value={`${solve.k2.toFixed(4)}${spread(solve, 'k2')}`} />
          {solve.held && solve.held.length > 0 && <Text color="faint">What is held, the tracks do not tell.</Text>}
          <Figure label="Tracks that agree" value={`${solve.points.length} of ${solve.tracks}`} />
          {solve.kind === 'moving' && <Figure label="Parallax" value={`${solve.parallax.toFixed(1)}°`} />}
          {solve.doubts.map(({ what, remedy }) => (
            <Text key={what} role="alert" color="wrong" marginTop="5px">
              {what} {remedy}
            </Text>
          ))}
        </Part>
      )}
      {shown.worst.length > 0 && (
        <Part title="Worst tracks">
          <Flex gap="4px" wrap="wrap" marginTop="4px">
            {shown.worst.slice(0, 8).map(({ track, px }) => (
              <Press key={track} className="num" onClick={() => set({ chosen: `track.${track}` })}>
                {track}: {px.toFixed(2)}
              </Press>
            ))}
          </Flex>
        </Part>
      )}
      <TrackDetail shown={shown} />
    </>
  )
}
