import { shotNameSchema } from '@lantern/core/shot'
import type { StoreEvent } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { eventStream } from '@/server/eventStream.ts'
import { subscribe } from '@/server/news.ts'
import { watchStatus } from '@/server/statusHub.ts'
import { store } from '@/server/store.ts'

export const dynamic = 'force-dynamic'
const wanted = z.object({ shot: shotNameSchema.optional() })

/** What a page that is told a shot's status need not hear of besides. */
const isInStatus = ({ what }: StoreEvent): boolean => what !== 'shots' && what !== 'shot'

/** Server-sent events of what happens in the store; of a named shot its status too, whole at first and then what changes. Ends when the database goes. */
export const GET = (request: Request) =>
  answer(async () => {
    const opened = await store()
    const { shot } = wanted.parse({ shot: new URL(request.url).searchParams.get('shot') ?? undefined })
    return eventStream(request, async ({ send, close }) => {
      const leave = await subscribe(opened, {
        heard: (event) => (shot === undefined || !isInStatus(event)) && send(event),
        lost: close,
      })
      if (shot === undefined) return leave
      try {
        const unwatch = await watchStatus(opened, shot, (message) => send(message, 'status'))
        return () => {
          unwatch()
          leave()
        }
      } catch (error) {
        leave()
        throw error
      }
    })
  })
