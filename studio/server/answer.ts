import { LanternError } from '@lantern/core/base'
import { isDatabaseAway } from '@lantern/store'
import { z } from 'zod'
import { databaseAway } from './store.ts'

const STATUS: Record<string, number> = {
  'no-shot': 404,
  'no-asset': 404,
  'plate-frame': 404,
  'no-result': 404,
  clash: 409,
  database: 503,
  'shot-name': 409,
}
/** Whether the database refused what it was given: out of range, or letters that it can't hold. */
const isDataRefused = (error: unknown): boolean =>
  error instanceof Error && 'code' in error && typeof error.code === 'string' && /^22...$/.test(error.code)

/** Runs a route's work; what a person can mend becomes a JSON error with its code, message, remedy and place. */
export async function answer(work: () => Promise<unknown>): Promise<Response> {
  try {
    const value = await work()
    return value instanceof Response ? value : Response.json(value ?? {})
  } catch (error) {
    const known =
      error instanceof LanternError
        ? error
        : error instanceof z.ZodError
          ? new LanternError(
              'request',
              `${error.issues[0]?.path.join('.') || 'request'}: ${error.issues[0]?.message ?? 'wrong'}`,
              'Correct that and send it again.',
              { field: error.issues[0]?.path.join('.') },
            )
          : error instanceof SyntaxError
            ? new LanternError('request', 'The request is not JSON.', 'Send a JSON object.')
            : isDatabaseAway(error)
              ? databaseAway()
              : isDataRefused(error)
                ? new LanternError(
                    'request',
                    'The request holds a number or a letter that can’t be kept.',
                    'Correct that and send it again.',
                  )
                : undefined
    if (!known) {
      console.error(error)
      return Response.json(
        {
          code: 'fault',
          message: 'Something went wrong on the server.',
          remedy: 'Try again; if it stays, look at the server’s log.',
          place: {},
        },
        { status: 500 },
      )
    }
    return Response.json(known.toJSON(), { status: STATUS[known.code] ?? 400 })
  }
}
