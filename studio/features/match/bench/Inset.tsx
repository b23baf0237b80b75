'use client'
import { Box } from '@chakra-ui/react'
import { readExr } from '@lantern/core/formats'
import { useEffect, useRef, useState } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import type { Corner } from '../exclusionMasks.ts'

/** Size on the screen, and how many screen pixels a plate pixel takes. */
const [WIDTH, HEIGHT, TIMES] = [250, 156, 8]

const codeOf = (light: number): number =>
  Math.round(255 * Math.min(1, light <= 0.0031308 ? 12.92 * Math.max(0, light) : 1.055 * light ** (1 / 2.4) - 0.055))

/** A plate frame's file as something a canvas can draw. */
async function pictureOf(answer: Response): Promise<CanvasImageSource> {
  if (answer.headers.get('content-type') === 'image/png') return createImageBitmap(await answer.blob())
  const { width, height, channels } = readExr(new Uint8Array(await answer.arrayBuffer()))
  const planes = ['R', 'G', 'B'].map((name) => channels.find((one) => one.name === name)?.data)
  const image = new ImageData(width, height)
  for (let n = 0; n < width * height; n++) {
    for (let c = 0; c < 3; c++) image.data[n * 4 + c] = codeOf(planes[c]?.[n] ?? 0)
    image.data[n * 4 + 3] = 255
  }
  return createImageBitmap(image)
}

/** The plate at full size round a place, eight times as large, with the pattern's square; dragging moves the place by parts of a pixel. */
export function Inset({
  asset,
  frame,
  place,
  pattern,
  onPlace,
}: {
  asset: string
  frame: number
  place: Corner
  pattern: number | undefined
  onPlace(place: Corner, final: boolean): void
}) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const [picture, setPicture] = useState<{ frame: number; image: CanvasImageSource }>()
  const drag = useRef<{ x: number; y: number; from: Corner; last: Corner }>(undefined)
  useEffect(() => {
    const stop = new AbortController()
    fetch(`/api/assets/${asset}/${frame}?size=full`, { signal: stop.signal })
      .then(async (answer) => answer.ok && setPicture({ frame, image: await pictureOf(answer) }))
      .catch(() => undefined)
    return () => stop.abort()
  }, [asset, frame])
  useEffect(() => {
    const context = canvas.current?.getContext('2d')
    if (!context) return
    context.fillStyle = COLOURS.floor
    context.fillRect(0, 0, WIDTH, HEIGHT)
    const [x, y] = place
    context.imageSmoothingEnabled = false
    if (picture?.frame === frame)
      context.drawImage(
        picture.image,
        x - WIDTH / 2 / TIMES,
        y - HEIGHT / 2 / TIMES,
        WIDTH / TIMES,
        HEIGHT / TIMES,
        0,
        0,
        WIDTH,
        HEIGHT,
      )
    context.strokeStyle = COLOURS.text
    context.lineWidth = 1
    context.beginPath()
    for (const s of [-1, 1]) {
      context.moveTo(WIDTH / 2 + 5 * s, HEIGHT / 2)
      context.lineTo(WIDTH / 2 + 22 * s, HEIGHT / 2)
      context.moveTo(WIDTH / 2, HEIGHT / 2 + 5 * s)
      context.lineTo(WIDTH / 2, HEIGHT / 2 + 22 * s)
    }
    context.stroke()
    if (pattern)
      context.strokeRect(
        WIDTH / 2 - pattern * TIMES,
        HEIGHT / 2 - pattern * TIMES,
        2 * pattern * TIMES,
        2 * pattern * TIMES,
      )
  }, [picture, frame, place, pattern])
  return (
    <Box marginTop="6px">
      <canvas
        ref={canvas}
        width={WIDTH}
        height={HEIGHT}
        role="img"
        aria-label="The place, eight times as large"
        data-inset={picture?.frame}
        style={{ width: '100%', display: 'block', cursor: 'move', touchAction: 'none' }}
        onPointerDown={(event) => {
          drag.current = { x: event.clientX, y: event.clientY, from: place, last: place }
          event.currentTarget.setPointerCapture(event.pointerId)
        }}
        onPointerMove={(event) => {
          const start = drag.current
          if (!start) return
          const scale = WIDTH / event.currentTarget.getBoundingClientRect().width / TIMES
          // The picture is pulled under the cross.
          start.last = [
            start.from[0] - (event.clientX - start.x) * scale,
            start.from[1] - (event.clientY - start.y) * scale,
          ]
          onPlace(start.last, false)
        }}
        onPointerUp={() => {
          const start = drag.current
          drag.current = undefined
          if (start && start.last !== start.from) onPlace(start.last, true)
        }}
      />
    </Box>
  )
}
