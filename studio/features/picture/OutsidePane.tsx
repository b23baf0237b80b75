'use client'
import { Box, Flex } from '@chakra-ui/react'
import type { Camera } from '@lantern/core/data'
import { add, panTiltRoll, rotate, type Vec3 } from '@lantern/core/math'
import { hasPath } from '@lantern/core/pipeline'
import { useEffect, useMemo, useRef, useState } from 'react'
import { OutsideScene } from '../outside/OutsideScene.tsx'
import { cameraNow, useShot, useShotParts } from '../shot/shotStore.ts'
import { Overlay } from './Overlay.tsx'

const FOCAL = 900
interface Orbit {
  turn: number
  tilt: number
  distance: number
  focus: Vec3
}

/** The view moved along with the pointer, at the distance of what it turns about. */
function shifted(
  orbit: Orbit,
  { movementX, movementY }: { movementX: number; movementY: number },
  pane: HTMLElement | null,
): Orbit {
  const metres = (orbit.distance * 720) / FOCAL / Math.max(1, pane?.clientHeight ?? 600)
  const rotation = panTiltRoll((orbit.turn * Math.PI) / 180, (orbit.tilt * Math.PI) / 180, 0)
  return { ...orbit, focus: add(orbit.focus, rotate(rotation, [-movementX * metres, movementY * metres, 0])) }
}

/** The set seen from outside, in its bodies and lines: turned, moved along and come nearer to with the pointer. */
export function OutsidePane() {
  const { shot, cameras, frame } = useShotParts('shot', 'cameras', 'frame')
  const state = useShot()
  const [orbit, setOrbit] = useState<Orbit>({ turn: 35, tilt: -22, distance: 16, focus: [1, 1, 2] })
  const pane = useRef<HTMLDivElement>(null)
  const [shape, setShape] = useState(16 / 9)
  useEffect(() => {
    const watch = new ResizeObserver(([entry]) => {
      if (entry) setShape(entry.contentRect.width / Math.max(1, entry.contentRect.height))
    })
    if (pane.current) watch.observe(pane.current)
    return () => watch.disconnect()
  }, [])
  const here = cameraNow(state, frame)
  const path = shot && hasPath(shot.document) ? cameras.cameras : here ? [here] : []
  const view = useMemo((): Camera => {
    const rotation = panTiltRoll((orbit.turn * Math.PI) / 180, (orbit.tilt * Math.PI) / 180, 0)
    const { focus } = orbit
    const [sin, cos] = [Math.sin((orbit.turn * Math.PI) / 180), Math.cos((orbit.turn * Math.PI) / 180)]
    const flat = orbit.distance * Math.cos((orbit.tilt * Math.PI) / 180)
    return {
      position: [
        focus[0] + sin * flat,
        focus[1] - orbit.distance * Math.sin((orbit.tilt * Math.PI) / 180),
        focus[2] + cos * flat,
      ],
      rotation,
      focalPx: FOCAL,
      // As wide as the pane is, so that nothing is stretched.
      centre: [360 * shape, 360],
      k1: 0,
      k2: 0,
      width: 720 * shape,
      height: 720,
    }
  }, [orbit, shape])
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
        if (event.buttons & 4 || (event.buttons & 2 && event.shiftKey)) setOrbit(shifted(orbit, event, pane.current))
        else if (event.buttons & 2)
          setOrbit({
            ...orbit,
            turn: orbit.turn - event.movementX * 0.4,
            tilt: Math.min(20, Math.max(-89, orbit.tilt - event.movementY * 0.3)),
          })
      }}
      onContextMenu={(event) => event.preventDefault()}
    >
      <Box ref={pane} position="relative" flex="1" minHeight="0">
        <OutsideScene camera={view} here={here} />
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
        outside · right button turns, with Shift it moves along; wheel nears
      </Flex>
    </Flex>
  )
}
