import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { setUpLooks, tearDownLooks } from '@/testing/looks.ts'
import { useMatchFiles } from '../match/matchData.ts'
import type { ShotState } from '../shot/shotStore.ts'
import { byState } from './byState.ts'

let state: ShotState
beforeEach(() => void (state = setUpLooks()))
afterEach(tearDownLooks)

describe('what is made of the state at a frame', () => {
  const counted = () => {
    const make = vi.fn((now: ShotState, frame: number) => `${now.exposure} at ${frame}`)
    return { make, get: byState(make) }
  }
  it('is made once a frame for as long as nothing that decides it changes', () => {
    const { make, get } = counted()
    for (const frame of [5, 6, 5, 6]) expect(get({ ...state }, frame)).toBe(`0 at ${frame}`)
    // What is only shown decides nothing.
    get({ ...state, chosen: 'fire', wipe: 0.2, saving: 1, flame: 3 }, 5)
    expect(make).toHaveBeenCalledTimes(2)
  })
  it.each<[string, Partial<ShotState>]>([
    ['the shot', { shot: undefined }],
    ['what is kept of it', { status: undefined }],
    ['the exposure', { exposure: 1 }],
    ['one light alone', { alone: 'plateLight' }],
    ['one layer alone', { soloLayer: 'crate' }],
    ['a region', { region: { x: 0, y: 0, width: 1, height: 1 } }],
    ['the station', { station: 'Match' }],
    ['drafts', { drafts: {} }],
    ['cameras', { cameras: { first: 1, cameras: [] } }],
  ])('is made anew with %s', (_, change) => {
    const { make, get } = counted()
    get(state, 5)
    get({ ...state, ...change }, 5)
    expect(make).toHaveBeenCalledTimes(2)
    get(state, 5)
    expect(make).toHaveBeenCalledTimes(3)
  })
  it('is made anew when a file has come', () => {
    const { make, get } = counted()
    get(state, 5)
    useMatchFiles.setState((old) => ({ solves: { ...old.solves } }))
    get(state, 5)
    expect(make).toHaveBeenCalledTimes(2)
  })
  it('may be nothing, which is not asked for again', () => {
    const make = vi.fn(() => undefined)
    const get = byState(make)
    get(state, 5)
    expect(get(state, 5)).toBeUndefined()
    expect(make).toHaveBeenCalledTimes(1)
  })
})
