'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { type Signal, signalValue } from '@lantern/core/settings'
import { effectOf, kindInfo, type ShotDocument, type ShotItem } from '@lantern/core/shot'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { useShot } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'
import { Choice, useSignalCurve } from './Follow.tsx'
import { followers, removal } from './signals.ts'

type Source = Signal['source']
const KINDS: readonly [Source['kind'], string][] = [
  ['keys', 'keys on a curve'],
  ['flicker', 'flicker'],
  ['reading', 'a reading of the plate'],
  ['figure', 'a figure of an effect'],
  ['camera', 'the camera’s speed'],
]
type Items = ShotDocument['items']
/** The items that have figures of their kept frames. */
const withFigures = (items: Items): [string, ShotItem][] =>
  Object.entries(items).filter(([, item]) => kindInfo(item).baked && (effectOf(item)?.figures.length ?? 0) > 0)

/** The first figure of the first item that has any. */
function firstFigure(items: Items): { item: string; figure: string } {
  const [first] = withFigures(items)
  return { item: first?.[0] ?? 'none', figure: effectOf(first?.[1])?.figures[0]?.name ?? 'heat' }
}

/** A signal: where its values come from, its keys, and what follows it. */
export function SignalBench({ id }: { id: string }) {
  const state = useShot()
  const { shot, frame, edit, preview, set, moveTo } = state
  const path = useSignalCurve(id)
  const document = shot?.document
  const signal = document?.signals[id]
  if (!document || !signal) return null
  const { plate, readings, items } = document
  const clock = { first: plate.first, rate: plate.rate[0] / plate.rate[1] }
  const now = signalValue(signal, frame, clock, inputsNow(state))
  const { source } = signal
  // A source of another kind has other fields: those of the old one go.
  const become = (kind: Source['kind']): void => {
    const gone = Object.fromEntries(Object.keys(source).map((key) => [key, null]))
    const made: Source =
      kind === 'keys'
        ? { kind, curve: 'smooth', keys: [{ frame, value: now ?? 1 }] }
        : kind === 'flicker'
          ? { kind, seed: 1, low: 0.7, high: 1.3, pace: 6 }
          : kind === 'reading'
            ? { kind, reading: Object.keys(readings)[0] ?? 'none' }
            : kind === 'figure'
              ? { kind, ...firstFigure(items) }
              : { kind }
    edit({ signals: { [id]: { source: { ...gone, ...made } } } })
  }
  const field = (label: string, child: React.ReactNode) => (
    <Box key={label} display="grid" gridTemplateColumns="62px 1fr" gap="6px" alignItems="center" minHeight="26px">
      <span>{label}</span>
      {child}
    </Box>
  )
  const number = (key: 'low' | 'high' | 'pace' | 'seed', label: string, unit: string, step: number) =>
    source.kind === 'flicker' &&
    field(
      label,
      <NumberField
        label={label}
        value={source[key]}
        unit={unit}
        step={step}
        minimum={key === 'pace' ? 0.01 : key === 'seed' ? 0 : undefined}
        onValue={(value, final) =>
          (final ? edit : preview)({
            signals: { [id]: { source: { [key]: key === 'seed' ? Math.round(value) : value } } },
          })
        }
      />,
    )
  const keys = source.kind === 'keys' ? source.keys : []
  const putKey = (value: number, final = true): void =>
    (final ? edit : preview)({
      signals: {
        [id]: {
          source: {
            keys: [...keys.filter((key) => key.frame !== frame), { frame, value }].sort((a, b) => a.frame - b.frame),
          },
        },
      },
    })
  const here = keys.find((key) => key.frame === frame)
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
        {field(
          'Name',
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
          />,
        )}
        {field(
          'Comes from',
          <Choice
            aria-label="Comes from"
            value={source.kind}
            onChange={(event) => become(event.target.value as Source['kind'])}
          >
            {KINDS.map(([kind, name]) => (
              <option key={kind} value={kind}>
                {name}
              </option>
            ))}
          </Choice>,
        )}
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
        {number('low', 'Least', '', 0.05)}
        {number('high', 'Most', '', 0.05)}
        {number('pace', 'Pace', 'Hz', 0.1)}
        {number('seed', 'Seed', '', 1)}
        {source.kind === 'reading' &&
          field(
            'Reading',
            <Choice
              aria-label="Reading"
              value={source.reading}
              onChange={(event) => edit({ signals: { [id]: { source: { reading: event.target.value } } } })}
            >
              {!readings[source.reading] && <option value={source.reading}>none</option>}
              {Object.entries(readings).map(([one, { name }]) => (
                <option key={one} value={one}>
                  {name}
                </option>
              ))}
            </Choice>,
          )}
        {source.kind === 'figure' &&
          field(
            'Effect',
            <Choice
              aria-label="Effect"
              value={source.item}
              onChange={(event) => edit({ signals: { [id]: { source: { item: event.target.value } } } })}
            >
              {!items[source.item] && <option value={source.item}>none</option>}
              {withFigures(items).map(([one, { name }]) => (
                <option key={one} value={one}>
                  {name}
                </option>
              ))}
            </Choice>,
          )}
        {source.kind === 'figure' &&
          field(
            'Figure',
            <Choice
              aria-label="Figure"
              value={source.figure}
              onChange={(event) => edit({ signals: { [id]: { source: { figure: event.target.value } } } })}
            >
              {(effectOf(items[source.item])?.figures ?? []).map(({ name, label }) => (
                <option key={name} value={name}>
                  {label}
                </option>
              ))}
            </Choice>,
          )}
        {source.kind === 'keys' &&
          field(
            'Here',
            <Flex gap="4px">
              <Box flex="1">
                <NumberField label="Value here" value={here?.value ?? now ?? 0} step={0.01} onValue={putKey} />
              </Box>
              <Press disabled={here !== undefined} onClick={() => putKey(now ?? 0)}>
                Key
              </Press>
            </Flex>,
          )}
        {source.kind === 'keys' &&
          field(
            'Between',
            <Choice
              aria-label="Between keys"
              value={source.curve}
              onChange={(event) => edit({ signals: { [id]: { source: { curve: event.target.value } } } })}
            >
              {['smooth', 'straight', 'hold'].map((one) => (
                <option key={one}>{one}</option>
              ))}
            </Choice>,
          )}
        {source.kind === 'keys' && (
          <Box
            as="ul"
            aria-label="Keys"
            className="num"
            listStyleType="none"
            maxHeight="150px"
            overflowY="auto"
            borderWidth="1px"
            borderColor="hair"
          >
            {keys.map((key) => (
              <Flex
                as="li"
                key={key.frame}
                justify="space-between"
                align="center"
                padding="1px 6px"
                background={key.frame === frame ? 'raised' : undefined}
              >
                <button type="button" aria-label={`To frame ${key.frame}`} onClick={() => moveTo(key.frame)}>
                  {key.frame}
                </button>
                <span>{Number(key.value.toPrecision(5))}</span>
                <Press
                  plain
                  disabled={keys.length === 1}
                  aria-label={`Remove key ${key.frame}`}
                  onClick={() => edit({ signals: { [id]: { source: { keys: keys.filter((one) => one !== key) } } } })}
                >
                  ×
                </Press>
              </Flex>
            ))}
          </Box>
        )}
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
