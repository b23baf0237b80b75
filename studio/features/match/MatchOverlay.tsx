'use client'
import { placeAt, projectPoint, type Track } from '@lantern/core/data'
import { exclusionMaskAt, farCamera, linedCamera, matteFrame, within } from '@lantern/core/pipeline'
import type { PicturePlace } from '@lantern/core/shot'
import { type PointerEvent, useEffect, useRef, useState } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import { segmentPath } from '../picture/lines.ts'
import { cameraNow, type Tool, useShot } from '../shot/shotStore.ts'
import { type Corner, cornersPath, keepOutPath, middleOf, movedBy, tidy, turnedTo, withKey } from './exclusionMasks.ts'
import { handKeys, makeHand, placesOf, setHand } from './manualTracks.ts'
import { farStands, type ShownMatch, standsAt, useShownMatch } from './matchData.ts'
import { GroundMarks } from './overlay/GroundMarks.tsx'
import { LINE_TOOLS, type Line, Lines, withEnd } from './overlay/Lines.tsx'
import { ManualTrackMarks } from './overlay/ManualTrackMarks.tsx'
import { MovingObjectMarks } from './overlay/MovingObjectMarks.tsx'
import { Proofs } from './overlay/Proofs.tsx'
import { Errors, Tracks } from './overlay/Tracks.tsx'

/** Reach of the pointer on the screen, px. */
const REACH = 9
/** Least edge of a flat patch, px. */
const LEAST_PATCH = 8

type Drag =
  | { kind: 'move' | 'turn' | 'corner'; id: string; start: Corner; points: readonly Corner[]; corner: number }
  | { kind: 'patch'; start: Corner }
  | { kind: 'flat'; start: Corner }
  | { kind: 'hand'; id: string; start: Corner; places: readonly Corner[]; corner: number }
  | { kind: 'line'; lines: readonly Line[]; line: number; end: 0 | 1 }

/** The track seen nearest to a place, within a reach. */
function nearestTrack(
  shown: ShownMatch,
  n: number,
  [x, y]: Corner,
  reach: number,
  solved: boolean,
): { track: Track; at: readonly [number, number] } | undefined {
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
    if ((tool !== 'keep-out' && tool !== 'thing') || passive) return
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
    return box
      ? [((event.clientX - box.left) / box.width) * width, ((event.clientY - box.top) / box.height) * height]
      : [0, 0]
  }
  const proofCamera = camera ?? cameraNow(state, frame)
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
    if (tool === 'thing') {
      const id = `thing-${crypto.randomUUID().slice(0, 6)}`
      edit({
        match: {
          things: {
            [id]: {
              name: `MovingObject ${Object.keys(match.things).length + 1}`,
              keys: withKey({ keys: [] }, frame, points),
            },
          },
        },
      })
      return set({ tool: 'choose', chosen: `thing.${id}` })
    }
    const id = `out-${crypto.randomUUID().slice(0, 6)}`
    edit({
      match: {
        keepOuts: {
          [id]: {
            name: `Keep out ${Object.keys(match.keepOuts).length + 1}`,
            keys: withKey({ keys: [] }, frame, points),
          },
        },
      },
    })
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
    thing: draw,
    ground(point) {
      const there = match.ground.points.findIndex(
        (one) => one.frame === frame && Math.hypot(one.x - point[0], one.y - point[1]) < reach(),
      )
      sayGround({
        points: there >= 0 ? match.ground.points.filter((_, k) => k !== there) : [...match.ground.points, place(point)],
      })
    },
    origin: (point) => (sayGround({ origin: place(point) }), set({ tool: 'choose' })),
    axis(point) {
      if (!held) return setHeld(place(point))
      sayGround({ axis: [held, place(point)] })
      set({ tool: 'choose' })
    },
    distance(point) {
      if (!held) return setHeld(place(point))
      sayGround({
        distance: { from: held, to: place(point), metres: match.ground.distance?.metres ?? 1 },
        cameraHeight: null,
      })
      set({ tool: 'choose' })
    },
    'line-origin': (point) => (
      edit({ camera: { lineUp: { origin: [tidy(point[0]), tidy(point[1])] } } }), set({ tool: 'choose' })
    ),
    'line-length': (point) => (
      edit({
        camera: {
          lineUp: {
            length: {
              axis: drawnUp?.length?.axis ?? 'y',
              metres: drawnUp?.length?.metres ?? 1,
              to: [tidy(point[0]), tidy(point[1])],
            },
          },
        },
      }),
      set({ tool: 'choose' })
    ),
    'hand-point': (point) => makeHand(frame, [point]),
    join(point) {
      const near = nearestTrack(shown, n, point, 1.5 * reach(), false)
      const id = Number(chosen.slice(6))
      if (!near || near.track.id === id || !shown.tracksKey) return
      const tidied = match.tidied?.tracks === shown.tracksKey ? match.tidied : { spans: [], joins: [] }
      edit({
        match: {
          tidied: { tracks: shown.tracksKey, spans: tidied.spans, joins: [...tidied.joins, [id, near.track.id]] },
        },
      })
      set({ tool: 'choose' })
    },
    proof(point) {
      const id = `proof-${crypto.randomUUID().slice(0, 6)}`
      edit({ match: { proofs: { [id]: { name: `Cone ${Object.keys(match.proofs).length + 1}`, at: place(point) } } } })
      set({ tool: 'choose', chosen: `proof.${id}` })
    },
  }
  // A region is a shape like one that keeps out, kept elsewhere in the document.
  const shapes = matchStep === 'Things' ? 'things' : 'keepOuts'
  const shapeId = /^(keepout|thing)\./.test(chosen) ? chosen.slice(chosen.indexOf('.') + 1) : ''
  const shape = match[shapes][shapeId]
  const corners = shape ? exclusionMaskAt(shape, frame) : []
  const grip =
    corners.length > 0
      ? ([
          Math.max(...corners.map((p) => p[0])) + 14 * unit,
          Math.min(...corners.map((p) => p[1])) - 14 * unit,
        ] as const)
      : undefined
  const changed = (move: Drag, point: Corner): readonly Corner[] => {
    if (move.kind !== 'move' && move.kind !== 'turn' && move.kind !== 'corner') return []
    if (move.kind === 'corner') return move.points.map((p, k) => (k === move.corner ? point : p))
    if (move.kind === 'turn') return turnedTo(move.points, move.start, point)
    return movedBy(move.points, point[0] - move.start[0], point[1] - move.start[1])
  }
  const begin = (event: PointerEvent, kind: 'move' | 'turn' | 'corner', corner = 0): void => {
    event.stopPropagation()
    drag.current = { kind, id: shapeId, start: at(event), points: corners, corner }
    svg.current?.setPointerCapture(event.pointerId)
  }
  const handId = chosen.startsWith('hand.') ? chosen.slice(5) : ''
  const hand = match.hands[handId]
  const handMoved = (move: Drag & { kind: 'hand' }, [x, y]: Corner): readonly Corner[] => {
    if (move.places.length === 4) return move.places.map((p, c) => (c === move.corner ? [x, y] : p))
    return move.places.map(([a, b]) => [a + x - move.start[0], b + y - move.start[1]])
  }
  /** The hand track seen nearest to a place. */
  const handNear = ([x, y]: Corner): string | undefined =>
    Object.entries(match.hands).find(([id, one]) => {
      const places = placesOf(one, shown.hands[id], frame, first)
      return (
        places &&
        (places.length === 4
          ? within(places, x, y)
          : Math.hypot((places[0]?.[0] ?? 0) - x, (places[0]?.[1] ?? 0) - y) < reach())
      )
    })?.[0]
  const choose = (event: PointerEvent): void => {
    const point = at(event)
    if (shape && within(corners, ...point)) return begin(event, 'move')
    const over = Object.entries(match[shapes]).find(
      ([, one]) => one.shown && within(exclusionMaskAt(one, frame), ...point),
    )
    const near = nearestTrack(shown, n, point, reach(), false)
    const proof = Object.entries(match.proofs).find(([, one]) => {
      const foot = one.far ? farStands(state, one) : standsAt(shown, one.at)
      const through = one.far ? cameraNow(state, frame) : camera
      const seen = foot && through && projectPoint(one.far ? farCamera(through) : through, foot)
      return seen && Math.hypot(seen.x - point[0], seen.y - point[1]) < 2 * reach()
    })
    const byHand = matchStep === 'Track' ? handNear(point) : undefined
    if (matchStep === 'Things') return set({ chosen: over ? `thing.${over[0]}` : '' })
    const found = byHand
      ? `hand.${byHand}`
      : matchStep === 'Proof' && proof
        ? `proof.${proof[0]}`
        : near
          ? `track.${near.track.id}`
          : over
            ? `keepout.${over[0]}`
            : ''
    if (found) set({ chosen: found })
  }
  return (
    <svg
      ref={svg}
      viewBox={`0 0 ${width} ${height}`}
      preserveAspectRatio="none"
      aria-hidden
      data-overlay={passive ? 'match-passive' : 'match'}
      style={{
        position: 'absolute',
        inset: 0,
        width: '100%',
        height: '100%',
        cursor: tool === 'choose' ? 'default' : 'crosshair',
        touchAction: 'none',
        overflow: 'hidden',
        pointerEvents: passive ? 'none' : undefined,
      }}
      onDoubleClick={() => (tool === 'keep-out' || tool === 'thing') && finish(drawn.slice(0, -1))}
      onPointerDown={(event) => {
        if (event.button !== 0 || event.altKey) return
        if ((tool === 'ground' && event.shiftKey) || tool === 'hand-flat') {
          drag.current = { kind: tool === 'hand-flat' ? 'flat' : 'patch', start: at(event) }
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
        if (tool === 'hand-point' && event.shiftKey && hand) {
          setHand(handId, frame, [at(event)])
          return set({ tool: 'choose' })
        }
        const work = use[tool]
        if (work) work(at(event))
        else choose(event)
      }}
      onPointerMove={(event) => {
        const move = drag.current
        if (!move) return
        if (move.kind === 'line')
          preview({ camera: { lineUp: { lines: withEnd(move.lines, move.line, move.end, at(event)) } } })
        else if (move.kind === 'hand')
          preview({
            match: {
              hands: {
                [move.id]: { keys: handKeys(match.hands[move.id] ?? { keys: [] }, frame, handMoved(move, at(event))) },
              },
            },
          })
        else if (move.kind === 'patch' || move.kind === 'flat') setBand([move.start, at(event)])
        else
          preview({
            match: {
              [shapes]: {
                [move.id]: { keys: withKey(match[shapes][move.id] ?? { keys: [] }, frame, changed(move, at(event))) },
              },
            },
          })
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
          const next = gone
            ? move.lines.filter((_, k) => k !== move.line)
            : withEnd(move.lines, move.line, move.end, point)
          const ends = next[move.line]?.ends
          // A click without a drag is no line.
          edit({
            camera: {
              lineUp: {
                lines:
                  ends && Math.hypot(ends[0] - ends[2], ends[1] - ends[3]) < 2
                    ? next.filter((_, k) => k !== move.line)
                    : next,
              },
            },
          })
        } else if (move.kind === 'hand') {
          if (Math.hypot(point[0] - move.start[0], point[1] - move.start[1]) > 0.05)
            setHand(move.id, frame, handMoved(move, point))
        } else if (move.kind === 'flat') {
          const [x0, x1, y0, y1] = [
            Math.min(move.start[0], point[0]),
            Math.max(move.start[0], point[0]),
            Math.min(move.start[1], point[1]),
            Math.max(move.start[1], point[1]),
          ]
          if (x1 - x0 > LEAST_PATCH && y1 - y0 > LEAST_PATCH)
            makeHand(frame, [
              [x0, y0],
              [x1, y0],
              [x1, y1],
              [x0, y1],
            ])
        } else if (move.kind === 'patch') {
          const [x0, x1, y0, y1] = [
            Math.min(move.start[0], point[0]),
            Math.max(move.start[0], point[0]),
            Math.min(move.start[1], point[1]),
            Math.max(move.start[1], point[1]),
          ]
          const inside = shown.tracks.flatMap((track) => {
            const seen = shown.points.has(track.id) ? placeAt(track, n) : undefined
            return seen && seen[0] > x0 && seen[0] < x1 && seen[1] > y0 && seen[1] < y1
              ? [{ frame, x: tidy(seen[0]), y: tidy(seen[1]) }]
              : []
          })
          if (inside.length > 0) sayGround({ points: [...match.ground.points, ...inside].slice(-400) })
        } else if (Math.hypot(point[0] - move.start[0], point[1] - move.start[1]) > 0.5)
          edit({
            match: {
              [shapes]: {
                [move.id]: { keys: withKey(match[shapes][move.id] ?? { keys: [] }, frame, changed(move, point)) },
              },
            },
          })
      }}
    >
      {matchStep === 'Track' && match.matte && (
        <image
          data-matte={matteFrame(shot.document, frame)}
          href={`/api/assets/${match.matte.asset}/${matteFrame(shot.document, frame)}?size=half`}
          x={0}
          y={0}
          width={width}
          height={height}
          preserveAspectRatio="none"
          opacity={0.35}
          style={{ mixBlendMode: match.matte.inverted ? 'multiply' : 'screen' }}
        />
      )}
      {matchStep === 'Things' && <MovingObjectMarks frame={frame} unit={unit} />}
      {matchStep === 'Track' &&
        Object.entries(match.keepOuts).map(
          ([id, one]) =>
            one.shown && (
              <path
                key={id}
                data-keepout={id}
                d={keepOutPath(one, frame)}
                fill={COLOURS.floor}
                fillOpacity={0.35}
                stroke={id === shapeId ? COLOURS.text : COLOURS.soft}
                strokeWidth={1.3 * unit}
                strokeDasharray={id === shapeId ? undefined : `${5 * unit} ${3 * unit}`}
              />
            ),
        )}
      {matchStep === 'Line up' && (
        <Lines
          drawn={drawnUp}
          unit={unit}
          camera={linedCamera(shot.document).camera}
          grip={(event, line, end) => {
            if (tool !== 'choose') return
            event.stopPropagation()
            drag.current = { kind: 'line', lines, line, end }
            svg.current?.setPointerCapture(event.pointerId)
          }}
        />
      )}
      {matchStep !== 'Proof' && matchStep !== 'Line up' && matchStep !== 'Things' && (
        <Tracks shown={shown} n={n} unit={unit} chosen={chosen} />
      )}
      {(matchStep === 'Track' || matchStep === 'Solve' || matchStep === 'Proof') && (
        <ManualTrackMarks
          shown={shown}
          frame={frame}
          unit={unit}
          stuck={matchStep === 'Proof'}
          grip={
            matchStep === 'Track' && tool === 'choose'
              ? (event, id, corner, places) => {
                  event.stopPropagation()
                  drag.current = { kind: 'hand', id, start: at(event), places, corner }
                  svg.current?.setPointerCapture(event.pointerId)
                }
              : undefined
          }
        />
      )}
      {matchStep === 'Solve' && <Errors shown={shown} n={n} unit={unit} />}
      {matchStep === 'Ground' && <GroundMarks shown={shown} n={n} unit={unit} />}
      {matchStep === 'Proof' && proofCamera && <Proofs camera={proofCamera} unit={unit} frame={frame} />}
      {held && (
        <circle cx={held.x} cy={held.y} r={4 * unit} fill="none" stroke={COLOURS.text} strokeWidth={1.5 * unit} />
      )}
      {band && (
        <rect
          x={Math.min(band[0][0], band[1][0])}
          y={Math.min(band[0][1], band[1][1])}
          width={Math.abs(band[0][0] - band[1][0])}
          height={Math.abs(band[0][1] - band[1][1])}
          fill="none"
          stroke={COLOURS.text}
          strokeWidth={unit}
        />
      )}
      {drawn.length > 0 && (
        <path
          data-drawing={drawn.length}
          d={cornersPath(drawn).replace('Z', '')}
          fill="none"
          stroke={COLOURS.text}
          strokeWidth={1.5 * unit}
        />
      )}
      {drawn.map(([x, y], k) => (
        <rect
          key={`${x},${y}`}
          x={x - 2.5 * unit}
          y={y - 2.5 * unit}
          width={5 * unit}
          height={5 * unit}
          fill={k === 0 ? COLOURS.text : COLOURS.floor}
          stroke={COLOURS.text}
          strokeWidth={unit}
        />
      ))}
      {(matchStep === 'Track' || matchStep === 'Things') &&
        tool === 'choose' &&
        corners.map(([x, y], k) => (
          <rect
            // biome-ignore lint/suspicious/noArrayIndexKey: a corner is its place in the shape, and stays it while it is dragged
            key={k}
            data-corner={k}
            x={x - 3.5 * unit}
            y={y - 3.5 * unit}
            width={7 * unit}
            height={7 * unit}
            fill={COLOURS.floor}
            stroke={COLOURS.text}
            strokeWidth={1.3 * unit}
            style={{ cursor: 'move', pointerEvents: 'all' }}
            onPointerDown={(event) => begin(event, 'corner', k)}
          />
        ))}
      {(matchStep === 'Track' || matchStep === 'Things') && tool === 'choose' && grip && (
        <g data-grip style={{ cursor: 'grab', pointerEvents: 'all' }} onPointerDown={(event) => begin(event, 'turn')}>
          <path
            d={`M${middleOf(corners)[0]} ${middleOf(corners)[1]}L${grip[0]} ${grip[1]}`}
            stroke={COLOURS.text}
            strokeOpacity={0.5}
            strokeWidth={unit}
          />
          <circle
            cx={grip[0]}
            cy={grip[1]}
            r={5 * unit}
            fill={COLOURS.floor}
            stroke={COLOURS.text}
            strokeWidth={1.3 * unit}
          >
            <title>Turn and scale</title>
          </circle>
        </g>
      )}
      {matchStep === 'Ground' && camera && shown.ground && tool !== 'choose' && (
        <path
          d={
            segmentPath(camera, [0, 0, 0], [1, 0, 0]) +
            segmentPath(camera, [0, 0, 0], [0, 1, 0]) +
            segmentPath(camera, [0, 0, 0], [0, 0, 1])
          }
          stroke={COLOURS.text}
          strokeWidth={1.5 * unit}
          fill="none"
        />
      )}
    </svg>
  )
}
