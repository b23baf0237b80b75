'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { type Proof, SETTINGS } from '@lantern/core/shot'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { Settings } from '../../bench/Settings.tsx'
import { useShotParts } from '../../shot/shotStore.ts'
import { makeHand } from '../manualTracks.ts'
import { type ShownMatch, slideOfProof } from '../matchData.ts'
import { Figure, Part } from './parts.tsx'

const FAR_METRES = 1000
const FAR_DEGREES = 5
/** Size of what takes up an angle at a distance, m. */
const sizeOf = (wide: number, distance: number): number =>
  Number((2 * distance * Math.tan((wide * Math.PI) / 360)).toPrecision(6))
const SHAPES = { cone: 'Cone', chequer: 'Tile', figure: 'Figure', text: 'Words' } as const

/** A test object that stands far away: its distance, and how large it looks. */
function FarAway({ id, size, far }: { id: string; size: number; far: { distance: number } }) {
  const { edit } = useShotParts('edit')
  return (
    <>
      <Text color="faint">In its direction, turning with the camera only.</Text>
      <Flex justify="space-between" align="center" minHeight="26px">
        <span>Distance</span>
        <Box width="108px">
          <NumberField
            label="Distance"
            value={far.distance}
            unit="m"
            step={10}
            minimum={1}
            onValue={(distance, final) =>
              final &&
              edit({
                match: {
                  proofs: { [id]: { far: { distance }, size: (size * distance) / far.distance } },
                },
              })
            }
          />
        </Box>
      </Flex>
      <Flex justify="space-between" align="center" minHeight="26px">
        <span>As large as</span>
        <Box width="108px">
          <NumberField
            label="Degrees"
            value={(360 / Math.PI) * Math.atan(size / 2 / far.distance)}
            unit="°"
            step={0.1}
            minimum={0.01}
            maximum={120}
            onValue={(wide, final) =>
              final && edit({ match: { proofs: { [id]: { size: sizeOf(wide, far.distance) } } } })
            }
          />
        </Box>
      </Flex>
    </>
  )
}

/** What a test object is. */
function ShapeLine({ id, proof }: { id: string; proof: Proof }) {
  const { edit } = useShotParts('edit')
  return (
    <>
      <Flex gap="4px" margin="5px 0">
        {(Object.keys(SHAPES) as (keyof typeof SHAPES)[]).map((shape) => (
          <Press
            key={shape}
            aria-pressed={proof.shape === shape}
            onClick={() =>
              edit({
                match: { proofs: { [id]: { shape, name: `${SHAPES[shape]}${proof.name.replace(/^\S+/, '')}` } } },
              })
            }
          >
            {SHAPES[shape]}
          </Press>
        ))}
      </Flex>
      {proof.shape === 'text' && (
        <input
          key={proof.text}
          aria-label="Words"
          defaultValue={proof.text}
          maxLength={40}
          onKeyDown={(event) => (event.stopPropagation(), event.key === 'Enter' && event.currentTarget.blur())}
          onBlur={(event) =>
            event.target.value !== proof.text && edit({ match: { proofs: { [id]: { text: event.target.value } } } })
          }
          style={{ background: '#1b1b1b', border: '1px solid #313131', padding: '2px 6px', width: '100%' }}
        />
      )}
    </>
  )
}

export function ProofStep({ shown }: { shown: ShownMatch }) {
  const { shot, tool, set, edit, preview, chosen, view, frame, cameras } = useShotParts(
    'shot',
    'tool',
    'set',
    'edit',
    'preview',
    'chosen',
    'view',
    'frame',
    'cameras',
  )
  const proofs = shot?.document.match.proofs
  if (!shot || !proofs) return null
  const id = chosen.startsWith('proof.') ? chosen.slice(6) : ''
  const proof = proofs[id]
  const all = Object.entries(proofs)
  const slides = all
    .flatMap(([, one]) => slideOfProof(shown, one).filter((px) => Number.isFinite(px)))
    .sort((a, b) => a - b)
  const followed =
    proof !== undefined &&
    Object.values(shot.document.match.hands).some(({ keys }) =>
      keys.some(
        (key) =>
          key.frame === proof.at.frame &&
          key.places.length === 1 &&
          Math.hypot((key.places[0]?.[0] ?? 0) - proof.at.x, (key.places[0]?.[1] ?? 0) - proof.at.y) < 0.1,
      ),
    )
  const own = proof ? slideOfProof(shown, proof) : []
  const now = own[frame - shot.document.plate.first]
  return (
    <>
      <Part title="Test objects" note={String(all.length)}>
        <Text color="soft">Set simple things on points of the picture and see whether they stay there.</Text>
        <Flex gap="6px" marginTop="6px" wrap="wrap">
          <Press
            aria-pressed={tool === 'proof'}
            disabled={!shown.solve && cameras.cameras.length === 0}
            onClick={() => set({ tool: tool === 'proof' ? 'choose' : 'proof' })}
          >
            Set one
          </Press>
          <Press
            aria-pressed={view === 'triptych'}
            onClick={() => set({ view: view === 'triptych' ? 'camera' : 'triptych' })}
          >
            Triptych
          </Press>
        </Flex>
      </Part>
      {slides.length > 0 && (
        <Part title="Slide" note="against nearby tracks">
          <Figure label="All, usual" value={`${slides[slides.length >> 1]?.toFixed(2)} px`} />
          <Figure
            label="All, 95 of 100 below"
            value={`${slides[Math.floor(slides.length * 0.95)]?.toFixed(2)} px`}
            wrong={(slides[Math.floor(slides.length * 0.95)] ?? 0) > 1}
          />
          {proof && !proof.far && (
            <Figure
              label={`${proof.name}, now`}
              value={now !== undefined && Number.isFinite(now) ? `${now.toFixed(2)} px` : 'no track near'}
            />
          )}
        </Part>
      )}
      {proof && (
        <Part title={proof.name} note={`set at ${proof.at.frame}`}>
          <ShapeLine id={id} proof={proof} />
          <Flex gap="4px" margin="5px 0">
            <Press
              aria-pressed={!proof.far}
              disabled={!shown.solve}
              onClick={() => edit({ match: { proofs: { [id]: { far: null, size: 0.5 } } } })}
            >
              In the set
            </Press>
            <Press
              aria-pressed={proof.far !== undefined}
              onClick={() =>
                edit({
                  match: { proofs: { [id]: { far: { distance: FAR_METRES }, size: sizeOf(FAR_DEGREES, FAR_METRES) } } },
                })
              }
            >
              Far away
            </Press>
          </Flex>
          {proof.far && <FarAway id={id} size={proof.size} far={proof.far} />}
          <Box marginX="-14px">
            <Settings
              settings={SETTINGS.proof.filter(
                ({ key }) => key !== 'shape' && (key !== 'size' || (proof.shape !== 'figure' && !proof.far)),
              )}
              values={proof}
              onChange={(key, value, final) =>
                (final ? edit : preview)({ match: { proofs: { [id]: { [key]: value } } } })
              }
            />
          </Box>
          <Press
            disabled={followed || proof.far !== undefined}
            onClick={() =>
              makeHand(proof.at.frame, [[proof.at.x, proof.at.y]], {
                name: `Under ${proof.name}`.slice(0, 80),
                chosen: false,
              })
            }
            title="Follows the plate’s own pattern under it, so that it stands as well as the best track does"
          >
            {followed ? 'Its place is followed' : 'Follow its place'}
          </Press>{' '}
          <Press onClick={() => (edit({ match: { proofs: { [id]: null } } }), set({ chosen: '' }))}>Remove</Press>
        </Part>
      )}
    </>
  )
}
