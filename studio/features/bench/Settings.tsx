'use client'
import { Box, chakra, Flex } from '@chakra-ui/react'
import { type Setting, settingShows } from '@lantern/core/settings'
import { Activity } from 'lucide-react'
import { memo, useLayoutEffect, useRef, useState } from 'react'
import { NumberField } from '@/ui/NumberField.tsx'
import { FollowedValue, type Following, FollowPanel } from '../effects/Follow.tsx'
import { useShot } from '../shot/shotStore.ts'

export interface SettingsProps {
  settings: readonly Setting[]
  values: Readonly<Record<string, unknown>>
  disabled?: boolean
  /** key and its new value; final is false while it is being dragged. */
  onChange(key: string, value: unknown, final: boolean): void
  /** Where settings may follow signals: what follows now, by key, and how that is changed; null lets go. Keys are told with `prefix` before them. */
  follow?: {
    follows: Readonly<Record<string, Following>> | undefined
    prefix?: string
    onFollow(key: string, value: Partial<Following> | null): void
  }
}

const Choice = chakra('select', {
  base: {
    width: '100%',
    background: 'floor',
    borderWidth: '1px',
    borderColor: 'hair',
    paddingInline: '6px',
    paddingBlock: '2px',
    color: 'text',
  },
})
const AXES = ['right', 'up', 'near'] as const
const PARTS = ['red', 'green', 'blue'] as const
const TOUCHED: Readonly<Record<string, string>> = {
  match: 'next track or solve',
  hand: 'track’s next following',
  thing: 'thing’s next solve',
  reading: 'reading, which is taken anew',
  gas: 'gas and every picture of it',
  finer: 'finer form of what is kept, and its pictures',
  picture: 'picture',
  stack: 'stack alone, at once',
}
const ROLES = { stops: 'stops gas', holdsOut: 'holds out', receives: 'receives' } as const

function Control({
  setting,
  value,
  onChange,
}: {
  setting: Setting
  value: unknown
  onChange(value: unknown, final: boolean): void
}) {
  const { label, unit, step, minimum, maximum, span } = setting
  if (setting.type === 'number')
    return (
      <NumberField
        label={label}
        value={Number(value)}
        unit={unit}
        step={step}
        span={span}
        minimum={minimum}
        maximum={maximum}
        initial={typeof setting.initial === 'number' ? setting.initial : undefined}
        onValue={onChange}
      />
    )
  if (setting.type === 'switch')
    return (
      <input
        type="checkbox"
        aria-label={label}
        checked={value === true}
        onChange={(event) => onChange(event.target.checked, true)}
        style={{ accentColor: '#9a9a9a', justifySelf: 'end' }}
      />
    )
  if (setting.type === 'choice')
    return (
      <Choice aria-label={label} value={String(value)} onChange={(event) => onChange(event.target.value, true)}>
        {setting.choices?.map((choice) => (
          <option key={choice} value={choice}>
            {choice}
          </option>
        ))}
      </Choice>
    )
  if (setting.type === 'roles') {
    const roles = value as Record<keyof typeof ROLES, boolean>
    return (
      <Flex direction="column" gap="3px">
        {(Object.keys(ROLES) as (keyof typeof ROLES)[]).map((role) => (
          <label key={role} style={{ display: 'flex', gap: 6, alignItems: 'center' }}>
            <input
              type="checkbox"
              checked={roles[role]}
              onChange={(event) => onChange({ [role]: event.target.checked }, true)}
              style={{ accentColor: '#9a9a9a' }}
            />
            {ROLES[role]}
          </label>
        ))}
      </Flex>
    )
  }
  if (setting.type === 'item') return <ItemChoice setting={setting} value={String(value)} onChange={onChange} />
  const list = value as readonly number[]
  const names = setting.type === 'colour' ? PARTS : AXES
  return (
    <Flex gap="3px">
      {names.map((name, n) => (
        <Box key={name} flex="1" minWidth="0">
          <NumberField
            label={`${label}, ${name}`}
            value={list[n] ?? 0}
            step={step}
            minimum={setting.type === 'colour' ? 0 : undefined}
            onValue={(next, final) =>
              onChange(
                list.map((old, m) => (m === n ? next : old)),
                final,
              )
            }
          />
        </Box>
      ))}
    </Flex>
  )
}

function ItemChoice({
  setting,
  value,
  onChange,
}: {
  setting: Setting
  value: string
  onChange(value: unknown, final: boolean): void
}) {
  const items = useShot((state) => state.shot?.document.items) ?? {}
  return (
    <Choice aria-label={setting.label} value={value} onChange={(event) => onChange(event.target.value, true)}>
      {(value === '' || !items[value] || setting.none !== undefined) && (
        <option value="">{setting.none ?? 'none'}</option>
      )}
      {Object.entries(items).flatMap(([id, item]) =>
        setting.itemKinds?.includes(item.kind)
          ? [
              <option key={id} value={id}>
                {item.name}
              </option>,
            ]
          : [],
      )}
    </Choice>
  )
}

interface RowProps {
  setting: Setting
  value: unknown
  /** The key that it may follow a signal by; none where it can't. */
  followKey?: string
  following?: Following
  opened: boolean
  open(key: string): void
  change(key: string, value: unknown, final: boolean): void
  follow(key: string, value: Partial<Following> | null): void
}

/** One setting: its label, and its value or what that follows. */
const SettingRow = memo(function SettingRow(row: RowProps) {
  const { setting, value, followKey, following, opened, open, change, follow } = row
  const wide = setting.type === 'vector' || setting.type === 'colour'
  const turn = (): void => open(opened || !followKey ? '' : followKey)
  return (
    <Box>
      <Box
        position="relative"
        display="grid"
        gridTemplateColumns={wide ? '62px 1fr' : '1fr 94px'}
        gap="6px"
        alignItems="center"
        minHeight="26px"
        padding="1px 14px"
        data-hint={
          setting.hint + (setting.touches ? ` Changes the ${TOUCHED[setting.touches] ?? setting.touches}.` : '')
        }
      >
        {followKey !== undefined && (
          <button
            type="button"
            aria-label={`Let ${setting.label} follow a signal`}
            aria-expanded={opened}
            onClick={turn}
            style={{ position: 'absolute', left: 1, top: 6, padding: 1, opacity: following ? 1 : 0.32, lineHeight: 0 }}
          >
            <Activity size={11} strokeWidth={1.6} color={following ? '#7fc4bb' : '#9a9a9a'} />
          </button>
        )}
        <span>{setting.label}</span>
        {following && !wide ? (
          <FollowedValue setting={setting} following={following} open={turn} />
        ) : (
          <Control setting={setting} value={value} onChange={(next, final) => change(setting.key, next, final)} />
        )}
      </Box>
      {followKey !== undefined && opened && (
        <FollowPanel
          setting={setting}
          following={following}
          value={value}
          onFollow={(next) => follow(followKey, next)}
          close={() => open('')}
        />
      )}
    </Box>
  )
})

/** The newest of functions that a component makes anew each time, as ones that stay the same. */
function useSteady<T extends Record<string, (...args: never[]) => void>>(now: T): T {
  const latest = useRef(now)
  useLayoutEffect(() => {
    latest.current = now
  })
  const [steady] = useState(
    () =>
      Object.fromEntries(
        Object.keys(now).map((name) => [name, (...args: never[]) => latest.current[name]?.(...args)]),
      ) as T,
  )
  return steady
}

/** Settings made from their schema: group, label, value with its unit, what it does in one line. */
export function Settings({ settings, values, disabled, onChange, follow }: SettingsProps) {
  const [opened, setOpened] = useState('')
  const steady = useSteady({
    change: onChange,
    follow: (key: string, value: Partial<Following> | null) => follow?.onFollow(key, value),
  })
  const shown = settings.filter((setting) => settingShows(setting, values))
  const groups = [...new Set(shown.map(({ group }) => group))]
  return (
    <fieldset disabled={disabled} style={{ border: 0, padding: 0, margin: 0, minWidth: 0 }}>
      {groups.map((group) => (
        <Box key={group} as="section" aria-label={group}>
          <Box padding="8px 14px 2px" color="soft" fontWeight="600" fontSize="12px">
            {group}
          </Box>
          {shown
            .filter((setting) => setting.group === group)
            .map((setting) => {
              const key = `${follow?.prefix ?? ''}${setting.key}`
              const can = follow && !setting.still && (setting.type === 'number' || setting.type === 'colour')
              return (
                <SettingRow
                  key={setting.key}
                  setting={setting}
                  value={values[setting.key]}
                  followKey={can ? key : undefined}
                  following={follow?.follows?.[key]}
                  opened={opened === key}
                  open={setOpened}
                  {...steady}
                />
              )
            })}
        </Box>
      ))}
    </fieldset>
  )
}
