'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { type Signal, signalValue } from '@lantern/core/settings'
import type { ShotDocument } from '@lantern/core/shot'
import { Press } from '@/ui/Press.tsx'
import { useShot } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'
import { Choice, useSignalCurve } from './Follow.tsx'
import { FigureFields, FlickerFields, firstFigure, KeyFields, Line, ReadingField } from './SignalSource.tsx'
import { followers, removal } from './signals.ts'

type Source = Signal['source']
const KINDS: readonly [Source['kind'], string][] = [
  ['keys', 'keys on a curve'],
  ['flicker', 'flicker'],
  ['reading', 'a reading of the plate'],
  ['figure', 'a figure of an effect'],
  ['camera', 'the camera’s speed'],
]

/** The edit that makes a signal one of another kind. Its source has other fields then: those of the old one go. */
function become(
  { signals, readings, items }: ShotDocument,
  id: string,
  kind: Source['kind'],
  here: { frame: number; value: number },
): Record<string, unknown> {
  const gone = Object.fromEntries(Object.keys(signals[id]?.source ?? {}).map((key) => [key, null]))
  const made: Record<Source['kind'], object> = {
    keys: { curve: 'smooth', keys: [here] },
    flicker: { seed: 1, low: 0.7, high: 1.3, pace: 6 },
    reading: { reading: Object.keys(readings)[0] ?? 'none' },
    figure: firstFigure(items),
    camera: {},
  }
  return { signals: { [id]: { source: { ...gone, kind, ...made[kind] } } } }
}

/** A signal: where its values come from, its keys, and what follows it. */
export function SignalBench({ id }: { id: string }) {
  const state = useShot()
  const { shot, frame, edit, set } = state
  const path = useSignalCurve(id)
  const document = shot?.document
  const signal = document?.signals[id]
  if (!document || !signal) return null
  const { plate } = document
  const clock = { first: plate.first, rate: plate.rate[0] / plate.rate[1] }
  const now = signalValue(signal, frame, clock, inputsNow(state))
  const { source } = signal
  return (
    <>
      <Flex
        justify="space-between"
        align="baseline"
        padding="10px 14px 8px"
        borderBottomWidth="1px"
        borderColor="hair"
        gap="8px"
      >
        <Text as="h2" fontWeight="650" fontSize="14px" truncate>
          {signal.name}
        </Text>
        <Text className="num" color="fact">
          {now === undefined ? 'no value yet' : now.toPrecision(4)}
        </Text>
      </Flex>
      <Box padding="8px 14px" display="grid" gap="3px">
        <Line label="Name">
          <input
            key={signal.name}
            aria-label="Signal’s name"
            defaultValue={signal.name}
            maxLength={80}
            onKeyDown={(event) => (event.stopPropagation(), event.key === 'Enter' && event.currentTarget.blur())}
            onBlur={(event) =>
              event.target.value.trim() &&
              event.target.value !== signal.name &&
              edit({ signals: { [id]: { name: event.target.value.trim() } } })
            }
            style={{ background: '#1b1b1b', border: '1px solid #313131', padding: '2px 6px', minWidth: 0 }}
          />
        </Line>
        <Line label="Comes from">
          <Choice
            aria-label="Comes from"
            value={source.kind}
            onChange={(event) =>
              edit(become(document, id, event.target.value as Source['kind'], { frame, value: now ?? 1 }))
            }
          >
            {KINDS.map(([kind, name]) => (
              <option key={kind} value={kind}>
                {name}
              </option>
            ))}
          </Choice>
        </Line>
        <Box background="floor" borderWidth="1px" borderColor="hair" height="46px" margin="3px 0">
          <svg viewBox="0 0 100 20" preserveAspectRatio="none" aria-hidden style={{ width: '100%', height: '100%' }}>
            <path
              data-signal-curve
              d={path}
              fill="none"
              stroke="#7fc4bb"
              strokeWidth="1.2"
              vectorEffect="non-scaling-stroke"
            />
          </svg>
        </Box>
        {source.kind === 'flicker' && <FlickerFields id={id} source={source} />}
        {source.kind === 'reading' && <ReadingField id={id} source={source} />}
        {source.kind === 'figure' && <FigureFields id={id} source={source} />}
        {source.kind === 'keys' && <KeyFields id={id} source={source} now={now} />}
      </Box>
      <Box padding="4px 14px 8px" borderTopWidth="1px" borderColor="hair">
        <Text color="soft" fontWeight="600" fontSize="12px" marginTop="4px">
          Followed by
        </Text>
        {followers(document, id).map(({ name, key }) => (
          <Text key={name + key} color="soft">
            {name}: {key}
          </Text>
        ))}
        {followers(document, id).length === 0 && (
          <Text color="faint">nothing yet: the mark before a number lets it follow</Text>
        )}
      </Box>
      <Flex padding="4px 14px 12px">
        <Press onClick={() => (edit(removal(document, id)), set({ chosen: '' }))}>Remove</Press>
      </Flex>
    </>
  )
}
