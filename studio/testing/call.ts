import type { Shot } from '@lantern/store'

export type Route = (request: Request, context: { params: Promise<never> }) => Promise<Response>
export interface Answer {
  status: number
  body: { code?: string; message?: string; remedy?: string; asset?: string; bytes?: number } & Partial<Shot>
}
/** Calls a route handler as the server does. length: the content-length that is announced. */
export async function call(
  route: unknown,
  params: Record<string, string>,
  init?: { method?: string; body?: unknown; raw?: BodyInit; query?: string; length?: number },
): Promise<Answer> {
  const body = init?.raw ?? (init?.body === undefined ? undefined : JSON.stringify(init.body))
  const request = new Request(`http://127.0.0.1/x${init?.query ?? ''}`, {
    method: init?.method ?? (body === undefined ? 'GET' : 'POST'),
    ...(body === undefined ? {} : { body }),
    ...(init?.length === undefined ? {} : { headers: { 'content-length': String(init.length) } }),
  })
  const response = await (route as Route)(request, { params: Promise.resolve(params) as Promise<never> })
  return { status: response.status, body: (await response.json()) as Answer['body'] }
}
