'use client'
import { Box, Flex } from '@chakra-ui/react'
import { pickSurface } from '@lantern/core/pipeline'
import { type ShotDocument, shotLayers } from '@lantern/core/shot'
import { useEffect, useReducer, useRef, useState } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import { MatchOverlay } from '../match/MatchOverlay.tsx'
import { HelpedOverlay } from '../mattes/HelpedOverlay.tsx'
import { MatteOverlay } from '../mattes/MatteOverlay.tsx'
import { PaintOverlay } from '../mattes/PaintOverlay.tsx'
import { ReadingOverlay } from '../plate/ReadingOverlay.tsx'
import { cameraNow, useShot, useShotParts } from '../shot/shotStore.ts'
import { AreaOverlay } from '../sit/AreaOverlay.tsx'
import { PictureDisplay, type Shown } from './display.ts'
import type { Looks } from './looks.ts'
import { Overlay } from './Overlay.tsx'
import { sourceOf } from './passSource.ts'

const FROM = {
  final: 'final',
  look: 'first look',
  runs: 'kept frames, rendered here',
  draft: 'draft, burning here',
  plate: 'plate alone',
} as const
const MID_GREY = 0.18

/** Layers by their names. */
const namesOf = (document: ShotDocument, ids: string): string =>
  ids
    .split(' ')
    .map((id) => shotLayers(document).find(({ of }) => of === id)?.name ?? id)
    .join(', ')

/** What is under the pointer, or where the frame comes from. */
function PictureFoot({
  frame,
  label,
  read,
  laid,
}: {
  frame: number
  label?: string
  read?: { x: number; y: number; rgb?: [number, number, number] }
  laid: boolean
}) {
  const state = useShot()
  const { shot } = state
  const plate = shot?.document.plate
  const camera = cameraNow(state, frame)
  const under =
    read && camera && shot
      ? pickSurface(shot.document, camera, read.x * camera.width, read.y * camera.height, frame)
      : undefined
  const bright = read?.rgb ? 0.2126 * read.rgb[0] + 0.7152 * read.rgb[1] + 0.0722 * read.rgb[2] : 0
  return (
    <Flex
      className="num"
      gap="18px"
      height="28px"
      align="center"
      paddingX="12px"
      background="panel"
      borderTopWidth="1px"
      borderColor="hair"
      color="soft"
      whiteSpace="nowrap"
      overflow="hidden"
    >
      {state.alone && (
        <span style={{ color: COLOURS.lamp }}>{shot?.document.items[state.alone]?.name ?? 'Plate light'} alone</span>
      )}
      {label && (
        <span>
          {label} {frame}
        </span>
      )}
      {read?.rgb ? (
        <>
          <span style={{ color: '#9a9a9a' }}>
            {Math.floor(read.x * (plate?.width ?? 1))}, {Math.floor(read.y * (plate?.height ?? 1))}
          </span>
          <span style={{ color: '#ececec' }}>{read.rgb.map((v) => v.toFixed(3)).join(' ')}</span>
          <span>
            {bright > 1e-5
              ? `${Math.log2(bright / MID_GREY) >= 0 ? '+' : ''}${Math.log2(bright / MID_GREY).toFixed(1)} stops`
              : 'black'}
          </span>
          {under && (
            <span>
              {under.distance.toFixed(2)} m, {under.item ? shot?.document.items[under.item]?.name : 'level ground'}
            </span>
          )}
        </>
      ) : (
        !label && (
          <span data-source>
            {laid ? '' : `laying ${frame} · `}
            {FROM[sourceOf(state, frame).from]}
            {!camera && shot ? ' · no camera yet' : ''}
            {state.spoiled && shot && (
              <span style={{ color: COLOURS.wrong }}>
                {' '}
                · {namesOf(shot.document, state.spoiled)} left out: not all of it is numbers. Make this picture again.
              </span>
            )}
          </span>
        )
      )}
    </Flex>
  )
}

/** The line of the wipe, moved by hand or by the arrow keys. */
function WipeHandle({ shareAt }: { shareAt: (event: React.PointerEvent) => number }) {
  const { wipe, set } = useShotParts('wipe', 'set')
  return (
    <Box
      position="absolute"
      top="0"
      bottom="0"
      width="10px"
      marginLeft="-5px"
      left={`${wipe * 100}%`}
      cursor="ew-resize"
      role="slider"
      aria-label="Wipe"
      aria-valuenow={Math.round(wipe * 100)}
      tabIndex={0}
      onKeyDown={(event) => {
        if (event.key === 'ArrowLeft' || event.key === 'ArrowRight') {
          event.stopPropagation()
          set({ wipe: Math.min(1, Math.max(0, wipe + (event.key === 'ArrowLeft' ? -0.02 : 0.02))) })
        }
      }}
      onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={(event) => {
        if (event.buttons & 1) set({ wipe: Math.min(1, Math.max(0, shareAt(event))) })
      }}
    />
  )
}

/** Makes a component anew whenever a picture was laid. */
function useLaid(looks: Looks): void {
  const [, again] = useReducer((count: number) => count + 1, 0)
  useEffect(() => looks.listen(again), [looks])
}

/** One picture of a frame, fitted into its place, with its overlay. */
export function Pane({
  looks,
  frame,
  overlay,
  label,
}: {
  looks: Looks
  frame: number
  overlay: boolean
  label?: string
}) {
  const state = useShot()
  const { shot, compare, wipe, playing, set } = state
  const canvas = useRef<HTMLCanvasElement>(null)
  const place = useRef<HTMLDivElement>(null)
  const display = useRef<PictureDisplay>(undefined)
  const shown = useRef<Shown>(undefined)
  const seen = useRef(looks.newest)
  const [size, setSize] = useState<[number, number]>([0, 0])
  const [zoom, setZoom] = useState({ scale: 1, x: 0, y: 0 })
  const [read, setRead] = useState<{ x: number; y: number; rgb?: [number, number, number] }>()
  const plate = shot?.document.plate
  const aspect = plate ? plate.width / plate.height : 16 / 9
  const camera = cameraNow(state, frame)

  useEffect(() => {
    if (!canvas.current || !place.current) return
    const made = new PictureDisplay(canvas.current)
    display.current = made
    const watch = new ResizeObserver(([entry]) => {
      if (!entry) return
      const { width, height } = entry.contentRect
      const fit = Math.min(width, height * aspect)
      setSize([Math.max(16, Math.floor(fit)), Math.max(9, Math.floor(fit / aspect))])
    })
    watch.observe(place.current)
    return () => {
      watch.disconnect()
      made.end()
    }
  }, [aspect])

  useLaid(looks)
  const now = looks.want(state, frame)
  // What burns moves on while its pictures are laid: the newest of this frame is shown, though it isn't the present state's.
  const { newest } = looks
  if (now) shown.current = now
  else if (newest?.frame === frame && newest !== seen.current) shown.current = newest.shown
  seen.current = newest
  useEffect(() => {
    if (!display.current || size[0] === 0) return
    if (shown.current) display.current.show(shown.current)
    display.current.draw(size[0], size[1], compare, wipe, zoom.scale > 2)
  })

  const pointer = (event: React.PointerEvent): [number, number] => {
    const box = canvas.current?.getBoundingClientRect()
    return box ? [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height] : [0, 0]
  }
  return (
    <Flex direction="column" flex="1" minWidth="0" minHeight="0">
      <Box
        ref={place}
        position="relative"
        flex="1"
        minHeight="0"
        overflow="hidden"
        display="grid"
        placeItems="center"
        onWheel={(event) => {
          const scale = Math.min(16, Math.max(1, zoom.scale * (event.deltaY < 0 ? 1.2 : 1 / 1.2)))
          setZoom(scale === 1 ? { scale: 1, x: 0, y: 0 } : { ...zoom, scale })
        }}
        onPointerMove={(event) => {
          if (event.buttons & 4) return setZoom({ ...zoom, x: zoom.x + event.movementX, y: zoom.y + event.movementY })
          const [x, y] = pointer(event)
          if (compare === 'wipe' && event.buttons & 1 && Math.abs(x - wipe) < 0.1)
            set({ wipe: Math.min(1, Math.max(0, x)) })
          if (x < 0 || y < 0 || x >= 1 || y >= 1 || playing !== 0) return setRead(undefined)
          setRead({ x, y, rgb: read?.rgb })
          void looks.probe(x, y).then((rgb) => setRead((old) => old && { ...old, rgb }))
        }}
        onPointerLeave={() => setRead(undefined)}
      >
        <Box
          position="relative"
          style={{
            width: size[0],
            height: size[1],
            transform: `translate(${zoom.x}px, ${zoom.y}px) scale(${zoom.scale})`,
          }}
        >
          <canvas
            ref={canvas}
            data-picture={label ?? 'main'}
            data-laid={now ? 'yes' : 'no'}
            data-of={shown.current?.mark.slice(0, 160)}
            aria-label={`Picture of frame ${frame}`}
            role="img"
            style={{ width: '100%', height: '100%', display: 'block' }}
          />
          {overlay && camera && <Overlay camera={camera} />}
          {overlay && state.station === 'Plate' && <ReadingOverlay frame={frame} passive={label !== undefined} />}
          {overlay && state.station === 'Sit' && <AreaOverlay frame={frame} passive={label !== undefined} />}
          {overlay && state.station === 'Mattes' && <MatteOverlay frame={frame} passive={label !== undefined} />}
          {overlay && state.station === 'Mattes' && <HelpedOverlay frame={frame} passive={label !== undefined} />}
          {overlay && state.station === 'Mattes' && <PaintOverlay frame={frame} passive={label !== undefined} />}
          {overlay && state.station === 'Match' && <MatchOverlay frame={frame} passive={label !== undefined} />}
          {compare === 'wipe' && <WipeHandle shareAt={(event) => pointer(event)[0]} />}
        </Box>
      </Box>
      <PictureFoot frame={frame} label={label} read={read} laid={now !== undefined} />
    </Flex>
  )
}
