import { applyPatch, diffPatch, makeItem, makeShot, type ShotDocument } from '@lantern/core/shot'
import type { Shot, ShotStatus } from '@lantern/store'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { NO_MATCH, NO_READINGS, stage } from '../../../store/testing/noMatch.ts'
import { cameraNow, useShot } from './shotStore.ts'

// The open shot in the browser, against a server of a few lines that keeps revisions as the real one does.
const NAME = 'yard'
interface Server {
  revisions: ShotDocument[]
  head: number
  calls: string[]
  /** The next edit is refused as if another had come first. */
  clash?: ShotDocument
  away: boolean
}
let server: Server
const answer = (): Shot => ({
  id: 1,
  name: NAME,
  head: server.head,
  document: server.revisions[server.head - 1] as ShotDocument,
  canUndo: server.head > 1,
  canRedo: server.head < server.revisions.length,
})
const status = (): ShotStatus => ({
  head: server.head,
  asset: { id: 'a', file: 'f', state: 'ready', info: {}, error: null, done: 4, total: 4 },
  items: {},
  machines: [],
  match: NO_MATCH,
  readings: NO_READINGS,
  check: stage(),
  mattes: {},
  handOffs: {},
  look: { state: 'missing', kept: [], stale: [], error: null, secondsLeft: null, keys: {} },
  final: { state: 'missing', kept: [], stale: [], error: null, secondsLeft: null, keys: {} },
})

beforeEach(() => {
  const document = makeShot(NAME, {
    asset: 'a',
    file: 'f',
    width: 64,
    height: 36,
    first: 1001,
    last: 1010,
    rate: [24, 1],
    encoding: 'srgb',
  })
  document.items.fire = makeItem('gas', { name: 'Fire', order: 1 })
  server = { revisions: [document], head: 1, calls: [], away: false }
  const remembered = new Map<string, string>()
  vi.stubGlobal('localStorage', {
    getItem: (key: string) => remembered.get(key) ?? null,
    setItem: (key: string, value: string) => void remembered.set(key, value),
  })
  vi.stubGlobal('fetch', async (path: string, init: { method: string; body?: string }) => {
    if (server.away) throw new TypeError('no route')
    const tail = path.slice(`/api/shots/${NAME}`.length)
    server.calls.push(`${init.method} ${tail}`)
    if (tail === '/status') return Response.json(status())
    if (tail === '/cameras') return Response.json({ first: 1001, cameras: [] })
    if (tail === '/history') {
      server.head += (JSON.parse(init.body ?? '{}') as { way: string }).way === 'undo' ? -1 : 1
      return Response.json(answer())
    }
    if (init.method === 'PATCH') {
      const { base, patch } = JSON.parse(init.body ?? '{}') as { base: number; patch: unknown }
      if (server.clash) {
        server.revisions.push(server.clash)
        server.head = server.revisions.length
        server.clash = undefined
      }
      if (base !== server.head)
        return Response.json(
          { code: 'clash', message: 'The shot was changed elsewhere meanwhile.', remedy: 'Make it again.', place: {} },
          { status: 409 },
        )
      server.revisions = [...server.revisions.slice(0, server.head), applyPatch(answer().document, patch)]
      server.head++
    }
    return Response.json(answer())
  })
  useShot.setState({
    name: '',
    shot: undefined,
    status: undefined,
    message: undefined,
    away: false,
    saving: 0,
    frame: 0,
    chosen: '',
    station: 'Plate',
  })
})
afterEach(() => vi.unstubAllGlobals())

const heat = (): unknown => (useShot.getState().shot?.document.items.fire as { heat?: number } | undefined)?.heat
const settled = (): Promise<void> =>
  vi.waitUntil(() => useShot.getState().saving === 0, { timeout: 5000 }).then(() => undefined)

describe('editing', () => {
  it('shows a preview at once and keeps nothing of it', async () => {
    await useShot.getState().load(NAME)
    useShot.getState().preview({ items: { fire: { heat: 700 } } })
    expect(heat()).toBe(700)
    expect(server.calls.filter((call) => call.startsWith('PATCH'))).toEqual([])
    useShot.getState().preview({ items: { fire: { heat: -1 } } })
    expect(heat()).toBe(700)
  })
  it('shows a drag’s next value a little later, or at once where that is asked for, and the newest of it alone', async () => {
    await useShot.getState().load(NAME)
    const { preview } = useShot.getState()
    // The first takes a while to be shown, so that the next one waits.
    vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout', 'performance', 'Date'] })
    vi.advanceTimersByTime(60_000)
    const drawn: unknown[] = []
    const slow = useShot.subscribe(() => {
      drawn.push(heat())
      vi.advanceTimersByTime(40)
    })
    preview({ items: { fire: { heat: 500 } } })
    await Promise.resolve()
    preview({ items: { fire: { heat: 600 } } })
    preview({ items: { fire: { heat: 610 } } })
    expect(drawn).toEqual([500])
    await vi.advanceTimersByTimeAsync(41)
    expect(drawn).toEqual([500, 610])
    preview({ items: { fire: { heat: 620 } } }, true)
    expect(heat()).toBe(620)
    await Promise.resolve()
    preview({ items: { fire: { heat: 630 } } })
    expect(heat()).toBe(620)
    vi.useRealTimers()
    slow()
    // What waited is of a shot that is no longer looked at.
    await useShot.getState().load(NAME)
    useShot.getState().preview({ items: { fire: { name: 'Blaze' } } }, true)
    expect(heat()).toBe(400)
  })
  it('sends edits one after another, each against the revision that the one before made', async () => {
    await useShot.getState().load(NAME)
    for (const value of [500, 600, 700]) useShot.getState().edit({ items: { fire: { heat: value } } })
    expect(heat()).toBe(700)
    await settled()
    expect(heat()).toBe(700)
    expect(server.head).toBe(4)
    expect(server.revisions.map((one) => (one.items.fire as { heat: number }).heat)).toEqual([400, 500, 600, 700])
  })
  it('shows what is there now after a clash, and says so', async () => {
    await useShot.getState().load(NAME)
    server.clash = applyPatch(answer().document, { items: { fire: { heat: 111 } } })
    useShot.getState().edit({ items: { fire: { heat: 900 } } })
    await settled()
    expect(heat()).toBe(111)
    expect(useShot.getState().message).toMatchObject({
      good: false,
      text: expect.stringContaining('changed elsewhere'),
    })
    useShot.getState().edit({ items: { fire: { heat: 900 } } })
    await settled()
    expect(heat()).toBe(900)
    expect(useShot.getState().message).toBeUndefined()
  })
  it('takes away what was said before a change, never what is said of it', async () => {
    await useShot.getState().load(NAME)
    useShot.getState().set({ message: { text: 'before', good: true } })
    useShot.getState().edit({ items: { fire: { heat: 500 } } })
    useShot.getState().set({ message: { text: 'of this', good: true } })
    await settled()
    expect(useShot.getState().message?.text).toBe('of this')
    useShot.getState().edit({ items: { fire: { heat: 600 } } })
    await settled()
    expect(useShot.getState().message).toBeUndefined()
  })
  it('goes back and forward', async () => {
    await useShot.getState().load(NAME)
    useShot.getState().edit({ items: { fire: { heat: 500 } } })
    await settled()
    useShot.getState().history('undo')
    await expect.poll(heat).toBe(400)
    useShot.getState().history('undo')
    useShot.getState().history('redo')
    await expect.poll(heat).toBe(500)
    expect(diffPatch(useShot.getState().shot?.document, server.revisions[1])).toEqual({})
  })
  it('says that the server is away, and is whole again when it is back', async () => {
    await useShot.getState().load(NAME)
    server.away = true
    await useShot.getState().refreshStatus()
    expect(useShot.getState().away).toBe(true)
    server.away = false
    await useShot.getState().load(NAME)
    expect(useShot.getState().away).toBe(false)
    expect(heat()).toBe(400)
  })
})

describe('looking round', () => {
  it('stays within the plate’s frames', async () => {
    await useShot.getState().load(NAME)
    const at = (frame: number): number => (useShot.getState().moveTo(frame), useShot.getState().frame)
    expect([at(5), at(1004.4), at(9999)]).toEqual([1001, 1004, 1010])
  })
  it('comes back to the frame, station and thing it was left at', async () => {
    await useShot.getState().load(NAME)
    useShot.getState().moveTo(1007)
    useShot.getState().go('Effects')
    useShot.getState().set({ chosen: 'fire' })
    useShot.setState({ name: 'other', frame: 0, station: 'Plate', chosen: '' })
    await useShot.getState().load(NAME)
    expect(useShot.getState()).toMatchObject({ frame: 1007, station: 'Effects', chosen: 'fire' })
    useShot.getState().go('Set')
    expect(useShot.getState().chosen).toBe('')
  })
  it('has the typed camera as it is dragged, and the path’s by frame', async () => {
    await useShot.getState().load(NAME)
    expect(cameraNow(useShot.getState(), 1001)).toBeUndefined()
    useShot.getState().preview({ camera: { kind: 'typed', height: 3 } })
    expect(cameraNow(useShot.getState(), 1001)?.position).toEqual([0, 3, 0])
    const typed = cameraNow(useShot.getState(), 1001)
    if (!typed) throw new Error('a typed camera is one')
    useShot.getState().preview({ camera: { kind: 'path' } })
    useShot.setState({ cameras: { first: 1001, cameras: [typed, { ...typed, position: [1, 3, 0] }] } })
    expect([1000, 1002, 1010].map((frame) => cameraNow(useShot.getState(), frame)?.position[0])).toEqual([0, 1, 1])
  })
})
