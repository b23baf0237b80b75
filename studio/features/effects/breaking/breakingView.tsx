'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { Camera } from '@lantern/core/data'
import { type BreakingItem, STRIKE_SETTINGS } from '@lantern/core/effects/breaking'
import { Split } from 'lucide-react'
import { useState } from 'react'
import { Press } from '@/ui/Press.tsx'
import { SchemaBench } from '../../bench/SchemaBench.tsx'
import { Keeping } from '../../items/Keeping.tsx'
import { framesRow, keptFigure } from '../../items/keptRows.ts'
import type { ItemView } from '../../items/view.ts'
import { chainPath, circlePoints } from '../../picture/lines.ts'
import { useShot, useShotParts } from '../../shot/shotStore.ts'
import type { StripRow } from '../../strip/row.ts'
import { useCutOf, useCuts } from './cuts.ts'

/** Litres, or what of them there is. */
const litres = (volume: number): string => `${Number((volume * 1000).toPrecision(2)).toLocaleString('en')} l`

/** What it is cut into, and what moves at this frame. */
function Figures({ id, item }: { id: string; item: BreakingItem }) {
  const state = useShot()
  const { status, frame, drafts, shot } = state
  const own = useCuts(({ cuts }) => cuts[id])
  // biome-ignore lint/style/noNonNullAssertion: a shot is open where its items are shown
  useCutOf(id, item, shot!.document)
  const run = status?.items[id]
  const figures = run?.figures[run.kept.indexOf(frame)]
  const draft = drafts[id]
  const value = (name: string): number => Number(figures?.[name] ?? 0)
  const cut = own?.cut
  return (
    <Box marginTop="4px">
      {own?.error && (
        <Text role="alert" color="wrong">
          {own.error.message} {own.error.remedy}
        </Text>
      )}
      {cut?.error && (
        <Text role="alert" color="wrong">
          {cut.error}
        </Text>
      )}
      {cut && cut.pieces > 0 && (
        <Text className="num" color="fact" data-pieces={cut.pieces}>
          {cut.pieces.toLocaleString('en')} pieces, {litres(cut.volumes[0])} to {litres(cut.volumes[1])}
        </Text>
      )}
      {figures && value('free') > 0 && (
        <Text className="num" color="fact" data-moving={value('moving')}>
          {value('moving')} on their way, {value('free')} let go, up to {value('fastest').toFixed(1)} m/s,{' '}
          {Math.round(value('energy')).toLocaleString('en')} J
        </Text>
      )}
      {!figures && draft?.breaking && draft.frames > 0 && (
        <Text className="num" color="soft" data-draft={draft.frames}>
          draft: {draft.frames} of {draft.of}, {draft.breaking.pieces} pieces, {(draft.milliseconds / 1000).toFixed(1)}{' '}
          s
        </Text>
      )}
    </Box>
  )
}

/** How many were drawn, and the last one taken back. */
function Drawn<T>({
  text,
  all,
  locked,
  put,
}: {
  text: string
  all: readonly T[]
  locked: boolean
  put(all: T[]): void
}) {
  if (all.length === 0) return null
  return (
    <Flex gap="6px" align="center">
      <Text className="num" color="soft">
        {text}
      </Text>
      <Press plain disabled={locked} onClick={() => put(all.slice(0, -1))}>
        Take the last back
      </Press>
    </Flex>
  )
}

/** Cuts by hand, and a brick read off the plate. */
function ByHand({ id, item }: { id: string; item: BreakingItem }) {
  const { tool, set, edit } = useShotParts('tool', 'set', 'edit')
  const change = (own: Partial<BreakingItem>): void => edit({ items: { [id]: own } })
  const press = (own: 'cut' | 'brick' | 'cut-outline' | 'keep-whole', text: string, title: string) => (
    <Press
      aria-pressed={tool === own}
      disabled={item.locked}
      title={title}
      onClick={() => set({ tool: tool === own ? 'choose' : own, message: { text: title, good: true } })}
    >
      {text}
    </Press>
  )
  return (
    <Flex padding="8px 14px" gap="6px" align="center" wrap="wrap" borderBottomWidth="1px" borderColor="hair">
      {press('cut', 'Cut by hand', 'Click two places: it is cut between them, straight away from the camera.')}
      {press(
        'cut-outline',
        'Along an outline',
        'Click its corners over what breaks; click the first one again, or press Enter, to close it.',
      )}
      {press(
        'keep-whole',
        'Keep a part whole',
        'Click the corners of what stays one piece; click the first one again, or press Enter, to close it.',
      )}
      {item.pattern === 'bricks' &&
        press(
          'brick',
          'Read off a brick',
          'Click one corner of a brick in the plate, then the opposite one past its joints.',
        )}
      <Drawn
        text={`${item.cuts.length} by hand`}
        all={item.cuts}
        locked={item.locked}
        put={(cuts) => change({ cuts })}
      />
      <Drawn
        text={`${item.outlines.length} ${item.outlines.length === 1 ? 'outline' : 'outlines'}, ${item.outlines.filter(({ whole }) => whole).length} kept whole`}
        all={item.outlines}
        locked={item.locked}
        put={(outlines) => change({ outlines })}
      />
    </Flex>
  )
}

/** The names of strikes that hit nothing, by what is kept or drafted. */
function useMissed(id: string): ReadonlySet<string> {
  const { status, drafts } = useShotParts('status', 'drafts')
  const kept = status?.items[id]?.figures.flatMap((one) => (Array.isArray(one.missed) ? (one.missed as string[]) : []))
  return new Set(kept?.length ? kept : (drafts[id]?.breaking?.missed ?? []))
}

/** Where and when it is struck. */
function Strikes({ id, item }: { id: string; item: BreakingItem }) {
  const { tool, set, edit, moveTo, frame } = useShotParts('tool', 'set', 'edit', 'moveTo', 'frame')
  const [open, setOpen] = useState('')
  const missed = useMissed(id)
  const all = Object.entries(item.strikes).sort(([, a], [, b]) => a.frame - b.frame)
  const shown = item.strikes[open] ? open : (all[0]?.[0] ?? '')
  const strike = item.strikes[shown]
  const footfalls = (): void => set({ tool: tool === 'footfalls' ? 'choose' : 'footfalls' })
  return (
    <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair" role="group" aria-label="Strikes">
      <Flex justify="space-between" align="center" gap="6px">
        <Text color="soft" fontWeight="600">
          Strikes
        </Text>
        <Flex gap="6px">
          <Press
            aria-pressed={tool === 'footfalls'}
            disabled={item.locked}
            title="Click one footstep after another; each click goes on by half a second"
            onClick={footfalls}
          >
            Steps
          </Press>
          <Press
            aria-pressed={tool === 'strike'}
            disabled={item.locked}
            title="Click the plate where it is struck at this frame"
            onClick={() => set({ tool: tool === 'strike' ? 'choose' : 'strike' })}
          >
            Add a strike
          </Press>
        </Flex>
      </Flex>
      {all.length === 0 && <Text color="soft">None yet: nothing moves. Add one, then click where it hits.</Text>}
      <Flex direction="column" marginTop="4px">
        {all.map(([key, one]) => (
          <Flex key={key} align="center" gap="8px">
            <Press plain aria-pressed={key === shown} onClick={() => setOpen(key)}>
              {key === shown ? `[ ${one.name} ]` : one.name}
            </Press>
            <Press plain className="num" title="Go to its frame" onClick={() => moveTo(one.frame)}>
              {one.by ? 'by its path' : `at ${one.frame}`}
            </Press>
            {missed.has(one.name) && (
              <Text role="alert" color="wrong">
                hits nothing
              </Text>
            )}
            <Box flex="1" />
            {!one.by && one.frame !== frame && (
              <Press
                plain
                disabled={item.locked}
                onClick={() => edit({ items: { [id]: { strikes: { [key]: { frame } } } } })}
              >
                here
              </Press>
            )}
            <Press
              plain
              aria-label={`Remove ${one.name}`}
              disabled={item.locked}
              onClick={() => edit({ items: { [id]: { strikes: { [key]: null } } } })}
            >
              ×
            </Press>
          </Flex>
        ))}
      </Flex>
      {strike && (
        <Box marginX="-14px">
          <SchemaBench
            settings={STRIKE_SETTINGS}
            values={strike}
            path={['items', id, 'strikes', shown]}
            disabled={item.locked}
          />
        </Box>
      )}
    </Box>
  )
}

/** Circles at strikes, and the way they drive. */
const strikeOutline = (camera: Camera, { strikes }: BreakingItem): string =>
  Object.values(strikes)
    .filter(({ by }) => !by)
    .map(({ at, direction, radius }) => {
      const end = at.map((v, n) => v + (direction[n] ?? 0) * radius * 1.4) as [number, number, number]
      return chainPath(camera, circlePoints(at, radius)) + chainPath(camera, [at, end])
    })
    .join('')

/** Rows of the strip: what moves, how fast, with what energy, and what is kept. */
const rows: NonNullable<ItemView<BreakingItem>['stripRows']> = ({ status, drafts, frame, chosen }, id, item) => {
  const kept = status?.items[id]
  const draft = kept?.kept.length ? undefined : drafts[id]?.breaking
  const first = drafts[id]?.first ?? 0
  const curve = (name: 'moving' | 'energy' | 'fastest', label: string, unit: string): StripRow => {
    const values = draft ? new Map(draft[name].map((value, n) => [first + n, value] as const)) : keptFigure(kept, name)
    const now = values.get(frame)
    return {
      kind: 'curve',
      name: `${item.name}, ${label}`,
      figure: now === undefined ? '' : `${Number(now.toPrecision(3)).toLocaleString('en')}${unit}`,
      values,
      top: Math.max(1e-6, ...values.values()) * 1.1,
      added: true,
    }
  }
  const all =
    chosen === id
      ? [curve('moving', 'moving', ''), curve('fastest', 'fastest', ' m/s'), curve('energy', 'energy', ' J')]
      : []
  return [...all, framesRow(item.name, kept, draft && `draft ${drafts[id]?.frames ?? 0}`)]
}

/** How things that break are shown. */
export const BREAKING_VIEW: ItemView<BreakingItem> = {
  icon: Split,
  kindName: 'breaking',
  describe: ({ pattern }) => `breaks in ${pattern}`,
  panel: ({ id, item }) => (
    <Keeping id={id}>
      <Figures id={id} item={item} />
    </Keeping>
  ),
  tools: (props) => (
    <>
      <Strikes {...props} />
      <ByHand {...props} />
    </>
  ),
  outline: strikeOutline,
  radius: ({ strikes }) => Math.max(0.2, ...Object.values(strikes).map(({ radius }) => radius)),
  stripRows: rows,
}
