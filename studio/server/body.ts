import { LanternError } from '@lantern/core/base'
import { z } from 'zod'

/** A frame's number, as the store holds one. */
export const frameNumber = z.coerce
  .number()
  .int()
  .min(-(2 ** 31))
  .max(2 ** 31 - 1)

const MIB = 2 ** 20
/** What a request of JSON may have, bytes. */
const MOST_JSON = 16 * MIB
/** How deep a request's objects may lie in one another. */
const MOST_DEPTH = 64

/** A body's bytes, refused by the announced length and, where more come than that, while they come. Throws LanternError 'file-size', 'upload'. */
export async function bytesOf(request: Request, most: number, file: string): Promise<Uint8Array<ArrayBuffer>> {
  const tooLong = (): LanternError =>
    new LanternError(
      'file-size',
      `${file} is larger than ${Math.round(most / MIB)} MiB.`,
      'Leave out of it what is not needed.',
      { file },
    )
  const announced = Number(request.headers.get('content-length') ?? Number.NaN)
  if (announced > most) throw tooLong()
  const parts: Uint8Array[] = []
  let size = 0
  if (request.body)
    for await (const part of request.body as unknown as AsyncIterable<Uint8Array>) {
      size += part.length
      if (size > most) throw tooLong()
      parts.push(part)
    }
  if (announced > 0 && size !== announced)
    throw new LanternError('upload', `${file} arrived short: ${size} of ${announced} bytes.`, 'Send it again.', {
      file,
    })
  const bytes = new Uint8Array(size)
  let at = 0
  for (const part of parts) {
    bytes.set(part, at)
    at += part.length
  }
  return bytes
}

/** Whether a value's objects and lists lie deeper in one another than is sensible. */
function liesTooDeep(value: unknown): boolean {
  let level: unknown[] = [value]
  for (let depth = 0; level.length > 0; depth++) {
    if (depth > MOST_DEPTH) return true
    level = level.flatMap((one) => (one && typeof one === 'object' ? Object.values(one) : []))
  }
  return false
}

/** A request's JSON. Throws LanternError 'request' where it is none, or nested beyond sense; 'file-size'. */
export async function jsonOf(request: Request, most = MOST_JSON): Promise<unknown> {
  const text = new TextDecoder().decode(await bytesOf(request, most, 'The request'))
  let value: unknown
  try {
    value = JSON.parse(text)
  } catch {
    throw new LanternError('request', 'The request is not JSON.', 'Send a JSON object.', { field: 'request' })
  }
  if (liesTooDeep(value))
    throw new LanternError('request', 'The request is nested too deeply.', `Send at most ${MOST_DEPTH} levels.`, {
      field: 'request',
    })
  return value
}
