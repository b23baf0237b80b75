'use client'
import { Box, Flex } from '@chakra-ui/react'
import type { Camera } from '@lantern/core/data'
import { panTiltRoll, type Vec3 } from '@lantern/core/math'
import { bakedItems, hasPath, pickSurface } from '@lantern/core/pipeline'
import { useEffect, useMemo, useRef, useState } from 'react'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { MatchOverlay } from '../match/MatchOverlay.tsx'
import { useMatchFilesOf } from '../match/matchData.ts'
import { usePlateFilesOf } from '../plate/plateFiles.ts'
import { ReadingOverlay } from '../plate/ReadingOverlay.tsx'
import { DepthRail } from '../rail/DepthRail.tsx'
import { usePointsOf } from '../shot/points.ts'
import { type Compare, cameraNow, useShot, type View } from '../shot/shotStore.ts'
import { PictureDisplay, type Shown } from './display.ts'
import { Looks } from './looks.ts'
import { Overlay } from './Overlay.tsx'
import { sourceOf } from './passSource.ts'
import { playOn } from './playClock.ts'

const VIEWS: readonly [View, string][] = [
  ['camera', 'Camera'],
  ['outside', 'Outside'],
  ['both', 'Both'],
  ['triptych', 'Triptych'],
]
const COMPARES: readonly [Compare, string][] = [
  ['wipe', 'Wipe'],
  ['beside', 'Beside'],
  ['difference', 'Difference'],
]
const FROM = {
  final: 'final',
  look: 'first look',
  gas: 'kept gas, rendered here',
  draft: 'draft, burning here',
  plate: 'plate alone',
} as const
const MID_GREY = 0.18

function useLooks(): Looks | undefined {
  const [looks, setLooks] = useState<Looks>()
  useEffect(() => {
    const made = new Looks()
    setLooks(made)
    window.lantern = { hash: (threads) => made.hash(threads), linear: () => made.linear() }
    return () => made.end()
  }, [])
  return looks
}

/** One picture of a frame, fitted into its place, with its overlay. */
function Pane({ looks, frame, overlay, label }: { looks: Looks; frame: number; overlay: boolean; label?: string }) {
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
  const under =
    read && camera && shot
      ? pickSurface(shot.document, camera, read.x * camera.width, read.y * camera.height, frame)
      : undefined
  const bright = read?.rgb ? 0.2126 * read.rgb[0] + 0.7152 * read.rgb[1] + 0.0722 * read.rgb[2] : 0
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
          {overlay && state.station === 'Match' && <MatchOverlay frame={frame} passive={label !== undefined} />}
          {compare === 'wipe' && (
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
                if (event.buttons & 1) set({ wipe: Math.min(1, Math.max(0, pointer(event)[0])) })
              }}
            />
          )}
        </Box>
      </Box>
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
              {now ? '' : `laying ${frame} · `}
              {FROM[sourceOf(state, frame).from]}
              {!camera && shot ? ' · no camera yet' : ''}
            </span>
          )
        )}
      </Flex>
    </Flex>
  )
}

/** The set seen from outside: turn by dragging, come nearer with the wheel. */
function OutsidePane() {
  const { shot, cameras, frame } = useShot()
  const state = useShot()
  const [orbit, setOrbit] = useState({ turn: 35, tilt: -22, distance: 16 })
  const here = cameraNow(state, frame)
  const path = shot && hasPath(shot.document) ? cameras.cameras : here ? [here] : []
  const view = useMemo((): Camera => {
    const rotation = panTiltRoll((orbit.turn * Math.PI) / 180, (orbit.tilt * Math.PI) / 180, 0)
    const focus: Vec3 = [1, 1, 2]
    const [sin, cos] = [Math.sin((orbit.turn * Math.PI) / 180), Math.cos((orbit.turn * Math.PI) / 180)]
    const flat = orbit.distance * Math.cos((orbit.tilt * Math.PI) / 180)
    return {
      position: [
        focus[0] + sin * flat,
        focus[1] - orbit.distance * Math.sin((orbit.tilt * Math.PI) / 180),
        focus[2] + cos * flat,
      ],
      rotation,
      focalPx: 900,
      centre: [640, 360],
      k1: 0,
      k2: 0,
      width: 1280,
      height: 720,
    }
  }, [orbit])
  return (
    <Flex
      flex="1"
      minWidth="0"
      minHeight="0"
      direction="column"
      background="well"
      position="relative"
      onWheel={(event) =>
        setOrbit({
          ...orbit,
          distance: Math.min(120, Math.max(3, orbit.distance * (event.deltaY > 0 ? 1.12 : 1 / 1.12))),
        })
      }
      onPointerMove={(event) => {
        if (event.buttons & 4 || (event.buttons & 1 && event.altKey) || event.buttons & 2)
          setOrbit({
            ...orbit,
            turn: orbit.turn - event.movementX * 0.4,
            tilt: Math.min(-2, Math.max(-88, orbit.tilt - event.movementY * 0.3)),
          })
      }}
      onContextMenu={(event) => event.preventDefault()}
    >
      <Box position="relative" flex="1" minHeight="0">
        <Overlay camera={view} path={path} outside />
      </Box>
      <Flex
        className="num"
        height="28px"
        align="center"
        paddingX="12px"
        background="panel"
        borderTopWidth="1px"
        borderColor="hair"
        color="faint"
      >
        outside · right button turns, wheel comes nearer
      </Flex>
    </Flex>
  )
}

/** The picture: the shot through its camera, from outside, both, or three frames at once. */
export function Picture() {
  const looks = useLooks()
  const state = useShot()
  const { shot, view, compare, exposure, soft, set, frame, playing, status, station } = state

  // Drafts of gases burn in the browser for what is not kept yet.
  const document = shot?.document
  useMatchFilesOf(document, status)
  usePlateFilesOf(status?.readings)
  usePointsOf(state.name, document)
  useEffect(() => {
    if (!looks || !document || !status || document.camera.kind === 'none' || station === 'Match') return
    const now = useShot.getState()
    const { from, source } = sourceOf(now, frame)
    const held = source.kind === 'gas' ? source.keys : {}
    const unkept = from === 'draft' || from === 'plate'
    for (const [id] of bakedItems(document))
      if (!(id in held) && (status.items[id]?.state !== 'done' || unkept)) looks.startDraft(now, id)
      else looks.cancelDraft(id)
  }, [looks, document, frame, status, station])

  useEffect(() => {
    if (!looks) return
    looks.onShown = () => set({})
  }, [looks, set])
  const { loop } = state
  useEffect(() => {
    if (status && loop[1] > loop[0]) looks?.rest()
  }, [looks, status, loop])

  // Play: the clock decides the frame; frames not laid yet are waited for, so that the first round is slow and the next at rate.
  useEffect(() => {
    if (!looks || playing === 0 || !document) return
    const rate = (document.plate.rate[0] / document.plate.rate[1]) * playing
    let clock = performance.now()
    let going = true
    const tick = (time: number): void => {
      if (!going) return
      const now = useShot.getState()
      const [from, to] = now.loop
      let target = now.frame
      clock = playOn(clock, time, 1000 / Math.abs(rate), () => {
        const next = rate > 0 ? (target >= to ? from : target + 1) : target <= from ? to : target - 1
        if (!looks.want(now, next)) return false
        target = next
        return true
      })
      if (target !== now.frame) useShot.setState({ frame: target })
      requestAnimationFrame(tick)
    }
    requestAnimationFrame(tick)
    return () => {
      going = false
    }
  }, [looks, playing, document])

  if (!shot || !document) return null
  const empty = document.camera.kind === 'none'
  return (
    <Flex as="section" aria-label="Picture" direction="column" minWidth="0" minHeight="0" background="well">
      <Flex
        gap="10px"
        align="center"
        height="32px"
        paddingX="12px"
        background="panel"
        borderBottomWidth="1px"
        borderColor="hair"
        flex="none"
      >
        {VIEWS.map(([key, name]) => (
          <Press key={key} plain aria-pressed={view === key} onClick={() => set({ view: key })}>
            {view === key ? (
              <>
                <span style={{ color: '#9a9a9a' }}>[ </span>
                {name}
                <span style={{ color: '#9a9a9a' }}> ]</span>
              </>
            ) : (
              name
            )}
          </Press>
        ))}
        <Box flex="1" />
        {COMPARES.map(([key, name]) => (
          <Press
            key={key}
            plain
            aria-pressed={compare === key}
            onClick={() => set({ compare: compare === key ? 'none' : key })}
          >
            {compare === key ? (
              <>
                <span style={{ color: '#9a9a9a' }}>[ </span>
                {name}
                <span style={{ color: '#9a9a9a' }}> ]</span>
              </>
            ) : (
              name
            )}
          </Press>
        ))}
        <Box width="78px">
          <NumberField
            label="View exposure"
            value={exposure}
            unit="EV"
            step={0.1}
            span={[-6, 6]}
            initial={0}
            onValue={(value) => set({ exposure: value })}
          />
        </Box>
        <Press
          plain
          aria-pressed={soft}
          title="A soft shoulder keeps hot colours apart; plain clips them."
          onClick={() => set({ soft: !soft })}
        >
          {soft ? 'Soft' : 'Plain'}
        </Press>
      </Flex>
      <Flex flex="1" minHeight="0">
        {view !== 'outside' && view !== 'triptych' && <DepthRail />}
        {looks && view === 'triptych' ? (
          <Flex flex="1" minWidth="0" gap="2px">
            {(
              [
                ['first', document.plate.first],
                ['now', frame],
                ['last', document.plate.last],
              ] as const
            ).map(([label, at]) => (
              <Pane key={label} looks={looks} frame={at} label={label} overlay />
            ))}
          </Flex>
        ) : (
          <>
            {looks && view !== 'outside' && (
              <Pane looks={looks} frame={frame} overlay={compare === 'none' || state.tool !== 'choose'} />
            )}
            {view !== 'camera' && <OutsidePane />}
          </>
        )}
      </Flex>
      {empty && state.station !== 'Plate' && state.station !== 'Match' && (
        <Flex role="status" gap="10px" align="center" padding="6px 12px" background="raised" color="soft">
          This shot has no camera yet, so nothing can stand in it.{' '}
          <Press onClick={() => state.go('Match')}>Give it a camera</Press>
        </Flex>
      )}
    </Flex>
  )
}
