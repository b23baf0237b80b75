'use client'
import { Box, Flex } from '@chakra-ui/react'
import type { Signal } from '@lantern/core/settings'
import { effectOf, kindInfo, type ShotDocument, type ShotItem } from '@lantern/core/shot'
import type { ReactNode } from 'react'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { useShotParts } from '../shot/shotStore.ts'
import { Choice } from './Follow.tsx'

type Source = Signal['source']
type SourceOf<Kind extends Source['kind']> = Extract<Source, { kind: Kind }>

type Items = ShotDocument['items']
/** The items that have figures of their kept frames. */
const withFigures = (items: Items): [string, ShotItem][] =>
  Object.entries(items).filter(([, item]) => kindInfo(item).baked && (effectOf(item)?.figures.length ?? 0) > 0)

/** The first figure of the first item that has any. */
export function firstFigure(items: Items): { item: string; figure: string } {
  const [first] = withFigures(items)
  return { item: first?.[0] ?? 'none', figure: effectOf(first?.[1])?.figures[0]?.name ?? 'heat' }
}

/** A line of the bench: a word and what sets it. */
export const Line = ({ label, children }: { label: string; children: ReactNode }) => (
  <Box display="grid" gridTemplateColumns="62px 1fr" gap="6px" alignItems="center" minHeight="26px">
    <span>{label}</span>
    {children}
  </Box>
)

const NUMBERS = [
  ['low', 'Least', '', 0.05, undefined],
  ['high', 'Most', '', 0.05, undefined],
  ['pace', 'Pace', 'Hz', 0.1, 0.01],
  ['seed', 'Seed', '', 1, 0],
] as const

export function FlickerFields({ id, source }: { id: string; source: SourceOf<'flicker'> }) {
  const { edit, preview } = useShotParts('edit', 'preview')
  return NUMBERS.map(([key, label, unit, step, minimum]) => (
    <Line key={key} label={label}>
      <NumberField
        label={label}
        value={source[key]}
        unit={unit}
        step={step}
        minimum={minimum}
        onValue={(value, final) =>
          (final ? edit : preview)({
            signals: { [id]: { source: { [key]: key === 'seed' ? Math.round(value) : value } } },
          })
        }
      />
    </Line>
  ))
}

export function ReadingField({ id, source }: { id: string; source: SourceOf<'reading'> }) {
  const { shot, edit } = useShotParts('shot', 'edit')
  const readings = shot?.document.readings ?? {}
  return (
    <Line label="Reading">
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
      </Choice>
    </Line>
  )
}

export function FigureFields({ id, source }: { id: string; source: SourceOf<'figure'> }) {
  const { shot, edit } = useShotParts('shot', 'edit')
  const items = shot?.document.items ?? {}
  return (
    <>
      <Line label="Effect">
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
        </Choice>
      </Line>
      <Line label="Figure">
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
        </Choice>
      </Line>
    </>
  )
}

/** Keys of a curve: the value at the shown frame, how it goes between, and the list. */
export function KeyFields({ id, source, now }: { id: string; source: SourceOf<'keys'>; now: number | undefined }) {
  const { frame, edit, preview, moveTo } = useShotParts('frame', 'edit', 'preview', 'moveTo')
  const { keys } = source
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
      <Line label="Here">
        <Flex gap="4px">
          <Box flex="1">
            <NumberField label="Value here" value={here?.value ?? now ?? 0} step={0.01} onValue={putKey} />
          </Box>
          <Press disabled={here !== undefined} onClick={() => putKey(now ?? 0)}>
            Key
          </Press>
        </Flex>
      </Line>
      <Line label="Between">
        <Choice
          aria-label="Between keys"
          value={source.curve}
          onChange={(event) => edit({ signals: { [id]: { source: { curve: event.target.value } } } })}
        >
          {['smooth', 'straight', 'hold'].map((one) => (
            <option key={one}>{one}</option>
          ))}
        </Choice>
      </Line>
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
    </>
  )
}
