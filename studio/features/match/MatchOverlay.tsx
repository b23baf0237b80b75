'use client'
import { projectPoint } from '@lantern/core/data'
import { farCamera, linedCamera, matteFrame } from '@lantern/core/pipeline'
import { useEffect, useState } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import { segmentPath } from '../picture/lines.ts'
import { PlateLayer, type Press } from '../picture/PlateLayer.tsx'
import { cameraNow, useShot, useShotParts } from '../shot/shotStore.ts'
import { type Corner, cornersPath, keepOutPath, middleOf } from './exclusionMasks.ts'
import { farStands, standsAt, useShownMatch } from './matchData.ts'
import {
  down,
  type MatchContext,
  type MatchResult,
  type MatchState,
  move,
  NO_MATCH,
  press,
  shapeGrips,
  sidesOf,
  twice,
  up,
} from './matchTool.ts'
import { GroundMarks } from './overlay/GroundMarks.tsx'
import { Lines } from './overlay/Lines.tsx'
import { ManualTrackMarks } from './overlay/ManualTrackMarks.tsx'
import { MovingObjectMarks } from './overlay/MovingObjectMarks.tsx'
import { Proofs } from './overlay/Proofs.tsx'
import { Errors, Tracks } from './overlay/Tracks.tsx'

/** Joins the match tools to the screen: what the hand and the keys do becomes previews, edits and choices of the open shot. */
function useMatchHand(frame: number) {
  const state = useShot()
  const { shot, tool, chosen, set, edit, preview, ask, matchStep } = state
  const shown = useShownMatch()
  const [hand, setHand] = useState<MatchState>(NO_MATCH)
  // biome-ignore lint/correctness/useExhaustiveDependencies: another tool begins anew
  useEffect(() => setHand(NO_MATCH), [tool])
  const contextOf = ({ reach, shift }: Pick<Press, 'reach' | 'shift'>): MatchContext | undefined => {
    if (!shot) return undefined
    const proofs = Object.entries(shot.document.match.proofs).flatMap(([id, one]) => {
      const foot = one.far ? farStands(state, one) : standsAt(shown, one.at)
      const through = one.far ? cameraNow(state, frame) : shown.cameras[frame - shot.document.plate.first]
      const seen = foot && through && projectPoint(one.far ? farCamera(through) : through, foot)
      return seen ? [{ id, at: [seen.x, seen.y] as Corner }] : []
    })
    const fresh = (): string => crypto.randomUUID().slice(0, 8)
    return { document: shot.document, frame, tool, step: matchStep, chosen, shown, proofs, reach, shift, fresh }
  }
  const take = (result: MatchResult | undefined): boolean => {
    if (!result) return false
    setHand(result.state)
    if (result.preview) preview(result.preview)
    if (result.edit) edit(result.edit)
    const change = {
      ...(result.tool ? { tool: result.tool } : {}),
      ...(result.chosen === undefined ? {} : { chosen: result.chosen }),
    }
    if (Object.keys(change).length > 0) set(change)
    if (result.follow) void ask({ what: 'hand', hand: result.follow })
    return true
  }
  const by = (step: typeof down) => (pressed: Press) => {
    const context = contextOf(pressed)
    if (context) take(step(context, hand, pressed.at))
  }
  return {
    hand,
    down: by(down),
    move: by(move),
    up: by(up),
    twice(pressed: Press) {
      const context = contextOf(pressed)
      if (context) take(twice(context, hand))
    },
    keyed(key: string): boolean {
      const context = contextOf({ reach: 0, shift: false })
      return context !== undefined && take(press(context, hand, key))
    },
  }
}

const square = ([x, y]: Corner, half: number) => ({ x: x - half, y: y - half, width: 2 * half, height: 2 * half })

/** What is being drawn or dragged open. */
function Drawing({ hand: { drawn, held, band }, unit }: { hand: MatchState; unit: number }) {
  const [x0, x1, y0, y1] = band ? sidesOf(band) : [0, 0, 0, 0]
  return (
    <g fill="none" stroke={COLOURS.text}>
      {held && <circle cx={held.x} cy={held.y} r={4 * unit} strokeWidth={1.5 * unit} />}
      {band && <rect x={x0} y={y0} width={x1 - x0} height={y1 - y0} strokeWidth={unit} />}
      {drawn.length > 0 && (
        <path data-drawing={drawn.length} d={cornersPath(drawn).replace('Z', '')} strokeWidth={1.5 * unit} />
      )}
      {drawn.map((at, k) => (
        <rect
          key={at.join()}
          {...square(at, 2.5 * unit)}
          fill={k === 0 ? COLOURS.text : COLOURS.floor}
          strokeWidth={unit}
        />
      ))}
    </g>
  )
}

/** Where the chosen shape can be taken. */
function Grips({ corners, grip, unit }: { corners: readonly Corner[]; grip: Corner; unit: number }) {
  return (
    <>
      {corners.map((at, k) => (
        <rect
          // biome-ignore lint/suspicious/noArrayIndexKey: a corner is its place in the shape, and stays it while it is dragged
          key={k}
          data-corner={k}
          {...square(at, 3.5 * unit)}
          fill={COLOURS.floor}
          stroke={COLOURS.text}
          strokeWidth={1.3 * unit}
          style={{ cursor: 'move' }}
        />
      ))}
      <g data-grip style={{ cursor: 'grab' }} stroke={COLOURS.text} strokeWidth={1.3 * unit}>
        <path d={`M${middleOf(corners).join(' ')}L${grip.join(' ')}`} strokeOpacity={0.5} />
        <circle cx={grip[0]} cy={grip[1]} r={5 * unit} fill={COLOURS.floor}>
          <title>Turn and scale</title>
        </circle>
      </g>
    </>
  )
}

/** Shapes that keep out. */
function KeepOuts({ frame, unit }: { frame: number; unit: number }) {
  const { shot, chosen } = useShotParts('shot', 'chosen')
  return Object.entries(shot?.document.match.keepOuts ?? {}).map(
    ([id, one]) =>
      one.shown && (
        <path
          key={id}
          data-keepout={id}
          d={keepOutPath(one, frame)}
          fill={COLOURS.floor}
          fillOpacity={0.35}
          stroke={chosen === `keepout.${id}` ? COLOURS.text : COLOURS.soft}
          strokeWidth={1.3 * unit}
          strokeDasharray={chosen === `keepout.${id}` ? undefined : `${5 * unit} ${3 * unit}`}
        />
      ),
  )
}

/** A matte that is taken in and keeps out, as a light film. */
function TakenMatte({ frame }: { frame: number }) {
  const document = useShot(({ shot }) => shot?.document)
  if (!document?.match.matte) return null
  const shown = matteFrame(document, frame)
  return (
    <image
      data-matte={shown}
      href={`/api/assets/${document.match.matte.asset}/${shown}?size=half`}
      x={0}
      y={0}
      width={document.plate.width}
      height={document.plate.height}
      preserveAspectRatio="none"
      opacity={0.35}
      style={{ mixBlendMode: document.match.matte.inverted ? 'multiply' : 'screen' }}
    />
  )
}

/** The Match station over the picture, in plate pixels: keep-out shapes, tracks, errors, ground, test objects, and the tools for them. */
export function MatchOverlay({ frame, passive }: { frame: number; passive?: boolean }) {
  const state = useShot()
  const { shot, tool, chosen, matchStep: step } = state
  const shown = useShownMatch()
  const { hand, ...steps } = useMatchHand(frame)
  if (!shot) return null
  const { document } = shot
  const { width, height, first } = document.plate
  const n = frame - first
  const unit = width / 720
  const camera = shown.cameras[n]
  const proofCamera = camera ?? cameraNow(state, frame)
  const grips = tool === 'choose' ? shapeGrips({ document, step, chosen, frame }) : undefined
  return (
    <PlateLayer
      name={passive ? 'match-passive' : 'match'}
      width={width}
      height={height}
      drawing={tool !== 'choose'}
      passive={passive}
      {...steps}
    >
      {step === 'Track' && <TakenMatte frame={frame} />}
      {step === 'Things' && <MovingObjectMarks frame={frame} unit={unit} />}
      {step === 'Track' && <KeepOuts frame={frame} unit={unit} />}
      {step === 'Line up' && <Lines drawn={document.camera.lineUp} unit={unit} camera={linedCamera(document).camera} />}
      {(step === 'Track' || step === 'Solve' || step === 'Ground') && (
        <Tracks shown={shown} n={n} unit={unit} chosen={chosen} />
      )}
      {(step === 'Track' || step === 'Solve' || step === 'Proof') && (
        <ManualTrackMarks
          shown={shown}
          frame={frame}
          unit={unit}
          stuck={step === 'Proof'}
          grips={step === 'Track' && tool === 'choose'}
        />
      )}
      {step === 'Solve' && <Errors shown={shown} n={n} unit={unit} />}
      {step === 'Ground' && <GroundMarks shown={shown} n={n} unit={unit} />}
      {step === 'Proof' && proofCamera && <Proofs camera={proofCamera} unit={unit} frame={frame} />}
      <Drawing hand={hand} unit={unit} />
      {grips && <Grips {...grips} unit={unit} />}
      {step === 'Ground' && camera && shown.ground && tool !== 'choose' && (
        <path
          d={(
            [
              [1, 0, 0],
              [0, 1, 0],
              [0, 0, 1],
            ] as const
          )
            .map((axis) => segmentPath(camera, [0, 0, 0], axis))
            .join('')}
          stroke={COLOURS.text}
          strokeWidth={1.5 * unit}
          fill="none"
        />
      )}
    </PlateLayer>
  )
}
