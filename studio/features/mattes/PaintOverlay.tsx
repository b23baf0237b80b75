'use client'
import { isMatte } from '@lantern/core/mattes'
import { drawMatteOf, matteWorld, scaleToWidth } from '@lantern/core/pipeline'
import { useEffect, useRef, useState } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import { PlateLayer } from '../picture/PlateLayer.tsx'
import { cameraNow, useShot } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'
import { useCarriedFrames } from './matteFrames.ts'
import { down, move, NO_PAINT, type PaintContext, type PaintState, up } from './paintTool.ts'

/** Px across of the film over what a matte covers. */
const FILM_WIDTH = 480
const FILM = 70

/** The chosen matte as all of its parts make it, as a light film; for those whose parts are not lines alone. */
function MatteFilm({ frame }: { frame: number }) {
  const state = useShot()
  const { shot, chosen } = state
  const canvas = useRef<HTMLCanvasElement>(null)
  const item = shot?.document.items[chosen]
  const taken = isMatte(item) ? Object.values(item.takes).map(({ of }) => of) : []
  const carried = useCarriedFrames([chosen, ...taken], frame)
  const camera = cameraNow(state, frame)
  const made = isMatte(item) && (taken.length > 0 || Object.keys(item.painted).length > 0)
  useEffect(() => {
    const own = canvas.current
    const context = own?.getContext('2d')
    if (!own || !context) return
    context.clearRect(0, 0, own.width, own.height)
    if (!made || !shot || !camera) return
    const seen = scaleToWidth(camera, FILM_WIDTH)
    Object.assign(own, { width: seen.width, height: seen.height })
    const inputs = inputsNow(useShot.getState())
    const world = matteWorld(shot.document, frame, (n) => cameraNow(useShot.getState(), n), inputs)
    const open = { opening: frame, closing: frame }
    const width = shot.document.plate.width
    const drawn = drawMatteOf(shot.document, chosen, seen, width, { frame, open, world, inputs }, (of) =>
      carried.get(of),
    )
    const image = context.createImageData(seen.width, seen.height)
    drawn?.image.data.forEach((share, n) => image.data.set([255, 255, 255, FILM * share], 4 * n))
    context.putImageData(image, 0, 0)
  }, [made, shot, camera, frame, chosen, carried])
  return (
    <canvas
      ref={canvas}
      data-film={made ? 'yes' : 'no'}
      style={{ position: 'absolute', inset: 0, width: '100%', height: '100%', pointerEvents: 'none' }}
    />
  )
}

/** What the chosen matte covers, and the brush that paints it on surfaces. */
export function PaintOverlay({ frame, passive }: { frame: number; passive?: boolean }) {
  const state = useShot()
  const { shot, chosen, tool, brush, edit, set } = state
  const [hand, setHand] = useState<PaintState>(NO_PAINT)
  const camera = cameraNow(state, frame)
  if (!shot || !camera) return null
  const { width, height } = shot.document.plate
  const unit = width / 720
  const painting = (tool === 'paint' || tool === 'paint-erase') && !passive
  const context = (straight: boolean): PaintContext => ({
    document: shot.document,
    camera,
    inputs: inputsNow(state),
    matte: chosen,
    frame,
    erase: tool === 'paint-erase',
    ...brush,
    step: 3 * unit,
    straight,
    fresh: () => crypto.randomUUID().slice(0, 6),
  })
  const lift = (): void => {
    const result = up(context(false), hand)
    setHand(result.state)
    if (result.edit) edit(result.edit)
    if (result.painted) set({ chosen: result.painted })
    else if (hand.from && hand.places.length === 0)
      set({ message: { text: 'There is no surface of the set here to paint on.', good: false } })
  }
  return (
    <>
      <MatteFilm frame={frame} />
      <PlateLayer
        name="paint"
        width={width}
        height={height}
        drawing
        passive={!painting}
        down={({ at, shift }) => setHand(down(context(shift), hand, at).state)}
        move={({ at, shift }) => setHand(move(context(shift), hand, at).state)}
        up={lift}
      >
        {hand.places.map(({ seen, radius }) => (
          <circle
            key={seen.join()}
            cx={seen[0]}
            cy={seen[1]}
            r={Math.max(unit, radius)}
            fill={tool === 'paint-erase' ? COLOURS.floor : COLOURS.text}
            fillOpacity={0.12}
          />
        ))}
      </PlateLayer>
    </>
  )
}
