'use client'
import { type MouseEvent, type PointerEvent, type ReactNode, useEffect, useRef } from 'react'

/** Reach of the pointer on the screen, px. */
const REACH = 9

/** A place under the pointer, px of the layer, with what counts as on it there and what is held down. */
export interface Press {
  at: readonly [number, number]
  reach: number
  shift: boolean
}

export interface PlateLayerProps {
  name: string
  width: number
  height: number
  /** A tool other than choosing is at hand. */
  drawing: boolean
  /** Only shows; what lies under it gets the pointer. */
  passive?: boolean
  down(press: Press): void
  /** The pointer moves while it is down; `hovers`: also while it is not. */
  move(press: Press): void
  up(press: Press): void
  hovers?: boolean
  twice?(press: Press): void
  /** Told what counts as on a place, px of the layer, whenever that changes. */
  measured?(reach: number): void
  /** A key of the tool; whether it took it. */
  keyed?(key: string, shift: boolean): boolean
  children?: ReactNode
}

/** A layer of lines over the picture, in plate pixels: it turns the pointer and the keys into steps of a tool, and holds no state of its own. */
export function PlateLayer(props: PlateLayerProps) {
  const { name, width, height, drawing, passive, hovers, down, move, up, twice, measured, keyed, children } = props
  const svg = useRef<SVGSVGElement>(null)
  const isDown = useRef(false)
  useEffect(() => {
    const wide = svg.current?.getBoundingClientRect().width
    if (wide) measured?.((REACH * width) / wide)
  })
  useEffect(() => {
    if (passive || !keyed) return
    const press = (event: KeyboardEvent): void => {
      if (event.target instanceof Element && event.target.closest('input, select, textarea')) return
      if (!keyed(event.key, event.shiftKey)) return
      event.preventDefault()
      event.stopImmediatePropagation()
    }
    window.addEventListener('keydown', press, true)
    return () => window.removeEventListener('keydown', press, true)
  })
  const pressed = ({ clientX, clientY, shiftKey }: MouseEvent | PointerEvent): Press => {
    const box = svg.current?.getBoundingClientRect()
    if (!box?.width || !box.height) return { at: [0, 0], reach: REACH, shift: shiftKey }
    return {
      at: [((clientX - box.left) / box.width) * width, ((clientY - box.top) / box.height) * height],
      reach: (REACH * width) / box.width,
      shift: shiftKey,
    }
  }
  return (
    <svg
      ref={svg}
      viewBox={`0 0 ${width} ${height}`}
      preserveAspectRatio="none"
      aria-hidden
      data-overlay={name}
      style={{
        position: 'absolute',
        inset: 0,
        width: '100%',
        height: '100%',
        cursor: drawing ? 'crosshair' : 'default',
        touchAction: 'none',
        overflow: 'hidden',
        pointerEvents: passive ? 'none' : undefined,
      }}
      onDoubleClick={(event) => twice?.(pressed(event))}
      onPointerDown={(event) => {
        if (event.button !== 0 || event.altKey) return
        isDown.current = true
        svg.current?.setPointerCapture(event.pointerId)
        down(pressed(event))
      }}
      onPointerMove={(event) => {
        if (isDown.current || hovers) move(pressed(event))
      }}
      onPointerUp={(event) => {
        if (!isDown.current) return
        isDown.current = false
        up(pressed(event))
      }}
    >
      {children}
    </svg>
  )
}
