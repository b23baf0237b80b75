'use client'
import { Box, chakra } from '@chakra-ui/react'
import { useEffect, useRef, useState } from 'react'
import { readNumber, showNumber } from './arithmetic.ts'

export interface NumberFieldProps {
  label: string
  value: number
  unit?: string
  step?: number
  span?: readonly [number, number]
  minimum?: number
  maximum?: number
  initial?: number
  /** final is false while it is being dragged. */
  onValue(value: number, final: boolean): void
}

const Field = chakra('input', {
  base: {
    width: '100%',
    background: 'floor',
    borderWidth: '1px',
    borderColor: 'hair',
    paddingInline: '6px',
    paddingBlock: '2px',
    textAlign: 'right',
    cursor: 'ew-resize',
    color: 'text',
    _focus: { cursor: 'text', borderColor: 'soft', outline: 'none' },
    _invalid: { borderColor: 'wrong' },
  },
})

/** A number that scrubs when dragged, takes arithmetic and units when typed, steps with the arrows (Shift ten, Alt a tenth), and goes back to its default on a double click. */
export function NumberField({
  label,
  value,
  unit = '',
  step = 0.01,
  span,
  minimum = -Infinity,
  maximum = Infinity,
  initial,
  onValue,
}: NumberFieldProps) {
  const [typed, setTyped] = useState<string>()
  const drag = useRef<{ x: number; from: number; moved: boolean; last: number }>(undefined)
  const field = useRef<HTMLInputElement>(null)
  /** Escape leaves the field without taking what was typed. */
  const dropped = useRef(false)
  const held = (next: number): number => Math.min(maximum, Math.max(minimum, Number(next.toFixed(6))))
  const shown = typed ?? `${showNumber(value, step)}${unit ? ` ${unit}` : ''}`
  const wrong = typed !== undefined && readNumber(typed, unit) === undefined
  const typing = typed !== undefined
  useEffect(() => {
    if (typing) field.current?.select()
  }, [typing])
  const accept = (): void => {
    const next = typed === undefined || dropped.current ? undefined : readNumber(typed, unit)
    dropped.current = false
    setTyped(undefined)
    if (next !== undefined && held(next) !== value) onValue(held(next), true)
  }
  const share = span ? Math.min(1, Math.max(0, (value - span[0]) / (span[1] - span[0]))) : 0
  return (
    <Box position="relative" title={span ? `${span[0]} to ${span[1]} ${unit} is usual` : undefined}>
      <Field
        ref={field}
        className="num"
        aria-label={label}
        aria-invalid={wrong}
        value={shown}
        inputMode="decimal"
        spellCheck={false}
        onChange={(event) => setTyped(event.target.value)}
        onFocus={() => setTyped(showNumber(value, step))}
        onBlur={accept}
        onDoubleClick={() => {
          setTyped(undefined)
          if (initial !== undefined) onValue(initial, true)
        }}
        onKeyDown={(event) => {
          if (event.key === 'Enter') event.currentTarget.blur()
          else if (event.key === 'Escape') {
            dropped.current = true
            event.currentTarget.blur()
          } else if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
            event.preventDefault()
            const size = step * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1)
            const next = held(value + (event.key === 'ArrowUp' ? size : -size))
            setTyped(showNumber(next, step))
            onValue(next, true)
          }
          event.stopPropagation()
        }}
        onPointerDown={(event) => {
          if (document.activeElement === event.currentTarget) return
          drag.current = { x: event.clientX, from: value, moved: false, last: value }
          event.currentTarget.setPointerCapture(event.pointerId)
          event.preventDefault()
        }}
        onPointerMove={(event) => {
          const start = drag.current
          if (!start) return
          const pixels = event.clientX - start.x
          if (!start.moved && Math.abs(pixels) < 3) return
          start.moved = true
          const per = span ? (span[1] - span[0]) / 300 : step
          const next = held(
            Math.round((start.from + pixels * per * (event.shiftKey ? 4 : event.altKey ? 0.1 : 1)) / step) * step,
          )
          if (next !== start.last) onValue((start.last = next), false)
        }}
        onPointerUp={(event) => {
          const start = drag.current
          drag.current = undefined
          if (!start) return
          event.currentTarget.releasePointerCapture(event.pointerId)
          if (start.moved) onValue(start.last, true)
          else event.currentTarget.focus()
        }}
      />
      {span && (
        <Box
          position="absolute"
          left="0"
          bottom="-1px"
          height="1px"
          background="faint"
          width={`${share * 100}%`}
          pointerEvents="none"
        />
      )}
    </Box>
  )
}
