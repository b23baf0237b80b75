'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { checkScore, type LayerCheck, WHOLE } from '@lantern/core/pipeline'
import { shotLayers } from '@lantern/core/shot'
import { type CheckLine, LINE_KINDS, saidOf } from '@lantern/core/sit'
import { memo } from 'react'
import { Press } from '@/ui/Press.tsx'
import { COLOURS } from '@/ui/theme.ts'
import { useShot, useShotParts } from '../shot/shotStore.ts'
import { barsOf } from './bars.ts'
import { layerOf, useChecking } from './checkStore.ts'
import { canMatch, matchLines } from './matching.ts'

/** The plate's bar with its own spread, and the layer's under it. */
function Bars({ line }: { line: CheckLine }) {
  const { plate, layer, from, to } = barsOf(line)
  const share = (value: number): string => `${(100 * value).toFixed(1)}%`
  return (
    <Box position="relative" height="12px" background="floor" aria-hidden>
      <Box
        position="absolute"
        top="0"
        bottom="0"
        left={share(from)}
        width={share(Math.max(0.004, to - from))}
        background={COLOURS.fact}
        opacity="0.22"
      />
      <Box position="absolute" top="1px" left="0" height="4px" width={share(plate)} background="#8d8d8d" />
      <Box
        position="absolute"
        top="7px"
        left="0"
        height="4px"
        width={share(layer)}
        background={line.within ? COLOURS.fact : COLOURS.wrong}
      />
    </Box>
  )
}

/** One line of the check. */
const LineRow = memo(function LineRow({ id, line, fixed }: { id: string; line: CheckLine; fixed: boolean }) {
  const { label, hint } = LINE_KINDS[line.name]
  return (
    <Box
      role="listitem"
      aria-label={`${label}: ${saidOf(line)}, ${line.within ? 'within' : 'out of'} the plate’s spread`}
      data-line={line.name}
      data-within={line.within}
      padding="3px 14px 4px"
      data-hint={`${hint}${line.note ? ` (${line.note})` : ''} Grey: the plate’s; under it the layer’s; the band is how much the plate differs from itself.`}
    >
      <Flex gap="6px" align="baseline" minHeight="20px">
        <Box flex="1" truncate>
          {label}
        </Box>
        <span className="num" style={{ color: line.within ? COLOURS.fact : COLOURS.wrong, whiteSpace: 'nowrap' }}>
          {line.within && Math.abs(line.difference) < line.spread / 4 ? 'as the plate' : saidOf(line)}
        </span>
        {!fixed && canMatch(id, line.name) && !line.within && (
          <Press
            plain
            padding="0 2px"
            aria-label={`Match ${label.toLowerCase()}`}
            onClick={() => void matchLines([id], [line.name])}
          >
            match
          </Press>
        )}
      </Flex>
      <Bars line={line} />
    </Box>
  )
})

const scoreText = (layers: readonly LayerCheck[]): string => {
  const { within, all } = checkScore({ layers: [...layers] })
  return all === 0 ? '' : `${within} of ${all}`
}

/** The area that layers are held against. */
function AreaChoice({ id }: { id?: string }) {
  const { shot, tool, set, edit } = useShotParts('shot', 'tool', 'set', 'edit')
  const { area: all, layers } = shot?.document.sit ?? {}
  const area = id === undefined ? all : layers?.[id]?.area
  return (
    <Flex
      gap="6px"
      align="center"
      padding="4px 14px"
      wrap="wrap"
      data-hint="Plate of the same stuff and light as the effect, close by it: drawn once, dragged where it is wanted, it goes with the set."
    >
      <Text color="soft" flex="1" whiteSpace="nowrap">
        {area ? 'Against the area beside' : all ? 'Against the shot’s area' : 'Against what is round it'}
      </Text>
      <Press
        aria-pressed={tool === 'sit-area'}
        onClick={() => set({ tool: tool === 'sit-area' ? 'choose' : 'sit-area' })}
      >
        {area ? 'Draw anew' : 'Draw an area'}
      </Press>
      {area && (
        <Press onClick={() => edit({ sit: id === undefined ? { area: null } : { layers: { [id]: { area: null } } } })}>
          None
        </Press>
      )}
    </Flex>
  )
}

/** Every layer with how many of its lines are within. */
const Overview = memo(function Overview({ layers }: { layers: readonly LayerCheck[] }) {
  const set = useShot((state) => state.set)
  const told = layers.filter(({ lines }) => lines.length > 0)
  return (
    <Box role="list" aria-label="Layers checked">
      {told.map((layer) => {
        const { within, all } = checkScore({ layers: [layer] })
        const out = layer.lines.filter((line) => !line.within).map(({ name }) => LINE_KINDS[name].label.toLowerCase())
        return (
          <Flex
            key={layer.id}
            role="listitem"
            gap="6px"
            padding="2px 14px"
            align="baseline"
            cursor={layer.id === 'picture' ? undefined : 'pointer'}
            _hover={{ background: layer.id === 'picture' ? undefined : 'raised' }}
            onClick={() => layer.id !== 'picture' && set({ chosen: `layer.${layer.id}` })}
          >
            <Box truncate flex="none" maxWidth="46%">
              {layer.name}
            </Box>
            <Box flex="1" truncate color="wrong" textAlign="right">
              {out.join(', ')}
            </Box>
            <span
              className="num"
              style={{ color: within === all ? COLOURS.fact : COLOURS.wrong, whiteSpace: 'nowrap' }}
            >
              {within} of {all}
            </span>
          </Flex>
        )
      })}
      {told.length === 0 && (
        <Text padding="2px 14px" color="soft">
          Nothing here is thick enough to be measured at this frame.
        </Text>
      )}
    </Box>
  )
})

/** The check of frames all over the shot, by the farm: where in it something fails. */
function WholeShot() {
  const { status, ask } = useShotParts('status', 'ask')
  const stage = status?.check
  const busy = stage?.state === 'running' || stage?.state === 'waiting'
  const kept = (status?.look.kept.length ?? 0) + (status?.final.kept.length ?? 0)
  const { within, all } = (stage?.figures ?? {}) as { within?: number; all?: number }
  return (
    <Flex
      gap="6px"
      align="center"
      padding="6px 14px 2px"
      data-hint="Up to sixteen frames whose pictures are kept, finals before first looks; the strip then shows where it fails."
    >
      <Text color="soft" flex="1" role="status" aria-label="Whole shot">
        {busy
          ? `Whole shot, ${Math.round(100 * (stage?.share ?? 0))} %`
          : stage?.state === 'failed'
            ? (stage.error?.message ?? 'Could not be checked')
            : stage?.state === 'done'
              ? `Whole shot: ${within} of ${all} within`
              : 'Whole shot: not checked as it is'}
      </Text>
      <Press disabled={busy || stage?.state === 'done' || kept === 0} onClick={() => void ask({ what: 'check' })}>
        Check
      </Press>
    </Flex>
  )
}

/** The sit check of the shown frame: of one layer, or of all. */
export function SitCheck({ id }: { id?: string }) {
  const { shot } = useShotParts('shot')
  const { check, busy, wrong } = useChecking()
  if (!shot) return null
  const layer = id === undefined ? undefined : layerOf(check, id)
  const ids = id === undefined ? [...shotLayers(shot.document).map((one) => one.id), WHOLE] : [id]
  const shown = id === undefined ? (check?.layers ?? []) : layer ? [layer] : []
  const locked = (one: string): boolean => shot.document.sit.layers[one]?.locked === true
  const free = ids.filter((one) => !locked(one))
  const off = shown.some(
    ({ id: one, lines }) => free.includes(one) && lines.some((line) => !line.within && canMatch(one, line.name)),
  )
  return (
    <Box as="section" aria-label="Sit check" borderBottomWidth="1px" borderColor="hair" paddingBottom="6px">
      <Flex padding="8px 14px 2px" gap="8px" align="center">
        <Text color="soft" fontWeight="600" flex="1">
          Sit check{' '}
          <span className="num" data-score>
            {busy ? 'measuring' : scoreText(shown)}
          </span>
        </Text>
        <Press main disabled={busy || !off} onClick={() => void matchLines(free)}>
          Match all
        </Press>
      </Flex>
      <AreaChoice id={id} />
      {wrong && (
        <Text padding="2px 14px" color="wrong" role="alert">
          {wrong}
        </Text>
      )}
      {id === undefined && check && <Overview layers={check.layers} />}
      {layer && layer.lines.length > 0 && (
        <Box role="list" aria-label="Lines">
          {layer.lines.map((line) => (
            <LineRow key={line.name} id={layer.id} line={line} fixed={locked(layer.id)} />
          ))}
        </Box>
      )}
      {layer && layer.lines.length === 0 && (
        <Text padding="2px 14px" color="soft">
          Too little of it is seen, or it is too thin, to be measured at this frame.
        </Text>
      )}
      {id === undefined && <WholeShot />}
      {!check && !busy && !wrong && (
        <Text padding="2px 14px" color="soft">
          Measured as soon as this frame has a picture and nothing plays.
        </Text>
      )}
    </Box>
  )
}
