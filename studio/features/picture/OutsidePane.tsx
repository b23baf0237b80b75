'use client'
import { Box, Flex } from '@chakra-ui/react'
import type { Camera } from '@lantern/core/data'
import { panTiltRoll, type Vec3 } from '@lantern/core/math'
import { hasPath } from '@lantern/core/pipeline'
import { useMemo, useState } from 'react'
import { cameraNow, useShot } from '../shot/shotStore.ts'
import { Overlay } from './Overlay.tsx'

/** The set seen from outside: turn by dragging, come nearer with the wheel. */
export function OutsidePane() {
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
