import { LanternError } from '../base/index.ts'
import { type ShotDocument, shotSchema } from './schema.ts'

const isObject = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

/** RFC 7396: members of the patch replace, null removes, objects merge. Neither argument is changed. */
export function mergePatch(target: unknown, patch: unknown): unknown {
  if (!isObject(patch)) return patch
  const result: Record<string, unknown> = isObject(target) ? { ...target } : {}
  for (const [key, value] of Object.entries(patch)) {
    if (key === '__proto__' || key === 'constructor') continue
    if (value === null) delete result[key]
    else result[key] = mergePatch(result[key], value)
  }
  return result
}

/** The patch that turns `from` into `to`: undo is a patch like any other. */
export function diffPatch(from: unknown, to: unknown): Record<string, unknown> {
  const patch: Record<string, unknown> = {}
  if (!isObject(from) || !isObject(to)) return patch
  for (const key of new Set([...Object.keys(from), ...Object.keys(to)])) {
    const a = from[key]
    const b = to[key]
    if (b === undefined) {
      if (a !== undefined) patch[key] = null
    } else if (isObject(a) && isObject(b)) {
      const inner = diffPatch(a, b)
      if (Object.keys(inner).length > 0) patch[key] = inner
    } else if (JSON.stringify(a) !== JSON.stringify(b)) patch[key] = b
  }
  return patch
}

/**
 * The document, checked. Throws LanternError 'document' that names the field and what is wrong with it.
 */
export function parseShot(value: unknown): ShotDocument {
  const parsed = shotSchema.safeParse(value)
  if (parsed.success) return parsed.data
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
