import { answer } from '@/server/answer.ts'
import { subscribe } from '@/server/news.ts'
import { store } from '@/server/store.ts'

export const dynamic = 'force-dynamic'
const KEEP_ALIVE_MS = 15_000

/** Server-sent events of what happens in the store. Ends when the database goes; the browser comes back by itself. */
export const GET = (request: Request) =>
  answer(async () => {
    const opened = await store()
    const text = new TextEncoder()
    let stop: (() => void) | undefined
    let beat: ReturnType<typeof setInterval> | undefined
    const body = new ReadableStream<Uint8Array>({
      async start(controller) {
        let closed = false
        const close = (): void => {
          if (closed) return
          closed = true
          clearInterval(beat)
          stop?.()
          try {
            controller.close()
          } catch {
            // The reader went first.
          }
        }
        const send = (line: string): void => {
          try {
            controller.enqueue(text.encode(line))
          } catch {
            close()
          }
        }
        request.signal.addEventListener('abort', close)
        try {
          stop = await subscribe(opened, { heard: (event) => send(`data: ${JSON.stringify(event)}\n\n`), lost: close })
        } catch {
          close()
          return
        }
        send('retry: 1000\n\n')
        beat = setInterval(() => send(': here\n\n'), KEEP_ALIVE_MS)
      },
      cancel() {
        clearInterval(beat)
        stop?.()
      },
    })
    return new Response(body, {
      headers: {
        'content-type': 'text/event-stream',
        'cache-control': 'no-store, no-transform',
        'x-accel-buffering': 'no',
      },
    })
  })
