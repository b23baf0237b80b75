'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { trackLast } from '@lantern/core/data'
import { linedCamera } from '@lantern/core/pipeline'
import { SETTINGS } from '@lantern/core/shot'
import type { MatchStage } from '@lantern/store'
import { useRef } from 'react'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { COLOURS } from '@/ui/theme.ts'
import { Settings } from '../bench/Settings.tsx'
import { MATCH_STEPS, type Tool, useShot } from '../shot/shotStore.ts'
import { withoutKey } from './keepOuts.ts'
import { type ShownMatch, slideOfProof, trackErrors, useShownMatch } from './matchData.ts'

const FULL_FRAME_MM = 36

const Part = ({ title, note, children }: { title: string; note?: string; children?: React.ReactNode }) => (
  <Box as="section" aria-label={title} padding="8px 14px 10px" borderBottomWidth="1px" borderColor="hair">
    <Flex justify="space-between" align="baseline" gap="8px"><Text fontWeight="600">{title}</Text>{note && <Text className="num" color="faint">{note}</Text>}</Flex>
    {children}
  </Box>
)
const Figure = ({ label, value, wrong }: { label: string; value: string; wrong?: boolean }) => (
  <Flex justify="space-between" minHeight="21px"><Text color="soft">{label}</Text><span className="num" style={{ color: wrong ? COLOURS.wrong : COLOURS.fact }}>{value}</span></Flex>
)

/** A press that asks for a stage, its progress, and its stop. */
function StageRow({ stage, name, again, disabled }: { stage: MatchStage | undefined; name: 'Track' | 'Solve'; again: string; disabled?: boolean }) {
  const ask = useShot((state) => state.ask)
  const busy = stage?.state === 'running' || stage?.state === 'waiting'
  return (
    <>
      <Flex gap="8px" align="center" marginTop="6px">
        {busy ? <Press onClick={() => void ask({ what: 'stop-match' })}>Stop</Press> : <Press main disabled={disabled || stage?.state === 'done'} onClick={() => void ask({ what: 'match', stage: name === 'Track' ? 'tracks' : 'solve' })}>{stage?.state === 'failed' || stage?.state === 'stopped' ? again : name}</Press>}
        <Text className="num" color="soft" role="status" aria-label={`${name}, progress`} truncate>{busy ? (stage.state === 'waiting' ? 'waiting for the farm' : `${Math.round(stage.share * 100)} % ${stage.doing ?? ''}`) : stage?.state === 'stopped' ? 'stopped' : ''}</Text>
      </Flex>
      {busy && <Box height="2px" background="line" marginTop="5px"><Box height="2px" background="lamp" width={`${stage.share * 100}%`} /></Box>}
      {stage?.error && stage.state === 'failed' && <Text role="alert" color="wrong" marginTop="5px">{stage.error.message} {stage.error.remedy}</Text>}
    </>
  )
}

function TrackStep({ shown }: { shown: ShownMatch }) {
  const { shot, status, tool, set, edit, preview, chosen, frame } = useShot()
  const match = shot?.document.match
  if (!match) return null
  const stage = status?.match.tracks
  const id = chosen.startsWith('keepout.') ? chosen.slice(8) : ''
  const shape = match.keepOuts[id]
  const lengths = shown.tracks.map((track) => track.places.length / 2).sort((a, b) => a - b)
  const few = stage?.state === 'done' && !match.even && shown.tracks.length < 0.4 * match.count
  return (
    <>
      <Part title="Keep out" note={String(Object.keys(match.keepOuts).length)}>
        <Text color="soft">Nothing is followed inside a shape: draw one over what moves by itself.</Text>
        <Flex gap="6px" marginTop="6px"><Press aria-pressed={tool === 'keep-out'} onClick={() => set({ tool: tool === 'keep-out' ? 'choose' : 'keep-out' })}>Draw a shape</Press></Flex>
        {tool === 'keep-out' && <Text color="faint" marginTop="4px">Click corners on the picture; Enter or the first corner closes it.</Text>}
        {shape && (
          <Box marginTop="8px">
            <Text>{shape.name}</Text>
            <Text className="num" color="soft">keys at {shape.keys.map((key) => key.frame).join(', ')}</Text>
            <Text color="faint">Go to another frame and move, bend or turn it there: that makes a key.</Text>
            <Flex gap="6px" marginTop="4px" wrap="wrap">
              <Press disabled={shape.keys.length < 2 || !shape.keys.some((key) => key.frame === frame)} onClick={() => edit({ match: { keepOuts: { [id]: { keys: withoutKey(shape, frame) } } } })}>Remove key</Press>
              <Press aria-pressed={shape.shown} onClick={() => edit({ match: { keepOuts: { [id]: { shown: !shape.shown } } } })}>{shape.shown ? 'In use' : 'Not used'}</Press>
              <Press onClick={() => (edit({ match: { keepOuts: { [id]: null } } }), set({ chosen: '' }))}>Remove</Press>
            </Flex>
          </Box>
        )}
      </Part>
      <Settings settings={SETTINGS.match.filter(({ group }) => group === 'Tracks')} values={match} onChange={(key, value, final) => (final ? edit : preview)({ match: { [key]: value } })} />
      <Part title="Tracks" note={stage?.state === 'done' ? 'kept' : undefined}>
        {shown.tracks.length > 0 && <Figure label="Followed" value={`${shown.tracks.length} tracks`} />}
        {shown.tracks.length > 0 && <Figure label="Usual length" value={`${lengths[lengths.length >> 1]} fr`} />}
        {few && <Text color="wrong">Few features hold. Even out contrast: it raises what is dim or flat before it is followed.</Text>}
        <StageRow stage={stage} name="Track" again="Track again" />
      </Part>
      <TrackDetail shown={shown} />
    </>
  )
}

/** The chosen track: how long, how far off, and dropping it. */
function TrackDetail({ shown }: { shown: ShownMatch }) {
  const { shot, chosen, edit, set } = useShot()
  const id = chosen.startsWith('track.') ? Number(chosen.slice(6)) : undefined
  const track = shown.tracks.find((one) => one.id === id)
  if (!shot || !track || !shown.tracksKey) return null
  const errors = [...trackErrors(shown, track.id).values()]
  const { first } = shot.document.plate
  const before = shot.document.match.dropped
  const dropped = before?.tracks === shown.tracksKey ? before.ids : []
  const gone = dropped.includes(track.id)
  const drop = (ids: readonly number[]): void => edit({ match: { dropped: { tracks: shown.tracksKey, ids: [...new Set(ids)] } } })
  return (
    <Part title={`Track ${track.id}`} note={`${first + track.first}–${first + trackLast(track)}`}>
      {errors.length > 0 ? <Figure label="Error, usual and most" value={`${[...errors].sort((a, b) => a - b)[errors.length >> 1]?.toFixed(2)} · ${Math.max(...errors).toFixed(2)} px`} /> : <Text color="soft">{shown.solve ? 'Left out of the solve.' : 'Not solved yet.'}</Text>}
      <Flex gap="6px" marginTop="4px">
        <Press onClick={() => drop(gone ? dropped.filter((one) => one !== track.id) : [...dropped, track.id])}>{gone ? 'Take back in' : 'Drop'}</Press>
        <Press plain onClick={() => set({ chosen: '' })}>Let go</Press>
      </Flex>
      {gone && <Text color="faint" marginTop="4px">The next solve leaves it out.</Text>}
    </Part>
  )
}

const millimetres = (focalPx: number, width: number): string => `${((focalPx / width) * FULL_FRAME_MM).toFixed(1)} mm on 36`

function SolveStep({ shown }: { shown: ShownMatch }) {
  const { shot, status, edit, preview, takeSolve, oldSolve, set } = useShot()
  const match = shot?.document.match
  if (!shot || !match) return null
  const stage = status?.match.solve
  const taken = shot.document.camera.kind === 'solved' ? shot.document.camera.solve : undefined
  const { solve } = shown
  const lensShown = match.lens === 'find' ? ['lens'] : match.lens === 'focal known' ? ['lens', 'focal'] : ['lens', 'focal', 'k1', 'k2']
  const waits = stage?.state === 'done' && stage.key !== taken?.key
  const fresh = stage?.figures.medianPx
  return (
    <>
      <Settings settings={SETTINGS.match.filter(({ key }) => lensShown.includes(key))} values={match} onChange={(key, value, final) => (final ? edit : preview)({ match: { [key]: value } })} />
      <Part title="Solve" note={taken && stage && taken.key !== stage.key ? 'stale' : taken ? 'kept' : undefined}>
        <StageRow stage={stage} name="Solve" again="Solve again" />
      </Part>
      {waits && (
        <Part title="New solve" note={typeof fresh === 'number' ? `${fresh.toFixed(2)} px` : ''}>
          {taken && <Text color="soft">The shot’s own has {taken.medianPx.toFixed(2)} px.</Text>}
          <Flex gap="6px" marginTop="5px" wrap="wrap">
            <Press main onClick={() => void takeSolve()}>{taken ? 'Keep the new' : 'Make it the camera'}</Press>
            {taken && <Press aria-pressed={oldSolve} onClick={() => set({ oldSolve: !oldSolve })}>{oldSolve ? 'Show the new' : 'Show the old'}</Press>}
          </Flex>
        </Part>
      )}
      {solve && (
        <Part title={solve.kind === 'turning' ? 'A turn: the camera stays in its place' : 'A camera that moves'}>
          <Figure label="Error, usual" value={`${solve.medianPx.toFixed(2)} px`} wrong={solve.medianPx > 1} />
          <Figure label="Focal length" value={millimetres(solve.focalPx, solve.width)} />
          <Figure label="Lens k1, k2" value={`${solve.k1.toFixed(4)}, ${solve.k2.toFixed(4)}`} />
          <Figure label="Tracks that agree" value={`${solve.points.length} of ${solve.tracks}`} />
          {solve.kind === 'moving' && <Figure label="Parallax" value={`${solve.parallax.toFixed(1)}°`} />}
          {solve.doubts.map(({ what, remedy }) => <Text key={what} role="alert" color="wrong" marginTop="5px">{what} {remedy}</Text>)}
        </Part>
      )}
      {shown.worst.length > 0 && (
        <Part title="Worst tracks">
          <Flex gap="4px" wrap="wrap" marginTop="4px">
            {shown.worst.slice(0, 8).map(({ track, px }) => <Press key={track} className="num" onClick={() => set({ chosen: `track.${track}` })}>{track}: {px.toFixed(2)}</Press>)}
          </Flex>
        </Part>
      )}
      <TrackDetail shown={shown} />
    </>
  )
}

function GroundStep({ shown }: { shown: ShownMatch }) {
  const { shot, tool, set, edit } = useShot()
  const ground = shot?.document.match.ground
  const taken = shot?.document.camera.solve
  if (!shot || !ground) return null
  const say = (change: Record<string, unknown>): void => edit({ match: { ground: change } })
  const Way = ({ name, label, done }: { name: Tool; label: string; done: boolean }) => <Press aria-pressed={tool === name} onClick={() => set({ tool: tool === name ? 'choose' : name })}>{label}{done ? ' ✓' : ''}</Press>
  const stands = taken !== undefined && JSON.stringify(taken.by) === JSON.stringify(shown.by)
  if (!shown.solve) return <Part title="Ground"><Text color="soft">Solve the camera first: the ground is said on its points.</Text></Part>
  if (shown.solve.kind === 'turning') return <Part title="Ground"><Text color="soft">A camera that only turns has no points in depth to lay a ground through. Line it up by its edges, or set things far away.</Text></Part>
  return (
    <>
      <Part title="What is ground" note={`${ground.points.length} points`}>
        <Text color="soft">Click three points or more that lie on it; with Shift drag over a patch. A few may be wrong.</Text>
        <Flex gap="6px" wrap="wrap" marginTop="6px">
          <Way name="ground" label="Points" done={ground.points.length > 2} />
          <Way name="axis" label="Axis" done={ground.axis !== undefined} />
          <Way name="origin" label="Origin" done={ground.origin !== undefined} />
          <Way name="distance" label="Distance" done={ground.distance !== undefined} />
          <Press plain disabled={ground.points.length === 0} onClick={() => say({ points: [] })}>Clear points</Press>
        </Flex>
        {tool === 'axis' && <Text color="faint" marginTop="4px">Two points, the second to the right of the first: the world’s X.</Text>}
        {tool === 'distance' && <Text color="faint" marginTop="4px">Two points whose distance you know.</Text>}
        {tool === 'origin' && <Text color="faint" marginTop="4px">The point that becomes 0, 0, 0.</Text>}
      </Part>
      <Part title="Size">
        {ground.distance && <Flex justify="space-between" align="center" minHeight="26px"><span>Between the two points</span><Box width="108px"><NumberField label="Known distance" value={ground.distance.metres} unit="m" step={0.01} minimum={0.001} onValue={(metres, final) => final && ground.distance && say({ distance: { ...ground.distance, metres } })} /></Box></Flex>}
        {!ground.distance && <Flex justify="space-between" align="center" minHeight="26px"><span>Camera height</span><Box width="108px"><NumberField label="Camera height" value={ground.cameraHeight ?? 0} unit="m" step={0.01} minimum={0} onValue={(value, final) => final && say({ cameraHeight: value > 0 ? value : null })} /></Box></Flex>}
        {ground.distance && <Press plain onClick={() => say({ distance: null })}>Use the camera’s height instead</Press>}
        {!ground.distance && ground.cameraHeight === undefined && <Text color="wrong">No size yet: say a distance, or how high the camera was.</Text>}
      </Part>
      <Part title="Fit">
        {shown.groundError ? <Text role="alert" color="wrong">{shown.groundError.message} {shown.groundError.remedy}</Text> : shown.ground ? (
          <>
            <Figure label="Points off the ground, rms" value={`${(shown.ground.rms * 100).toFixed(1)} cm`} />
            {shown.ground.left > 0 && <Figure label="Left out as wrong" value={String(shown.ground.left)} wrong />}
            <Figure label="First camera’s height" value={`${shown.cameras[0]?.position[1].toFixed(2)} m`} />
          </>
        ) : <Text color="soft">Three points make a ground.</Text>}
        {!shown.fresh && taken && shown.ground && !shown.groundError && (
          <Flex marginTop="6px" gap="8px" align="center">
            <Press main disabled={stands} onClick={() => edit({ camera: { solve: { by: shown.by, ground: shown.ground } } })}>Set the shot on it</Press>
            <Text color="faint">{stands ? 'The shot stands on it.' : 'Not set yet.'}</Text>
          </Flex>
        )}
        {shown.fresh && <Text color="faint" marginTop="6px">Keep the new solve to set the shot on this ground.</Text>}
      </Part>
    </>
  )
}

const SHAPES = { cone: 'Cone', chequer: 'Tile', figure: 'Figure', text: 'Words' } as const

function ProofStep({ shown }: { shown: ShownMatch }) {
  const { shot, tool, set, edit, preview, chosen, view, frame } = useShot()
  const proofs = shot?.document.match.proofs
  if (!shot || !proofs) return null
  const id = chosen.startsWith('proof.') ? chosen.slice(6) : ''
  const proof = proofs[id]
  const all = Object.entries(proofs)
  const slides = all.flatMap(([, one]) => slideOfProof(shown, one).filter((px) => Number.isFinite(px))).sort((a, b) => a - b)
  const own = proof ? slideOfProof(shown, proof) : []
  const now = own[frame - shot.document.plate.first]
  return (
    <>
      <Part title="Test objects" note={String(all.length)}>
        <Text color="soft">Set simple things on points of the picture and see whether they stay there.</Text>
        <Flex gap="6px" marginTop="6px" wrap="wrap">
          <Press aria-pressed={tool === 'proof'} disabled={!shown.solve} onClick={() => set({ tool: tool === 'proof' ? 'choose' : 'proof' })}>Set one</Press>
          <Press aria-pressed={view === 'triptych'} onClick={() => set({ view: view === 'triptych' ? 'camera' : 'triptych' })}>Triptych</Press>
        </Flex>
      </Part>
      {slides.length > 0 && (
        <Part title="Slide" note="against nearby tracks">
          <Figure label="All, usual" value={`${slides[slides.length >> 1]?.toFixed(2)} px`} />
          <Figure label="All, 95 of 100 below" value={`${slides[Math.floor(slides.length * 0.95)]?.toFixed(2)} px`} wrong={(slides[Math.floor(slides.length * 0.95)] ?? 0) > 1} />
          {proof && <Figure label={`${proof.name}, now`} value={now !== undefined && Number.isFinite(now) ? `${now.toFixed(2)} px` : 'no track near'} />}
        </Part>
      )}
      {proof && (
        <Part title={proof.name} note={`set at ${proof.at.frame}`}>
          <Flex gap="4px" margin="5px 0">{(Object.keys(SHAPES) as (keyof typeof SHAPES)[]).map((shape) => <Press key={shape} aria-pressed={proof.shape === shape} onClick={() => edit({ match: { proofs: { [id]: { shape, name: `${SHAPES[shape]}${proof.name.replace(/^\S+/, '')}` } } } })}>{SHAPES[shape]}</Press>)}</Flex>
          {proof.shape === 'text' && <input key={proof.text} aria-label="Words" defaultValue={proof.text} maxLength={40} onKeyDown={(event) => (event.stopPropagation(), event.key === 'Enter' && event.currentTarget.blur())} onBlur={(event) => event.target.value !== proof.text && edit({ match: { proofs: { [id]: { text: event.target.value } } } })} style={{ background: '#1b1b1b', border: '1px solid #313131', padding: '2px 6px', width: '100%' }} />}
          <Box marginX="-14px"><Settings settings={SETTINGS.proof.filter(({ key }) => key !== 'shape' && (key !== 'size' || proof.shape !== 'figure'))} values={proof} onChange={(key, value, final) => (final ? edit : preview)({ match: { proofs: { [id]: { [key]: value } } } })} /></Box>
          <Press onClick={() => (edit({ match: { proofs: { [id]: null } } }), set({ chosen: '' }))}>Remove</Press>
        </Part>
      )}
    </>
  )
}

const WAYS = [['line-x', 'x', 'Right'], ['line-y', 'y', 'Up'], ['line-z', 'z', 'Near']] as const

/** A still or a locked-off plate lined up by its edges, live. */
function LineUpStep() {
  const { shot, tool, set, edit } = useShot()
  const camera = shot?.document.camera
  if (!shot || !camera) return null
  const drawn = camera.lineUp
  const found = linedCamera(shot.document)
  const change = (value: Record<string, unknown>): void => edit({ camera: { lineUp: value } })
  const Tool = ({ name, label }: { name: Tool; label: string }) => <Press aria-pressed={tool === name} onClick={() => set({ tool: tool === name ? 'choose' : name })}>{label}</Press>
  return (
    <>
      <Part title="Edges" note={String(drawn?.lines.length ?? 0)}>
        <Text color="soft">Drag along edges that are parallel in the world: two or more for each of two directions, or of all three.</Text>
        <Flex gap="6px" wrap="wrap" marginTop="6px">{WAYS.map(([name, axis, label]) => <Tool key={name} name={name} label={`${label} ${drawn?.lines.filter((line) => line.axis === axis).length ?? 0}`} />)}</Flex>
        <Text color="faint" marginTop="4px">Ends can be dragged; drag one out of the picture to remove its line.</Text>
      </Part>
      <Part title="Origin and size">
        <Flex gap="6px" wrap="wrap" marginTop="5px">
          <Tool name="line-origin" label={`Origin${drawn?.origin ? ' ✓' : ''}`} />
          <Tool name="line-length" label={`Length${drawn?.length ? ' ✓' : ''}`} />
        </Flex>
        {tool === 'line-length' && <Text color="faint" marginTop="4px">Click where a known length ends that starts at the origin and runs along one of the directions.</Text>}
        {drawn?.length && (
          <>
            <Flex justify="space-between" align="center" minHeight="26px" marginTop="5px"><span>It runs</span><Flex gap="3px">{WAYS.map(([, axis, label]) => <Press key={axis} aria-pressed={drawn.length?.axis === axis} onClick={() => change({ length: { axis } })}>{label}</Press>)}</Flex></Flex>
            <Flex justify="space-between" align="center" minHeight="26px"><span>and is</span><Box width="108px"><NumberField label="Known length" value={drawn.length.metres} unit="m" step={0.01} minimum={0.001} onValue={(metres, final) => final && change({ length: { metres } })} /></Box></Flex>
          </>
        )}
        <Flex justify="space-between" align="center" minHeight="26px"><span>Focal length, if known</span><Box width="108px"><NumberField label="Known focal length" value={drawn?.focal ?? 0} unit="× width" step={0.005} minimum={0} onValue={(value, final) => final && change({ focal: value >= 0.1 ? value : null })} /></Box></Flex>
      </Part>
      <Part title="Camera">
        {found.error && <Text color="wrong">{found.error.message} {found.error.remedy}</Text>}
        {found.camera && (
          <>
            <Figure label="Lines off, rms" value={`${found.rms?.toFixed(2)} px`} wrong={(found.rms ?? 0) > 3} />
            <Figure label="Focal length" value={millimetres(found.camera.focalPx, found.camera.width)} />
            <Figure label="Height" value={`${found.camera.position[1].toFixed(2)} m`} />
            {camera.kind !== 'lined' && <Press main onClick={() => edit({ camera: { kind: 'lined' } })}>Make it the camera</Press>}
          </>
        )}
      </Part>
    </>
  )
}

/** The camera by other ways than solving: from a file, typed. */
export function OtherCameras() {
  const file = useRef<HTMLInputElement>(null)
  const { shot, edit, takeCamera, preview } = useShot()
  const camera = shot?.document.camera
  if (!camera) return null
  return (
    <Part title="Another camera" note={{ none: 'none', typed: 'typed', path: camera.path?.file.slice(0, 20), solved: 'solved', lined: 'lined up' }[camera.kind]}>
      <input ref={file} type="file" hidden accept=".gltf,.glb,model/*" aria-label="Camera file" onChange={(event) => {
        const chosen = event.target.files?.[0]
        event.target.value = ''
        if (chosen) void takeCamera(chosen)
      }} />
      <Flex gap="6px" wrap="wrap" marginTop="5px">
        <Press onClick={() => file.current?.click()}>From a file…</Press>
        {camera.kind !== 'typed' && <Press onClick={() => edit({ camera: { kind: 'typed' } })}>Type one</Press>}
        {camera.kind !== 'none' && <Press onClick={() => edit({ camera: { kind: 'none' } })}>None</Press>}
        {camera.kind !== 'path' && camera.path && <Press onClick={() => edit({ camera: { kind: 'path' } })}>Back to {camera.path.file.slice(0, 18)}</Press>}
        {camera.kind !== 'lined' && camera.lineUp && <Press onClick={() => edit({ camera: { kind: 'lined' } })}>Back to the lines</Press>}
        {camera.kind !== 'solved' && camera.solve && <Press onClick={() => edit({ camera: { kind: 'solved' } })}>Back to the solve</Press>}
      </Flex>
      {camera.kind === 'typed' && <Box marginX="-14px"><Settings settings={SETTINGS.camera} values={camera} onChange={(key, value, final) => (final ? edit : preview)({ camera: { [key]: value } })} /></Box>}
    </Part>
  )
}

/** The Match station's bench: track, solve, ground, proof. */
export function MatchBench() {
  const { matchStep, set } = useShot()
  const shown = useShownMatch()
  return (
    <>
      <Flex as="nav" aria-label="Steps of the match" gap="2px" padding="8px 10px" borderBottomWidth="1px" borderColor="hair">
        {MATCH_STEPS.map((step) => <Press key={step} plain aria-current={step === matchStep ? 'step' : undefined} onClick={() => set({ matchStep: step, tool: 'choose' })} style={step === matchStep ? { color: COLOURS.text, fontWeight: 650 } : undefined}>{step === matchStep ? <><span style={{ color: COLOURS.faint }}>[ </span>{step}<span style={{ color: COLOURS.faint }}> ]</span></> : step}</Press>)}
      </Flex>
      {matchStep === 'Track' ? <TrackStep shown={shown} /> : matchStep === 'Solve' ? <SolveStep shown={shown} /> : matchStep === 'Ground' ? <GroundStep shown={shown} /> : matchStep === 'Proof' ? <ProofStep shown={shown} /> : <LineUpStep />}
      {matchStep !== 'Proof' && <OtherCameras />}
    </>
  )
}
