'use client'
import { Box, chakra, Flex, Text } from '@chakra-ui/react'
import { type Following, followed, type Setting, signalValue } from '@lantern/core/settings'
import type { ShotDocument } from '@lantern/core/shot'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { usePlateFiles } from '../plate/plateFiles.ts'
import { useShot, useShotParts } from '../shot/shotStore.ts'
import { inputsNow, meanOfReading } from '../shot/world.ts'
import { newSignal, signalOfReading } from './signals.ts'

export const Choice = chakra('select', {
  base: {
    width: '100%',
    minWidth: '0',
    background: 'floor',
    borderWidth: '1px',
    borderColor: 'hair',
    paddingInline: '6px',
    paddingBlock: '2px',
    color: 'text',
  },
})

export type { Following }

const clockOf = ({ plate }: ShotDocument) => ({ first: plate.first, rate: plate.rate[0] / plate.rate[1] })

/** A signal's values over the plate as a small curve, in the box of 100 by 20. */
export function curveOf(values: readonly (number | undefined)[]): string {
  const known = values.filter((v): v is number => v !== undefined)
  const [low, high] = [Math.min(...known), Math.max(...known)]
  let path = ''
  values.forEach((v, n) => {
    if (v === undefined) return
    path += `${path === '' || values[n - 1] === undefined ? 'M' : 'L'}${((100 * n) / Math.max(1, values.length - 1)).toFixed(1)} ${(18 - (16 * (v - low)) / (high - low || 1)).toFixed(1)}`
  })
  return path
}

/** What a signal gives over the plate. */
export function useSignalCurve(id: string): string {
  const state = useShot()
  const document = state.shot?.document
  const signal = document?.signals[id]
  if (!document || !signal) return ''
  const { first, last } = document.plate
  const inputs = inputsNow(state)
  const steps = Math.min(100, last - first)
  return curveOf(
    Array.from({ length: steps + 1 }, (_, n) =>
      signalValue(signal, first + ((last - first) * n) / Math.max(1, steps), clockOf(document), inputs),
    ),
  )
}

/** A setting that follows: its signal's curve and its value now, in place of the number. */
export function FollowedValue({ setting, following, open }: { setting: Setting; following: Following; open(): void }) {
  const state = useShot()
  const document = state.shot?.document
  const path = useSignalCurve(following.signal)
  const value = document && followed(following, document.signals, state.frame, clockOf(document), inputsNow(state))
  return (
    <button
      type="button"
      aria-label={`${setting.label} follows ${document?.signals[following.signal]?.name ?? 'a signal that is gone'}`}
      onClick={open}
      style={{
        position: 'relative',
        width: '100%',
        height: 22,
        background: '#1b1b1b',
        border: '1px solid #313131',
        overflow: 'hidden',
      }}
    >
      <svg
        viewBox="0 0 100 20"
        preserveAspectRatio="none"
        aria-hidden
        style={{ position: 'absolute', inset: 0, width: '100%', height: '100%' }}
      >
        <path d={path} fill="none" stroke="#7fc4bb" strokeWidth="1" vectorEffect="non-scaling-stroke" opacity="0.7" />
      </svg>
      <span className="num" style={{ position: 'absolute', right: 6, top: 3 }}>
        {value === undefined ? 'no value yet' : `${Number(value.toPrecision(4))} ${setting.unit ?? ''}`}
      </span>
    </button>
  )
}

/** The panel under a setting that says which signal it follows, and how. */
export function FollowPanel({
  setting,
  following,
  value,
  onFollow,
  close,
}: {
  setting: Setting
  following: Following | undefined
  value: unknown
  onFollow(value: Partial<Following> | null): void
  close(): void
}) {
  const { shot, frame, edit } = useShotParts('shot', 'frame', 'edit')
  usePlateFiles()
  if (!shot) return null
  const { signals } = shot.document
  const choose = (id: string): void => {
    if (id === '') return onFollow(null)
    if (id === 'new') {
      const made = newSignal(shot.document, `${setting.label}`, frame)
      edit({ signals: { [made.id]: made.signal } })
      return onFollow({ signal: made.id, gain: setting.span ? setting.span[1] / 2 : 1 })
    }
    if (id.startsWith('reading:')) {
      const reading = id.slice(8)
      const { signal, made } = signalOfReading(shot.document, reading)
      const now = typeof value === 'number' ? value / (meanOfReading(useShot.getState(), reading) ?? 1) : 1
      edit(made)
      return onFollow({ signal, gain: now, ...(setting.type === 'colour' ? { takes: 'colour' as const } : {}) })
    }
    onFollow({ signal: id })
  }
  const read = new Set(
    Object.values(signals).flatMap(({ source }) => (source.kind === 'reading' ? [source.reading] : [])),
  )
  const number = (key: 'gain' | 'offset' | 'smoothing' | 'delay', label: string, unit: string, step: number) => (
    <Box key={key} display="grid" gridTemplateColumns="58px 1fr" gap="5px" alignItems="center">
      <span>{label}</span>
      <NumberField
        label={`${setting.label}, ${label.toLowerCase()}`}
        value={following?.[key] ?? 0}
        unit={unit}
        step={step}
        initial={key === 'gain' ? 1 : 0}
        onValue={(value, final) => final && onFollow({ [key]: value })}
      />
    </Box>
  )
  return (
    <Box
      role="group"
      aria-label={`${setting.label} follows`}
      background="#1f1f1f"
      borderWidth="1px"
      borderColor="hair"
      margin="1px 14px 4px"
      padding="5px 6px"
      display="grid"
      gap="3px"
    >
      <Flex gap="5px">
        <Choice
          aria-label={`Signal for ${setting.label}`}
          value={following?.signal ?? ''}
          onChange={(event) => choose(event.target.value)}
        >
          <option value="">its own value</option>
          {Object.entries(signals).map(([id, { name }]) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
          {Object.entries(shot.document.readings).map(
            ([id, { name }]) =>
              !read.has(id) && (
                <option key={id} value={`reading:${id}`} disabled={meanOfReading(useShot.getState(), id) === undefined}>
                  {name}
                </option>
              ),
          )}
          <option value="new">a new signal</option>
        </Choice>
        <Press onClick={close}>Done</Press>
      </Flex>
      {following && setting.touches === 'gas' && signals[following.signal]?.source.kind === 'figure' && (
        <Text color="wrong" fontSize="12px">
          A gas is settled before any of them burns, so it cannot follow a gas’s figure: its own value stays.
        </Text>
      )}
      {following && (
        <Box display="grid" gridTemplateColumns="1fr 1fr" gap="3px 8px">
          {number('gain', 'Times', setting.unit ?? '', 0.01)}
          {number('offset', 'Plus', setting.unit ?? '', 0.01)}
          {number('smoothing', 'Smooth', 'fr', 1)}
          {number('delay', 'Later', 'fr', 1)}
        </Box>
      )}
      {following && setting.type === 'colour' && signals[following.signal]?.source.kind === 'reading' && (
        <Box display="grid" gridTemplateColumns="58px 1fr" gap="5px" alignItems="center">
          <span>Takes</span>
          <Choice
            aria-label={`${setting.label}, takes`}
            value={following.takes ?? 'level'}
            onChange={(event) => onFollow({ takes: event.target.value as 'level' | 'colour' })}
          >
            <option value="level">how bright it is</option>
            <option value="colour">its colour alone</option>
          </Choice>
        </Box>
      )}
    </Box>
  )
}
