import jsonMergePatch from 'json-merge-patch'
import { LanternError } from '../base/index.ts'
import { refuseCircles } from './circles.ts'
import { type ShotDocument, shotSchema } from './schema.ts'
import { upgradeShot } from './upgrade.ts'

type Json = Record<string, unknown>
const isObject = (value: unknown): value is Json => typeof value === 'object' && value !== null && !Array.isArray(value)

/** Keys that would reach an object's prototype. */
const UNSAFE = new Set(['__proto__', 'constructor', 'prototype'])
const withoutUnsafe = (value: unknown): unknown =>
  isObject(value)
    ? Object.fromEntries(
        Object.entries(value)
          .filter(([key]) => !UNSAFE.has(key))
          .map(([key, inner]) => [key, withoutUnsafe(inner)]),
      )
    : value

/** What JSON carries of a value: nothing that is undefined. */
const asJson = (value: unknown): unknown => (value === undefined ? undefined : JSON.parse(JSON.stringify(value)))

/** RFC 7396: members of the patch replace, null removes, objects merge. Neither argument is changed; keys that would reach a prototype are left out. */
export const mergePatch = (target: unknown, patch: unknown): unknown =>
  jsonMergePatch.apply(structuredClone(target) ?? {}, withoutUnsafe(patch))

/** The patch that turns `from` into `to`: undo is a patch like any other. */
export function diffPatch(from: unknown, to: unknown): Json {
  if (!isObject(from) || !isObject(to)) return {}
  const patch: unknown = jsonMergePatch.generate(asJson(from), asJson(to))
  return isObject(patch) ? patch : {}
}

/**
 * The document, checked; one of an older form is upgraded first. Throws LanternError 'document' that names the field and what is wrong with it.
 */
export function parseShot(value: unknown): ShotDocument {
  const parsed = shotSchema.safeParse(upgradeShot(value))
  if (parsed.success) {
    refuseCircles(parsed.data.items)
    return parsed.data
  }
  const issue = parsed.error.issues[0]
  const keys = issue && 'keys' in issue && Array.isArray(issue.keys) ? issue.keys.join(', ') : ''
  const field = [...(issue?.path ?? []), ...(keys ? [keys] : [])].join('.') || 'document'
  throw new LanternError(
    'document',
    `${field}: ${issue?.message ?? 'not a shot document'}`,
    'Correct that field; nothing was changed.',
    { field },
  )
}

/** Applies a merge patch and checks the result; throws LanternError 'document'. */
export function applyPatch(document: ShotDocument, patch: unknown): ShotDocument {
  if (!isObject(patch))
    throw new LanternError(
      'document',
      'The patch is not a JSON object.',
      'Send an object of the fields to change (RFC 7396).',
      { field: 'document' },
    )
  return parseShot(mergePatch(document, patch))
}
