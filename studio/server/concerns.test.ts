import type { ItemStatus, ShotStatus } from '@lantern/store'
import { describe, expect, it } from 'vitest'
import { NO_MATCH, NO_READINGS, stage } from '../../store/testing/noMatch.ts'
import { concerns } from './concerns.ts'

const none = { state: 'missing' as const, kept: [], stale: [], error: null, secondsLeft: null }
const run: ItemStatus = { ...none, key: 'run', output: 'gas', first: 1, last: 2, doing: null, figures: [], derived: [] }
const status: ShotStatus = {
  head: 3,
  asset: { id: 'mine', file: 'f', state: 'ready', info: {}, error: null, done: 2, total: 2 },
  machines: [],
  match: { ...NO_MATCH, hands: { tie: { ...NO_MATCH.tracks, key: 'hand' } } },
  readings: NO_READINGS,
  check: stage(),
  mattes: { worker: { 1040: { ...NO_MATCH.tracks, key: 'stroke' } } },
  handOffs: { 'movie-look': { key: 'movie', state: 'missing', error: null } },
  items: { fire: { ...run, derived: [{ ...run, key: 'finer', output: 'finer' }] } },
  look: { ...none, keys: { 1: 'look-1' } },
  final: { ...none, keys: { 2: 'final-2' } },
}
const does = (event: Parameters<typeof concerns>[0]): boolean => concerns(event, status, 7)

describe('news of the store', () => {
  it.each(['run', 'finer', 'look-1', 'final-2', 'hand', 'stroke', 'movie'])(
    'of the shot’s own result %s changes its status',
    (key) => {
      expect(does({ what: 'frame', key, frame: 1 })).toBe(true)
      expect(does({ what: 'result', key, state: 'done' })).toBe(true)
    },
  )
  it('of other shots, their results and plates changes nothing', () => {
    expect(does({ what: 'frame', key: 'another', frame: 1 })).toBe(false)
    expect(does({ what: 'asset', asset: 'another' })).toBe(false)
    expect(does({ what: 'shot', shot: 8, head: 9 })).toBe(false)
    expect(does({ what: 'shots' })).toBe(false)
  })
  it('of the shot itself, its plate and the machines does', () => {
    expect(does({ what: 'shot', shot: 7, head: 4 })).toBe(true)
    expect(does({ what: 'asset', asset: 'mine' })).toBe(true)
    expect(does({ what: 'machine' })).toBe(true)
  })
  it('of anything does while none is known', () => {
    expect(concerns({ what: 'result', key: 'another' }, undefined, undefined)).toBe(true)
  })
})
