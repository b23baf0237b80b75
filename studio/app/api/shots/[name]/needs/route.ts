import { getShot, shotNeeds } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { frameNumber } from '@/server/body.ts'
import { store } from '@/server/store.ts'

export const dynamic = 'force-dynamic'
/** Frames that are told at once. */
const MOST_FRAMES = 32
const query = z
  .object({ from: frameNumber, to: frameNumber })
  .refine(({ from, to }) => to >= from && to - from < MOST_FRAMES, `At most ${MOST_FRAMES} frames at once.`)

/** Where mattes are needed on some frames of this shot, and how much of what is added is seen there. */
export const GET = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const { from, to } = query.parse(Object.fromEntries(new URL(request.url).searchParams))
    const opened = await store()
    return { frames: await shotNeeds(opened, await getShot(opened, (await params).name), from, to) }
  })
