'use client'
import type { Setting } from '@lantern/core/settings'
import type { Following } from '../effects/Follow.tsx'
import { useShotParts } from '../shot/shotStore.ts'
import { Settings } from './Settings.tsx'

/** Nests a change under a path: ['sit', 'fire'] and {amount: 1}. */
const under = (path: readonly string[], value: unknown): Record<string, unknown> => {
  const [head, ...rest] = path
  return head === undefined
    ? (value as Record<string, unknown>)
    : { [head]: rest.length === 0 ? value : under(rest, value) }
}

/** follows: where what follows is kept in the document, and a prefix of its keys there. */
export function SchemaBench({
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
  const { edit, preview } = useShotParts('edit', 'preview')
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
