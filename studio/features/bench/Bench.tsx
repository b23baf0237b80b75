'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { SETTINGS, type Setting, type ShotItem } from '@lantern/core/shot'
import { type SyntheticEvent, useEffect, useRef, useState } from 'react'
import { Press } from '@/ui/Press.tsx'
import { call, shotPath } from '../api.ts'
import type { Following } from '../effects/Follow.tsx'
import { clock, GasKeeping } from '../effects/GasKeeping.tsx'
import { Motion } from '../effects/Motion.tsx'
import { SignalBench } from '../effects/SignalBench.tsx'
import { SpeedForSize } from '../effects/SpeedForSize.tsx'
import { type ShotState, useShot } from '../shot/shotStore.ts'
import type { Station } from '../shot/stations.ts'
import { MatchBench } from '../match/MatchBench.tsx'
import { PlateBench } from '../plate/PlateBench.tsx'
import { handOffs } from './handOff.ts'
import { Settings } from './Settings.tsx'

const COMING: Partial<Record<string, string>> = {
  Mattes: 'Drawn, keyed and painted mattes will be made here.',
}
/** Where things that are no items have their bench. */
const CHOSEN_AT: Readonly<Record<string, Station>> = { camera: 'Match', plateLight: 'Light', layer: 'Sit' }
const Head = ({ title, kind }: { title: string; kind: string }) => (
  <Flex
    justify="space-between"
    align="baseline"
    padding="10px 14px 8px"
    borderBottomWidth="1px"
    borderColor="hair"
    gap="8px"
  >
    <Text as="h2" fontWeight="650" fontSize="14px" truncate>
      {title}
    </Text>
    <Text color="faint" whiteSpace="nowrap">
      {kind}
    </Text>
  </Flex>
)

/** Nests a change under a path: ['sit', 'fire'] and {amount: 1}. */
const under = (path: readonly string[], value: unknown): Record<string, unknown> => {
  const [head, ...rest] = path
  return head === undefined
    ? (value as Record<string, unknown>)
    : { [head]: rest.length === 0 ? value : under(rest, value) }
}

/** follows: where what follows is kept in the document, and a prefix of its keys there. */
function SchemaBench({
  settings,
  values,
  path,
  disabled,
  follows,
}: {
  settings: readonly Setting[]
  values: object
  path: readonly string[]
  disabled?: boolean
  follows?: { at: readonly string[]; now: Readonly<Record<string, Following>> | undefined; prefix?: string }
}) {
  const { edit, preview } = useShot()
  return (
    <Settings
      settings={settings}
      values={values as Record<string, unknown>}
      disabled={disabled}
      onChange={(key, value, final) => (final ? edit : preview)(under(path, { [key]: value }))}
      follow={
        follows && {
          follows: follows.now,
          prefix: follows.prefix,
          onFollow: (key, value) => edit(under([...follows.at, 'follows'], { [key]: value })),
        }
      }
    />
  )
}

const KIND_NAMES: Readonly<Record<ShotItem['kind'], string>> = {
  ground: 'ground',
  box: 'box',
  gas: 'gas',
  source: 'source',
  force: 'force',
  reuse: 'shown again',
}

/** What is drawn or taken in for a source, by its shape. */
function SourceTools({ id, item }: { id: string; item: ShotItem & { kind: 'gas' | 'source' } }) {
  const { shot, frame, set, edit, tool, say, moveTo } = useShot()
  const file = useRef<HTMLInputElement>(null)
  if (!shot) return null
  const take = async (chosen: File): Promise<void> => {
    try {
      const { points } = await call<{ points: object }>(
        `${shotPath(shot.name)}/points?file=${encodeURIComponent(chosen.name.slice(0, 200))}`,
        { method: 'POST', body: chosen },
      )
      edit({ items: { [id]: { points } } })
    } catch (error) {
      say(error)
    }
  }
  const draws = item.shape === 'area' || (item.shape === 'piece' && item.pattern === 'painted')
  if (item.shape !== 'line' && item.shape !== 'points' && !draws) return null
  return (
    <Flex padding="6px 14px 0" gap="6px" wrap="wrap" align="center">
      {item.shape === 'line' && (
        <Press aria-pressed={tool === 'line'} onClick={() => set({ tool: tool === 'line' ? 'choose' : 'line' })}>
          {item.line ? 'Draw the line anew' : 'Draw the line'}
        </Press>
      )}
      {draws && (
        <Press aria-pressed={tool === 'area'} onClick={() => set({ tool: tool === 'area' ? 'choose' : 'area' })}>
          {item.drawn?.frame === frame ? 'Draw one more' : item.drawn ? 'Draw anew here' : 'Draw on the plate'}
        </Press>
      )}
      {draws && item.drawn && <Press onClick={() => edit({ items: { [id]: { drawn: null } } })}>Clear</Press>}
      {draws && item.drawn && item.drawn.frame !== frame && (
        <Press plain onClick={() => item.drawn && moveTo(item.drawn.frame)}>
          drawn on {item.drawn.frame}
        </Press>
      )}
      {item.shape === 'points' && <Press onClick={() => file.current?.click()}>Take in points</Press>}
      {item.shape === 'points' && item.points && (
        <span className="num" style={{ color: '#9a9a9a' }}>
          {item.points.count} in {item.points.file}
        </span>
      )}
      <input
        ref={file}
        type="file"
        accept=".csv"
        hidden
        aria-label="Points file"
        onChange={(event) => {
          const [chosen] = event.target.files ?? []
          if (chosen) void take(chosen)
          event.target.value = ''
        }}
      />
    </Flex>
  )
}

const SOURCE_GROUPS = ['Source', 'Burning', 'Air', 'Run']

function ItemBench({ id, item }: { id: string; item: ShotItem }) {
  const { edit, set } = useShot()
  const settings =
    item.kind === 'gas' && item.taken
      ? SETTINGS.gas.filter(({ group }) => !SOURCE_GROUPS.includes(group))
      : SETTINGS[item.kind]
  return (
    <>
      <Head
        title={item.name}
        kind={
          item.kind === 'gas'
            ? item.taken
              ? 'gas from elsewhere'
              : `gas, from ${item.shape === 'area' ? 'an' : item.shape === 'points' ? '' : 'a'} ${item.shape}`
            : KIND_NAMES[item.kind]
        }
      />
      {item.kind === 'gas' && <GasKeeping id={id} item={item} />}
      {item.kind === 'gas' && !item.taken && <SpeedForSize id={id} item={item} />}
      <Box padding="8px 14px 0">
        <label style={{ display: 'grid', gridTemplateColumns: '62px 1fr', alignItems: 'center', gap: 6 }}>
          Name
          <input
            key={item.name}
            defaultValue={item.name}
            maxLength={80}
            disabled={item.locked}
            onKeyDown={(event) => (event.stopPropagation(), event.key === 'Enter' && event.currentTarget.blur())}
            onBlur={(event) =>
              event.target.value.trim() &&
              event.target.value !== item.name &&
              edit({ items: { [id]: { name: event.target.value.trim() } } })
            }
            style={{ background: '#1b1b1b', border: '1px solid #313131', padding: '2px 6px', minWidth: 0 }}
          />
        </label>
      </Box>
      {(item.kind === 'gas' || item.kind === 'source') && !('taken' in item && item.taken) && (
        <SourceTools id={id} item={item} />
      )}
      {item.kind === 'gas' && item.taken && (
        <SchemaBench
          settings={SETTINGS.taken}
          values={item.taken}
          path={['items', id, 'taken']}
          disabled={item.locked}
        />
      )}
      <SchemaBench
        settings={settings}
        values={item}
        path={['items', id]}
        disabled={item.locked}
        follows={item.kind === 'ground' ? undefined : { at: ['items', id], now: item.follows }}
      />
      <Motion id={id} item={item} />
      <Flex padding="8px 14px 12px" gap="6px">
        <Press
          onClick={() =>
            edit({
              items: {
                [`${item.kind}-${crypto.randomUUID().slice(0, 6)}`]: {
                  ...item,
                  name: `${item.name.slice(0, 74)} copy`,
                  order: item.order + 0.5,
                },
              },
            })
          }
        >
          Duplicate
        </Press>
        <Press disabled={item.locked} onClick={() => (edit({ items: { [id]: null } }), set({ chosen: '' }))}>
          Remove
        </Press>
      </Flex>
    </>
  )
}

function PictureBench({ state }: { state: ShotState }) {
  const { status, ask, shot } = state
  const total = shot ? shot.document.plate.last - shot.document.plate.first + 1 : 0
  return (
    <>
      <Head title="Picture" kind="passes of every frame" />
      {(['look', 'final'] as const).map((quality) => {
        const one = status?.[quality]
        const busy = one?.state === 'running'
        return (
          <Box key={quality} padding="10px 14px" borderBottomWidth="1px" borderColor="hair">
            <Flex justify="space-between" align="center">
              <Text fontWeight="600">{quality === 'look' ? 'First look, half size' : 'Final, full size'}</Text>
              {busy ? (
                <Press onClick={() => void ask({ what: 'stop-picture', quality })}>Stop</Press>
              ) : (
                <Press
                  main
                  disabled={one?.state === 'done' || shot?.document.camera.kind === 'none'}
                  onClick={() => void ask({ what: 'picture', quality })}
                >
                  {one && one.kept.length > 0 && one.state !== 'done' ? 'Go on' : 'Make'}
                </Press>
              )}
            </Flex>
            <Text className="num" color="soft" role="status">
              {one?.kept.length ?? 0} of {total}{' '}
              {busy
                ? clock(one.secondsLeft)
                : one?.state === 'stopped'
                  ? 'stopped'
                  : one?.stale.length
                    ? `${one.stale.length} stale`
                    : ''}
            </Text>
            {!busy && quality === 'look' && (
              <Press
                plain
                disabled={shot?.document.camera.kind === 'none'}
                onClick={() => void ask({ what: 'picture', quality, frames: [state.frame] })}
              >
                This frame alone
              </Press>
            )}
            {!busy && quality === 'final' && (
              <Press
                plain
                disabled={shot?.document.camera.kind === 'none'}
                onClick={() => void ask({ what: 'picture', quality, frames: [state.frame] })}
              >
                This frame alone
              </Press>
            )}
            {one?.error && (
              <Text role="alert" color="wrong">
                {one.error.message} {one.error.remedy}
              </Text>
            )}
          </Box>
        )
      })}
      <SchemaBench
        settings={SETTINGS.plateLight}
        values={shot?.document.light ?? {}}
        path={['light']}
        follows={{ at: ['light'], now: shot?.document.light.follows }}
      />
    </>
  )
}

function SitBench({ state }: { state: ShotState }) {
  const { shot, chosen, status } = state
  if (!shot) return null
  const { sit } = shot.document
  const kind = (['light', 'smoke', 'fire'] as const).find((one) => chosen === `layer.${one}`)
  const grain = status?.asset.info.grain?.[shot.document.plate.encoding]
  const level = (value: number): string =>
    grain ? (Math.sqrt((grain.floor[1] ?? 0) + (grain.slope[1] ?? 0) * value) * 100).toFixed(2) : '–'
  return (
    <>
      <Head
        title={kind ? { light: 'Fire light on the set', smoke: 'Smoke', fire: 'Fire' }[kind] : 'Sit'}
        kind={kind ? 'layer' : 'all layers'}
      />
      {kind && (
        <SchemaBench
          key={kind}
          settings={SETTINGS.layer}
          values={sit[kind]}
          path={['sit', kind]}
          follows={{ at: ['sit'], now: sit.follows, prefix: `${kind}.` }}
        />
      )}
      <SchemaBench
        settings={SETTINGS.sit.filter(({ key }) => key !== 'movieCurve')}
        values={sit}
        path={['sit']}
        follows={{ at: ['sit'], now: sit.follows }}
      />
      <Box padding="8px 14px">
        <Text color="soft" fontWeight="600">
          Plate’s grain, measured
        </Text>
        <Text className="num" color="fact">
          {level(0.02)} at 0.02 · {level(0.18)} at 0.18 · {level(0.6)} at 0.6 (in 1/100)
        </Text>
        <Text color="faint" marginTop="6px">
          Choose a layer in the roster to grade it; drag layers there to reorder them.
        </Text>
      </Box>
    </>
  )
}

function HandOffBench({ state }: { state: ShotState }) {
  const { shot, ask } = state
  const offs = handOffs(state)
  if (!shot) return null
  return (
    <>
      <Head title="Hand-off" kind="movie, OpenEXR" />
      {offs.rows.map((row) => (
        <Flex
          key={row.title}
          padding="10px 14px"
          borderBottomWidth="1px"
          borderColor="hair"
          justify="space-between"
          align="center"
          gap="8px"
        >
          <Box>
            <Text fontWeight="600">{row.title}</Text>
            <Text className="num" color={row.error ? 'wrong' : 'soft'} role="status">
              {row.text}
            </Text>
          </Box>
          {row.download ? (
            <a href={row.download} download style={{ border: '1px solid #b4b4b4', padding: '2px 7px' }}>
              Download
            </a>
          ) : (
            <Press
              main
              disabled={row.busy}
              onClick={() => void ask({ what: 'hand-off', quality: row.quality, form: row.form }).then(offs.refresh)}
            >
              Make
            </Press>
          )}
        </Flex>
      ))}
      <SchemaBench
        settings={SETTINGS.sit.filter(({ key }) => key === 'movieCurve')}
        values={shot.document.sit}
        path={['sit']}
      />
      <Text padding="10px 14px" color="faint">
        Frames that are missing are computed first. The command line writes both to folders: lantern out.
      </Text>
    </>
  )
}

/** The bench: the chosen thing's settings, or the station's own. */
export function Bench() {
  const state = useShot()
  const { shot, station, chosen } = state
  const [hint, setHint] = useState('')
  // biome-ignore lint/correctness/useExhaustiveDependencies: another bench has other hints
  useEffect(() => setHint(''), [station, chosen])
  if (!shot) return null
  const item = shot.document.items[chosen]
  const point = (event: SyntheticEvent): void => {
    const told =
      event.target instanceof Element ? event.target.closest<HTMLElement>('[data-hint]')?.dataset.hint : undefined
    if (told && told !== hint) setHint(told)
  }
  const own = (): React.ReactNode => {
    if (item) return <ItemBench key={chosen} id={chosen} item={item} />
    if (chosen.startsWith('signal.') && shot.document.signals[chosen.slice(7)])
      return <SignalBench key={chosen} id={chosen.slice(7)} />
    const at = chosen.startsWith('reading.')
      ? 'Plate'
      : (CHOSEN_AT[chosen.replace(/^layer\..*/, 'layer').replace(/^(keepout|hand|thing|proof|track)\..*/, 'camera')] ??
        station)
    if (at === 'Match') return <MatchBench />
    if (at === 'Picture') return <PictureBench state={state} />
    if (at === 'Sit') return <SitBench state={state} />
    if (at === 'Hand-off') return <HandOffBench state={state} />
    if (at === 'Light')
      return (
        <>
          <Head title="Plate light" kind="sun and sky" />
          <SchemaBench
            settings={SETTINGS.plateLight}
            values={shot.document.light}
            path={['light']}
            follows={{ at: ['light'], now: shot.document.light.follows }}
          />
        </>
      )
    if (at === 'Plate') return <PlateBench />
    return (
      <Text padding="14px" color="soft">
        {COMING[station] ??
          (station === 'Set'
            ? 'Choose a piece in the roster, or add the ground and drag walls on the plate.'
            : 'Choose an effect in the roster, press Fire and click where it burns, or add another kind.')}
      </Text>
    )
  }
  return (
    <Box
      as="section"
      aria-label="Bench"
      background="panel"
      borderLeftWidth="1px"
      borderColor="line"
      minHeight="0"
      display="grid"
      gridTemplateRows="minmax(0, 1fr) auto"
    >
      <Box overflowY="auto" minHeight="0" onPointerOver={point} onFocus={point}>
        {own()}
      </Box>
      <Box
        className="num"
        role="note"
        aria-label="What it does"
        minHeight="44px"
        padding="6px 14px"
        borderTopWidth="1px"
        borderColor="hair"
        color="soft"
      >
        {hint}
      </Box>
    </Box>
  )
}
