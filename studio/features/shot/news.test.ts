import { makeShot } from '@lantern/core/shot'
import type { ItemStatus, Shot, ShotStatus } from '@lantern/store'
import { describe, expect, it } from 'vitest'
import { NO_MATCH, NO_READINGS } from '../../../store/testing/noMatch.ts'
import { concerns } from './news.ts'

const plate = { asset: 'mine', file: 'f', width: 8, height: 8, first: 1, last: 2, encoding: 'srgb' as const }
const document = makeShot('One', { ...plate, rate: [24, 1] })
const shot: Shot = { id: 7, name: 'One', head: 3, document, canUndo: false, canRedo: false }
const none = { state: 'missing' as const, kept: [], stale: [], error: null, secondsLeft: null }
const run: ItemStatus = { ...none, key: 'run', output: 'gas', first: 1, last: 2, doing: null, figures: [], derived: [] }
const status: ShotStatus = {
  head: 3,
  asset: { id: 'mine', file: 'f', state: 'ready', info: {}, error: null, done: 2, total: 2 },
  machines: [],
  match: { ...NO_MATCH, hands: { tie: { ...NO_MATCH.tracks, key: 'hand' } } },
  readings: NO_READINGS,
  handOffs: { 'movie-look': { key: 'movie', state: 'missing', error: null } },
  items: { fire: { ...run, derived: [{ ...run, key: 'finer', output: 'finer' }] } },
  look: { ...none, keys: { 1: 'look-1' } },
  final: { ...none, keys: { 2: 'final-2' } },
}
const asks = (event: Parameters<typeof concerns>[0], over: object = {}) =>
  concerns(event, { shot, status, saving: 0, ...over })

describe('news of the store', () => {
  it.each(['run', 'finer', 'look-1', 'final-2', 'hand', 'movie'])(
    'of the shot’s own result %s asks for its status',
    (key) => {
      expect(asks({ what: 'frame', key, frame: 1 })).toBe('status')
      expect(asks({ what: 'result', key, state: 'done' })).toBe('status')
    },
  )
  it('of other shots’ results and plates asks for nothing', () => {
    expect(asks({ what: 'frame', key: 'another', frame: 1 })).toBeUndefined()
    expect(asks({ what: 'asset', asset: 'another' })).toBeUndefined()
    expect(asks({ what: 'shot', shot: 8, head: 9 })).toBeUndefined()
    expect(asks({ what: 'shots' })).toBeUndefined()
    expect(asks({ what: 'frame', key: 'run' }, { shot: undefined })).toBeUndefined()
  })
  it('of the shot itself asks for all of it, but not of its own edits', () => {
    expect(asks({ what: 'shot', shot: 7, head: 4 })).toBe('shot')
    expect(asks({ what: 'shot', shot: 7, head: 3 })).toBeUndefined()
    expect(asks({ what: 'shot', shot: 7, head: 4 }, { saving: 1 })).toBeUndefined()
  })
  it('asks for the status while that is not known yet', () => {
    expect(asks({ what: 'result', key: 'another' }, { status: undefined })).toBe('status')
    expect(asks({ what: 'asset', asset: 'mine' })).toBe('status')
  })
})
