import { makeItem, makeShot } from '@lantern/core/shot'
import type { ItemStatus, Shot, ShotStatus } from '@lantern/store'
import { vi } from 'vitest'
import { pictureDigest, type ShotState, useShot } from '@/features/shot/shotStore.ts'
import type { LookReply, LookRequest } from '@/workers/protocol.ts'
import { NO_MATCH, NO_READINGS, stage } from '../../store/testing/noMatch.ts'

/** A computing worker that only notes what it is asked. */
export class NotingWorker {
  static last: NotingWorker
  readonly asked: LookRequest[] = []
  onmessage?: (message: { data: LookReply }) => void
  constructor() {
    NotingWorker.last = this
  }
  postMessage(request: LookRequest): void {
    this.asked.push(request)
  }
  terminate(): void {}
  say(reply: LookReply): void {
    this.onmessage?.({ data: reply })
  }
}

export const kept = (frames: number[], keys: Record<number, string> = {}) => ({
  state: 'done' as const,
  kept: frames,
  stale: [],
  error: null,
  secondsLeft: null,
  keys,
})
export const gas = (frames: number[]): ItemStatus => ({
  ...kept(frames),
  key: 'gas',
  first: 1,
  last: 100,
  output: 'gas',
  derived: [],
  figures: frames.map(() => ({
    light: 1,
    height: 1,
    axialFlameLength: 1,
    baseBuoyancy: 1,
    flame: 1,
    centre: [0, 0, 0],
    seconds: 1,
  })),
  doing: null,
})
export const burning = {
  key: 't',
  first: 1,
  frames: 3,
  of: 72,
  fine: 0,
  made: 3,
  cell: 0.1,
  finer: false,
  heatKw: [1, 2, 3],
  height: [1, 2, 3],
  axialFlameLength: [1, 2, 3],
  baseBuoyancy: [1, 2, 3],
  milliseconds: 5,
}
/** Fake timers and worker, and the studio's state with a shot of one fire of which nothing is kept. */
export function setUpLooks(): ShotState {
  vi.useFakeTimers()
  vi.stubGlobal('Worker', NotingWorker)
  vi.stubGlobal('localStorage', { getItem: () => null, setItem: () => undefined })
  const document = makeShot('yard', {
    asset: 'a',
    file: 'f',
    width: 64,
    height: 36,
    first: 1,
    last: 100,
    rate: [24, 1],
    encoding: 'srgb',
  })
  document.camera.kind = 'typed'
  document.items.fire = makeItem('gas', { name: 'Fire', order: 1 })
  const status: ShotStatus = {
    head: 1,
    asset: { id: 'a', file: 'f', state: 'ready', info: {}, error: null, done: 1, total: 1 },
    machines: [],
    match: NO_MATCH,
    readings: NO_READINGS,
    check: stage(),
    mattes: {},
    handOffs: {},
    items: { fire: gas([]) },
    look: kept([]),
    final: kept([]),
  }
  useShot.setState({
    shot: { id: 1, name: 'yard', head: 1, document, canUndo: false, canRedo: false } satisfies Shot,
    status,
    statusDigest: pictureDigest(document),
    drafts: {},
    playing: 0,
    loop: [1, 100],
    frame: 5,
    exposure: 0,
    message: undefined,
  })
  return useShot.getState()
}
export function tearDownLooks(): void {
  vi.useRealTimers()
  vi.unstubAllGlobals()
}

/** What the worker replies of frame 5. */
export const composed = (id: number): LookReply => ({
  what: 'composed',
  id,
  frame: 5,
  width: 2,
  height: 1,
  added: new Uint8Array(8),
  bare: new Uint8Array(8),
  milliseconds: 1,
  passing: false,
})
/** What the worker replies of a draft's frame. */
export const draftFrame = (key: string, item: string, frame: number, heatKw = frame): LookReply => ({
  what: 'draft-frame',
  key,
  item,
  frame,
  heatKw,
  height: 1,
  axialFlameLength: 1,
  baseBuoyancy: 1,
  of: 72,
  milliseconds: 3,
  cell: 0.1,
  finer: false,
})
