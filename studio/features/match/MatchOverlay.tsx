'use client'
import { type Camera, placeAt, projectPoint, type Track } from '@lantern/core/data'
import { keepOutAt, linedCamera, shotPoint, within } from '@lantern/core/pipeline'
import type { LineUpLines, PicturePlace } from '@lantern/core/shot'
import { type PointerEvent, useEffect, useRef, useState } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import { gridPath, segmentPath } from '../picture/lines.ts'
import { type Tool, useShot } from '../shot/shotStore.ts'
import { type Corner, cornersPath, keepOutPath, middleOf, movedBy, turnedTo, withKey } from './keepOuts.ts'
import { standsAt, type ShownMatch, useShownMatch } from './matchData.ts'
import { proofPicture, WORDS } from './proofLines.ts'

/** Frames of a track's tail; error from which a track is shown as wrong, px; reach of the pointer on the screen, px. */
const TAIL = 4
const WRONG_PX = 1
const REACH = 9
const MOST_SHOWN_ERRORS = 12
const ERROR_TIMES = 20

type Drag = { kind: 'move' | 'turn' | 'corner'; id: string; start: Corner; points: readonly Corner[]; corner: number } | { kind: 'patch'; start: Corner } | { kind: 'line'; lines: readonly Line[]; line: number; end: 0 | 1 }

const tidy = (v: number): number => Math.round(v * 100) / 100

/** The track seen nearest to a place, within a reach. */
function nearestTrack(shown: ShownMatch, n: number, [x, y]: Corner, reach: number, solved: boolean): { track: Track; at: readonly [number, number] } | undefined {
  let best: { track: Track; at: readonly [number, number] } | undefined
  let least = reach
  for (const track of shown.tracks) {
    if (solved && !shown.points.has(track.id)) continue
    const at = placeAt(track, n)
    const far = at ? Math.hypot(at[0] - x, at[1] - y) : Infinity
    if (at && far < least) {
      least = far
      best = { track, at }
    }
  }
  return best
}

/** Tracks of a frame: where each is and was, in blue-green; without a point faint, far off in red. */
function Tracks({ shown, n, unit, chosen }: { shown: ShownMatch; n: number; unit: number; chosen: string }) {
  const paths = { good: '', faint: '', wrong: '' }
  const bad = new Map(shown.worst.map(({ track, px }) => [track, px]))
  let bracket: readonly [number, number] | undefined
  for (const track of shown.tracks) {
    const at = placeAt(track, n)
    if (!at) continue
    const kind = !shown.solve ? 'good' : !shown.points.has(track.id) ? 'faint' : (bad.get(track.id) ?? 0) > WRONG_PX ? 'wrong' : 'good'
    if (chosen === `track.${track.id}`) bracket = at
    let path = ''
    for (let k = Math.max(track.first, n - TAIL); k <= n; k++) {
      const p = placeAt(track, k)
      if (p) path += `${path ? 'L' : 'M'}${p[0].toFixed(1)} ${p[1].toFixed(1)}`
    }
    paths[kind] += `${path}M${(at[0] - 1.6 * unit).toFixed(1)} ${at[1].toFixed(1)}h${(3.2 * unit).toFixed(1)}`
  }
  const r = 9 * unit
  return (
    <g data-tracks={shown.tracks.filter((track) => placeAt(track, n)).length}>
      <path d={paths.faint} fill="none" stroke={COLOURS.soft} strokeOpacity={0.5} strokeWidth={unit} />
      <path d={paths.good} fill="none" stroke={COLOURS.fact} strokeWidth={1.3 * unit} />
      <path d={paths.wrong} fill="none" stroke={COLOURS.wrong} strokeWidth={1.6 * unit} />
      {bracket && <path data-chosen-track d={`M${bracket[0] - r + 4 * unit} ${bracket[1] - r}h${-4 * unit}v${2 * r}h${4 * unit}M${bracket[0] + r - 4 * unit} ${bracket[1] - r}h${4 * unit}v${2 * r}h${-4 * unit}`} fill="none" stroke={COLOURS.text} strokeWidth={1.5 * unit} />}
    </g>
  )
}

/** The largest errors of a frame, drawn out twenty times from the track to where its point lands. */
function Errors({ shown, n, unit }: { shown: ShownMatch; n: number; unit: number }) {
  const camera = shown.cameras[n]
  if (!camera) return null
  const errors = shown.tracks.flatMap((track) => {
    const [at, point] = [placeAt(track, n), shown.points.get(track.id)]
    const p = at && point && projectPoint(camera, shotPoint(shown.by, point))
    return at && p ? [{ at, dx: p.x - at[0], dy: p.y - at[1] }] : []
  })
  const worst = errors.sort((a, b) => Math.hypot(b.dx, b.dy) - Math.hypot(a.dx, a.dy)).slice(0, MOST_SHOWN_ERRORS)
  return <path data-errors={worst.length} d={worst.map(({ at, dx, dy }) => `M${at[0]} ${at[1]}l${dx * ERROR_TIMES} ${dy * ERROR_TIMES}`).join('')} stroke={COLOURS.wrong} strokeWidth={1.6 * unit} fill="none" />
}

/** Test objects on their points. */
export function Proofs({ camera, unit }: { camera: Camera; unit: number }) {
  const { shot, chosen } = useShot()
  const shown = useShownMatch()
  return (
    <>
      {Object.entries(shot?.document.match.proofs ?? {}).map(([id, proof]) => {
        const foot = standsAt(shown, proof.at)
        if (!foot) return null
        const { lines, fill, words } = proofPicture(camera, proof, foot)
        const on = chosen === `proof.${id}`
        return (
          <g key={id} data-proof={id}>
            <path d={fill} fill={COLOURS.lamp} fillOpacity={0.5} />
            <path d={lines} fill="none" stroke={on ? COLOURS.text : COLOURS.lamp} strokeWidth={(on ? 1.9 : 1.3) * unit} />
            {words && <text transform={words.matrix} textAnchor="middle" fill={on ? COLOURS.text : COLOURS.lamp} style={{ fontSize: `${WORDS}px`, fontFamily: 'var(--font-label)', fontWeight: 700 }}>{words.text}</text>}
          </g>
        )
      })}
    </>
  )
}

/** What is said of the ground: its points, axis, origin and known distance, wherever they are seen from this frame. */
function GroundMarks({ shown, n, unit }: { shown: ShownMatch; n: number; unit: number }) {
  const ground = useShot((state) => state.shot?.document.match.ground)
  const camera = shown.cameras[n]
  if (!ground || !shown.solve) return null
  const first = shown.solve.first
  const at = (place: PicturePlace): readonly [number, number] | undefined => {
    if (place.frame === first + n) return [place.x, place.y]
    const p = standsAt(shown, place)
    const seen = p && camera && projectPoint(camera, p)
    return seen && [seen.x, seen.y]
  }
  const s = 3.4 * unit
  const mark = ([x, y]: readonly [number, number]): string => `M${x - s} ${y}L${x} ${y - s}L${x + s} ${y}L${x} ${y + s}Z`
  const line = (pair: readonly [PicturePlace, PicturePlace]): string => {
    const [a, b] = [at(pair[0]), at(pair[1])]
    return a && b ? `M${a[0]} ${a[1]}L${b[0]} ${b[1]}${mark(a)}${mark(b)}` : ''
  }
  const origin = ground.origin && at(ground.origin)
  const ends = ground.distance && [at(ground.distance.from), at(ground.distance.to)]
  return (
    <g data-ground={ground.points.length}>
      <path d={ground.points.flatMap((place) => at(place) ?? []).reduce((path, _, k, all) => (k % 2 === 0 ? path + mark([all[k] ?? 0, all[k + 1] ?? 0]) : path), '')} fill={COLOURS.text} fillOpacity={0.85} stroke={COLOURS.floor} strokeWidth={0.8 * unit} />
      {ground.axis && <path d={line(ground.axis)} stroke={COLOURS.text} strokeWidth={1.6 * unit} strokeDasharray={`${6 * unit} ${3 * unit}`} fill="none" />}
      {ground.distance && <path d={line([ground.distance.from, ground.distance.to])} stroke={COLOURS.fact} strokeWidth={1.6 * unit} fill="none" />}
      {ends?.[0] && ends[1] && <text x={(ends[0][0] + ends[1][0]) / 2 + 6 * unit} y={(ends[0][1] + ends[1][1]) / 2 - 6 * unit} fill={COLOURS.fact} style={{ fontSize: `${12 * unit}px`, fontFamily: 'var(--font-number)' }}>{ground.distance?.metres} m</text>}
      {origin && <path d={`M${origin[0] - 3 * s} ${origin[1]}h${6 * s}M${origin[0]} ${origin[1] - 3 * s}v${6 * s}`} stroke={COLOURS.text} strokeWidth={1.6 * unit} />}
    </g>
  )
}

const LINE_TOOLS: Partial<Record<Tool, 'x' | 'y' | 'z'>> = { 'line-x': 'x', 'line-y': 'y', 'line-z': 'z' }
const AXIS_NAMES = { x: 'right', y: 'up', z: 'near' } as const
type Line = LineUpLines['lines'][number]

const withEnd = (lines: readonly Line[], line: number, end: 0 | 1, [x, y]: Corner): Line[] =>
  lines.map((one, k) => (k === line ? { ...one, ends: end === 0 ? [tidy(x), tidy(y), one.ends[2], one.ends[3]] : [one.ends[0], one.ends[1], tidy(x), tidy(y)] } : one))

/** The lines of a lining up, told apart by their dashes and names; where they give a camera, its grid of metres on the ground. */
function Lines({ drawn, unit, camera, grip }: { drawn: LineUpLines | undefined; unit: number; camera: Camera | undefined; grip: (event: PointerEvent, line: number, end: 0 | 1) => void }) {
  const dashes = { x: undefined, y: `${9 * unit} ${4 * unit}`, z: `${2 * unit} ${4 * unit}` }
  const origin = drawn?.origin
  return (
    <g data-lines={drawn?.lines.length ?? 0} style={{ pointerEvents: 'none' }}>
      {camera && <path data-grid d={gridPath(camera, 0, 12)} fill="none" stroke="#d8d8d8" strokeOpacity={0.35} strokeWidth={0.8 * unit} />}
      {drawn?.lines.map(({ axis, ends: [x, y, u, v] }, k) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a line is its place in the list, and stays it while its ends are dragged
        <g key={k}>
          <path d={`M${x} ${y}L${u} ${v}`} stroke={COLOURS.floor} strokeWidth={3.4 * unit} />
          <path data-line={axis} d={`M${x} ${y}L${u} ${v}`} stroke={COLOURS.text} strokeWidth={1.6 * unit} strokeDasharray={dashes[axis]} />
          <text x={(x + u) / 2 + 5 * unit} y={(y + v) / 2 - 5 * unit} fill={COLOURS.text} stroke={COLOURS.floor} strokeWidth={2 * unit} paintOrder="stroke" style={{ fontSize: `${11 * unit}px`, fontFamily: 'var(--font-label)' }}>{AXIS_NAMES[axis]}</text>
          {([[x, y, 0], [u, v, 1]] as const).map(([a, b, end]) => <rect key={end} data-end={`${k}.${end}`} x={a - 3.5 * unit} y={b - 3.5 * unit} width={7 * unit} height={7 * unit} fill={COLOURS.floor} stroke={COLOURS.text} strokeWidth={1.3 * unit} style={{ cursor: 'move', pointerEvents: 'all' }} onPointerDown={(event) => grip(event, k, end)} />)}
        </g>
      ))}
      {origin && <path data-origin d={`M${origin[0] - 9 * unit} ${origin[1]}h${18 * unit}M${origin[0]} ${origin[1] - 9 * unit}v${18 * unit}`} stroke={COLOURS.text} strokeWidth={1.8 * unit} />}
      {origin && drawn?.length && (
        <>
          <path d={`M${origin[0]} ${origin[1]}L${drawn.length.to[0]} ${drawn.length.to[1]}`} stroke={COLOURS.fact} strokeWidth={2 * unit} />
          <text x={drawn.length.to[0] + 6 * unit} y={drawn.length.to[1]} fill={COLOURS.fact} stroke={COLOURS.floor} strokeWidth={2 * unit} paintOrder="stroke" style={{ fontSize: `${12 * unit}px`, fontFamily: 'var(--font-number)' }}>{drawn.length.metres} m</text>
        </>
      )}
    </g>
  )
}

/** The Match station over the picture, in plate pixels: keep-out shapes, tracks, errors, ground, test objects, and the tools for them. */
export function MatchOverlay({ frame, passive }: { frame: number; passive?: boolean }) {
  const state = useShot()
  const { shot, tool, chosen, set, edit, preview, matchStep } = state
  const shown = useShownMatch()
  const svg = useRef<SVGSVGElement>(null)
  const drag = useRef<Drag>(undefined)
  const [drawn, setDrawn] = useState<Corner[]>([])
  const [band, setBand] = useState<[Corner, Corner]>()
  const [held, setHeld] = useState<PicturePlace>()
  // biome-ignore lint/correctness/useExhaustiveDependencies: another tool begins anew
  useEffect(() => (setDrawn([]), setHeld(undefined)), [tool])
  const plate = shot?.document.plate
  const match = shot?.document.match
  useEffect(() => {
    if (tool !== 'keep-out' || passive) return
    const press = (event: KeyboardEvent): void => {
      if (event.key === 'Enter') finish(drawn)
      else if (event.key === 'Backspace') setDrawn(drawn.slice(0, -1))
    }
    window.addEventListener('keydown', press)
    return () => window.removeEventListener('keydown', press)
  })
  if (!shot || !plate || !match) return null
  const { width, height, first } = plate
  const n = frame - first
  const unit = width / 720
  const camera = shown.cameras[n]
  const at = (event: PointerEvent): Corner => {
    const box = svg.current?.getBoundingClientRect()
    return box ? [((event.clientX - box.left) / box.width) * width, ((event.clientY - box.top) / box.height) * height] : [0, 0]
  }
  const reach = (): number => (REACH * width) / (svg.current?.getBoundingClientRect().width || width)
  const place = ([x, y]: Corner): PicturePlace => {
    const near = nearestTrack(shown, n, [x, y], reach(), true)
    return { frame, x: tidy(near?.at[0] ?? x), y: tidy(near?.at[1] ?? y) }
  }

  const drawnUp = shot.document.camera.lineUp
  const lines = drawnUp?.lines ?? []

  const finish = (points: readonly Corner[]): void => {
    setDrawn([])
    if (points.length < 3) return set({ tool: 'choose' })
    const id = `out-${crypto.randomUUID().slice(0, 6)}`
    edit({ match: { keepOuts: { [id]: { name: `Keep out ${Object.keys(match.keepOuts).length + 1}`, keys: withKey({ keys: [] }, frame, points) } } } })
    set({ tool: 'choose', chosen: `keepout.${id}` })
  }
  const draw = (point: Corner): void => {
    const start = drawn[0]
    if (start && drawn.length > 2 && Math.hypot(start[0] - point[0], start[1] - point[1]) < reach()) finish(drawn)
    else setDrawn([...drawn, point])
  }
  const sayGround = (change: Record<string, unknown>): void => edit({ match: { ground: change } })
  const use: Partial<Record<Tool, (point: Corner) => void>> = {
    'keep-out': draw,
    ground(point) {
      const there = match.ground.points.findIndex((one) => one.frame === frame && Math.hypot(one.x - point[0], one.y - point[1]) < reach())
      sayGround({ points: there >= 0 ? match.ground.points.filter((_, k) => k !== there) : [...match.ground.points, place(point)] })
    },
    origin: (point) => (sayGround({ origin: place(point) }), set({ tool: 'choose' })),
    axis(point) {
      if (!held) return setHeld(place(point))
      sayGround({ axis: [held, place(point)] })
      set({ tool: 'choose' })
    },
    distance(point) {
      if (!held) return setHeld(place(point))
      sayGround({ distance: { from: held, to: place(point), metres: match.ground.distance?.metres ?? 1 }, cameraHeight: null })
      set({ tool: 'choose' })
    },
    'line-origin': (point) => (edit({ camera: { lineUp: { origin: [tidy(point[0]), tidy(point[1])] } } }), set({ tool: 'choose' })),
    'line-length': (point) => (edit({ camera: { lineUp: { length: { axis: drawnUp?.length?.axis ?? 'y', metres: drawnUp?.length?.metres ?? 1, to: [tidy(point[0]), tidy(point[1])] } } } }), set({ tool: 'choose' })),
    proof(point) {
      const id = `proof-${crypto.randomUUID().slice(0, 6)}`
      edit({ match: { proofs: { [id]: { name: `Cone ${Object.keys(match.proofs).length + 1}`, at: place(point) } } } })
      set({ tool: 'choose', chosen: `proof.${id}` })
    },
  }
  const shapeId = chosen.startsWith('keepout.') ? chosen.slice(8) : ''
  const shape = match.keepOuts[shapeId]
  const corners = shape ? keepOutAt(shape, frame) : []
  const grip = corners.length > 0 ? ([Math.max(...corners.map((p) => p[0])) + 14 * unit, Math.min(...corners.map((p) => p[1])) - 14 * unit] as const) : undefined
  const changed = (move: Drag, point: Corner): readonly Corner[] => {
    if (move.kind === 'patch' || move.kind === 'line') return []
    if (move.kind === 'corner') return move.points.map((p, k) => (k === move.corner ? point : p))
    if (move.kind === 'turn') return turnedTo(move.points, move.start, point)
    return movedBy(move.points, point[0] - move.start[0], point[1] - move.start[1])
  }
  const begin = (event: PointerEvent, kind: 'move' | 'turn' | 'corner', corner = 0): void => {
    event.stopPropagation()
    drag.current = { kind, id: shapeId, start: at(event), points: corners, corner }
    svg.current?.setPointerCapture(event.pointerId)
  }
  const choose = (event: PointerEvent): void => {
    const point = at(event)
    if (shape && within(corners, ...point)) return begin(event, 'move')
    const over = Object.entries(match.keepOuts).find(([, one]) => one.shown && within(keepOutAt(one, frame), ...point))
    const near = nearestTrack(shown, n, point, reach(), false)
    const proof = Object.entries(match.proofs).find(([, one]) => {
      const foot = standsAt(shown, one.at)
      const seen = foot && camera && projectPoint(camera, foot)
      return seen && Math.hypot(seen.x - point[0], seen.y - point[1]) < 2 * reach()
    })
    const found = matchStep === 'Proof' && proof ? `proof.${proof[0]}` : near ? `track.${near.track.id}` : over ? `keepout.${over[0]}` : ''
    if (found) set({ chosen: found })
  }
  return (
    <svg
      ref={svg} viewBox={`0 0 ${width} ${height}`} preserveAspectRatio="none" aria-hidden data-overlay={passive ? 'match-passive' : 'match'}
      style={{ position: 'absolute', inset: 0, width: '100%', height: '100%', cursor: tool === 'choose' ? 'default' : 'crosshair', touchAction: 'none', overflow: 'hidden', pointerEvents: passive ? 'none' : undefined }}
      onDoubleClick={() => tool === 'keep-out' && finish(drawn.slice(0, -1))}
      onPointerDown={(event) => {
        if (event.button !== 0 || event.altKey) return
        if (tool === 'ground' && event.shiftKey) {
          drag.current = { kind: 'patch', start: at(event) }
          svg.current?.setPointerCapture(event.pointerId)
          return
        }
        const axis = LINE_TOOLS[tool]
        if (axis) {
          const [x, y] = at(event)
          drag.current = { kind: 'line', lines: [...lines, { axis, ends: [x, y, x, y] }], line: lines.length, end: 1 }
          svg.current?.setPointerCapture(event.pointerId)
          return
        }
        const work = use[tool]
        if (work) work(at(event))
        else choose(event)
      }}
      onPointerMove={(event) => {
        const move = drag.current
        if (!move) return
        if (move.kind === 'line') preview({ camera: { lineUp: { lines: withEnd(move.lines, move.line, move.end, at(event)) } } })
        else if (move.kind === 'patch') setBand([move.start, at(event)])
        else preview({ match: { keepOuts: { [move.id]: { keys: withKey(match.keepOuts[move.id] ?? { keys: [] }, frame, changed(move, at(event))) } } } })
      }}
      onPointerUp={(event) => {
        const move = drag.current
        drag.current = undefined
        setBand(undefined)
        if (!move) return
        const point = at(event)
        if (move.kind === 'line') {
          const [x, y] = point
          const gone = x < 0 || y < 0 || x > width || y > height
          const next = gone ? move.lines.filter((_, k) => k !== move.line) : withEnd(move.lines, move.line, move.end, point)
          const ends = next[move.line]?.ends
          // A click without a drag is no line.
          edit({ camera: { lineUp: { lines: ends && Math.hypot(ends[0] - ends[2], ends[1] - ends[3]) < 2 ? next.filter((_, k) => k !== move.line) : next } } })
        } else if (move.kind === 'patch') {
          const [x0, x1, y0, y1] = [Math.min(move.start[0], point[0]), Math.max(move.start[0], point[0]), Math.min(move.start[1], point[1]), Math.max(move.start[1], point[1])]
          const inside = shown.tracks.flatMap((track) => {
            const seen = shown.points.has(track.id) ? placeAt(track, n) : undefined
            return seen && seen[0] > x0 && seen[0] < x1 && seen[1] > y0 && seen[1] < y1 ? [{ frame, x: tidy(seen[0]), y: tidy(seen[1]) }] : []
          })
          if (inside.length > 0) sayGround({ points: [...match.ground.points, ...inside].slice(-400) })
        } else if (Math.hypot(point[0] - move.start[0], point[1] - move.start[1]) > 0.5) edit({ match: { keepOuts: { [move.id]: { keys: withKey(match.keepOuts[move.id] ?? { keys: [] }, frame, changed(move, point)) } } } })
      }}
    >
      {matchStep === 'Track' && Object.entries(match.keepOuts).map(([id, one]) => one.shown && <path key={id} data-keepout={id} d={keepOutPath(one, frame)} fill={COLOURS.floor} fillOpacity={0.35} stroke={id === shapeId ? COLOURS.text : COLOURS.soft} strokeWidth={1.3 * unit} strokeDasharray={id === shapeId ? undefined : `${5 * unit} ${3 * unit}`} />)}
      {matchStep === 'Line up' && <Lines drawn={drawnUp} unit={unit} camera={linedCamera(shot.document).camera} grip={(event, line, end) => {
        if (tool !== 'choose') return
        event.stopPropagation()
        drag.current = { kind: 'line', lines, line, end }
        svg.current?.setPointerCapture(event.pointerId)
      }} />}
      {matchStep !== 'Proof' && matchStep !== 'Line up' && <Tracks shown={shown} n={n} unit={unit} chosen={chosen} />}
      {matchStep === 'Solve' && <Errors shown={shown} n={n} unit={unit} />}
      {matchStep === 'Ground' && <GroundMarks shown={shown} n={n} unit={unit} />}
      {matchStep === 'Proof' && camera && <Proofs camera={camera} unit={unit} />}
      {held && <circle cx={held.x} cy={held.y} r={4 * unit} fill="none" stroke={COLOURS.text} strokeWidth={1.5 * unit} />}
      {band && <rect x={Math.min(band[0][0], band[1][0])} y={Math.min(band[0][1], band[1][1])} width={Math.abs(band[0][0] - band[1][0])} height={Math.abs(band[0][1] - band[1][1])} fill="none" stroke={COLOURS.text} strokeWidth={unit} />}
      {drawn.length > 0 && <path data-drawing={drawn.length} d={cornersPath(drawn).replace('Z', '')} fill="none" stroke={COLOURS.text} strokeWidth={1.5 * unit} />}
      {drawn.map(([x, y], k) => <rect key={`${x},${y}`} x={x - 2.5 * unit} y={y - 2.5 * unit} width={5 * unit} height={5 * unit} fill={k === 0 ? COLOURS.text : COLOURS.floor} stroke={COLOURS.text} strokeWidth={unit} />)}
      {matchStep === 'Track' && tool === 'choose' && corners.map(([x, y], k) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a corner is its place in the shape, and stays it while it is dragged
        <rect key={k} data-corner={k} x={x - 3.5 * unit} y={y - 3.5 * unit} width={7 * unit} height={7 * unit} fill={COLOURS.floor} stroke={COLOURS.text} strokeWidth={1.3 * unit} style={{ cursor: 'move', pointerEvents: 'all' }} onPointerDown={(event) => begin(event, 'corner', k)} />
      ))}
      {matchStep === 'Track' && tool === 'choose' && grip && (
        <g data-grip style={{ cursor: 'grab', pointerEvents: 'all' }} onPointerDown={(event) => begin(event, 'turn')}>
          <path d={`M${middleOf(corners)[0]} ${middleOf(corners)[1]}L${grip[0]} ${grip[1]}`} stroke={COLOURS.text} strokeOpacity={0.5} strokeWidth={unit} />
          <circle cx={grip[0]} cy={grip[1]} r={5 * unit} fill={COLOURS.floor} stroke={COLOURS.text} strokeWidth={1.3 * unit}><title>Turn and scale</title></circle>
        </g>
      )}
      {matchStep === 'Ground' && camera && shown.ground && tool !== 'choose' && <path d={segmentPath(camera, [0, 0, 0], [1, 0, 0]) + segmentPath(camera, [0, 0, 0], [0, 1, 0]) + segmentPath(camera, [0, 0, 0], [0, 0, 1])} stroke={COLOURS.text} strokeWidth={1.5 * unit} fill="none" />}
    </svg>
  )
}
