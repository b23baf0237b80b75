const KEEP_ALIVE_MS = 15_000

export interface EventStream {
  /** Sends one event; a named one under its name. */
  send(data: unknown, name?: string): void
  close(): void
}

/** Server-sent events. start: begins the sending, and returns how to end it; where it fails the stream closes, and the browser comes back by itself. */
export function eventStream(request: Request, start: (stream: EventStream) => Promise<() => void>): Response {
  const text = new TextEncoder()
  let end: (() => void) | undefined
  let beat: ReturnType<typeof setInterval> | undefined
  let closed = false
  const body = new ReadableStream<Uint8Array>({
    async start(controller) {
      const close = (): void => {
        if (closed) return
        closed = true
        clearInterval(beat)
        end?.()
        try {
          controller.close()
        } catch {
          // The reader went first.
        }
      }
      const write = (line: string): void => {
        if (closed) return
        try {
          controller.enqueue(text.encode(line))
        } catch {
          close()
        }
      }
      request.signal.addEventListener('abort', close)
      write('retry: 1000\n\n')
      try {
        end = await start({
          send: (data, name) => write(`${name ? `event: ${name}\n` : ''}data: ${JSON.stringify(data)}\n\n`),
          close,
        })
      } catch {
        close()
        return
      }
      // It may have been left while it began.
      if (closed) end()
      else beat = setInterval(() => write(': here\n\n'), KEEP_ALIVE_MS)
    },
    cancel() {
      closed = true
      clearInterval(beat)
      end?.()
    },
  })
  return new Response(body, {
    headers: {
      'content-type': 'text/event-stream',
      'cache-control': 'no-store, no-transform',
      'x-accel-buffering': 'no',
    },
  })
}
