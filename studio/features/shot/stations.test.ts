import type { Solve } from '@lantern/core/data'
import { makeItem, makeShot, type ShotDocument } from '@lantern/core/shot'
import type { ShotStatus } from '@lantern/store'
import { describe, expect, it } from 'vitest'
import { NO_MATCH, NO_READINGS, stage } from '../../../store/testing/noMatch.ts'
import { type ShownMatch, shownMatch } from '../match/matchData.ts'
import { stripRows } from '../strip/rows.ts'
import type { ShotState } from './shotStore.ts'
import { belongs, STATIONS, stationStates } from './stations.ts'

const shot = (): ShotDocument =>
  makeShot('One', { asset: 'a', file: 'f', width: 64, height: 36, first: 1, last: 4, rate: [24, 1], encoding: 'srgb' })
const kept = (frames: number[], stale: number[] = []) => ({
  state: 'done' as const,
  kept: frames,
  stale,
  error: null,
  secondsLeft: null,
})
const status = (gas: number[], look: number[], stale: number[] = []): ShotStatus => ({
  head: 1,
  asset: { id: 'a', file: 'f', state: 'ready', info: {}, error: null, done: 4, total: 4 },
  machines: [],
  match: NO_MATCH,
  readings: NO_READINGS,
  check: stage(),
  mattes: {},
  handOffs: {},
  items: {
    fire: {
      ...kept(gas),
      key: 'k',
      first: 1,
      last: 4,
      doing: null,
      output: 'gas',
      derived: [],
      figures: gas.map((n) => ({
        heatKw: n * 100,
        light: n,
        height: n,
        axialFlameLength: n,
        baseBuoyancy: n,
        flame: n,
        centre: [0, 0, 0],
        seconds: 1,
      })),
    },
  },
  look: { ...kept(look, stale), keys: {} },
  final: { ...kept([]), keys: {} },
})

describe('the line', () => {
  it('is unlit where nothing is yet', () => {
    const states = stationStates(shot(), undefined)
    expect(STATIONS.filter((name) => states[name].lantern === 'unlit')).toEqual([
      'Match',
      'Set',
      'Mattes',
      'Effects',
      'Picture',
      'Sit',
      'Hand-off',
    ])
  })
  it('glows while frames are missing, is lit when all are kept, says stale after an edit', () => {
    const document = shot()
    document.items.fire = makeItem('gas', { name: 'Fire', order: 1 })
    expect(stationStates(document, status([1, 2], [])).Effects).toEqual({ lantern: 'glowing', figure: '0 of 1' })
    expect(stationStates(document, status([1, 2, 3, 4], [1, 2])).Effects).toEqual({ lantern: 'lit', figure: '1 of 1' })
    expect(stationStates(document, status([], [1, 2])).Picture).toEqual({ lantern: 'glowing', figure: '2 fr' })
    expect(stationStates(document, status([], [], [1, 2])).Picture).toEqual({ lantern: 'glowing', figure: 'stale' })
    expect(stationStates(document, status([], [1, 2, 3, 4])).Picture.lantern).toBe('lit')
  })
  it('lets a thing stay chosen only at its own station', () => {
    const document = shot()
    document.items.fire = makeItem('gas', { name: 'Fire', order: 1 })
    document.items.wall = makeItem('box', { name: 'Wall', order: 2 })
    expect(STATIONS.filter((name) => belongs(name, 'fire', document))).toEqual(['Effects'])
    expect(STATIONS.filter((name) => belongs(name, 'wall', document))).toEqual(['Set'])
    expect(STATIONS.filter((name) => belongs(name, 'layer.smoke', document))).toEqual(['Sit'])
    expect(STATIONS.filter((name) => belongs(name, 'gone', document))).toEqual([])
  })
})

const NOTHING: ShownMatch = shownMatch(
  { shot: undefined, status: undefined, oldSolve: false },
  { tracks: {}, solves: {} },
)
const UNMOVED = { scale: 1, rotation: [0, 0, 0, 1] as const, shift: [0, 0, 0] as const }

describe('the match’s lantern', () => {
  const of = (document: ShotDocument, match: Partial<ShotStatus['match']> = {}) =>
    stationStates(document, { ...status([], []), match: { ...NO_MATCH, ...match } }).Match
  const solved = (): ShotDocument => {
    const document = shot()
    document.camera = {
      ...document.camera,
      kind: 'solved',
      solve: { key: 's', tracks: 't', medianPx: 0.123, by: { scale: 1, rotation: [0, 0, 0, 1], shift: [0, 0, 0] } },
    }
    return document
  }
  it('glows with how far it is while the plate is followed, and when it is tracked but not solved', () => {
    expect(of(shot(), { tracks: stage({ state: 'running', share: 0.416 }) })).toEqual({
      lantern: 'glowing',
      figure: '42 %',
    })
    expect(of(shot(), { tracks: stage({ state: 'done' }) })).toEqual({ lantern: 'glowing', figure: 'tracked' })
  })
  it('is lit with its error when solved, and stale when what it hangs on has changed', () => {
    expect(of(solved())).toEqual({ lantern: 'lit', figure: '0.12 px' })
    expect(of(solved(), { solve: stage({ key: 'other' }) })).toEqual({ lantern: 'glowing', figure: 'stale' })
  })
})

const NO_FILES = { readings: {}, reports: {}, solves: {}, checks: {} }
describe('the strip', () => {
  it('has tracks, error, and the chosen track’s error at the Match station only', () => {
    const document = shot()
    const camera = { position: [0, 0, 0] as const, rotation: [0, 0, 0, 1] as const }
    const solve: Solve = {
      kind: 'moving',
      width: 64,
      height: 36,
      first: 1,
      focalPx: 50,
      k1: 0,
      k2: 0,
      medianPx: 0.2,
      rmsPx: 0.3,
      framePx: [0.1, 0.2, null, 0.4],
      cameras: [camera, camera, null, camera],
      points: [{ track: 5, at: [0, 0, -4], px: 1 }],
      tracks: 1,
      parallax: 3,
      doubts: [],
    }
    const track = { id: 5, first: 0, weight: 1, places: Float64Array.of(32, 18, 33, 18, 34, 18) }
    const shown: ShownMatch = {
      ...NOTHING,
      tracksKey: 't',
      tracks: [track],
      solve,
      by: UNMOVED,
      points: new Map([[5, [0, 0, -4]]]),
    }
    const state = {
      shot: { document },
      status: status([], []),
      drafts: {},
      frame: 2,
      station: 'Match',
      chosen: 'track.5',
    } as unknown as ShotState
    expect(
      stripRows(state, shown, NO_FILES)
        .slice(0, 3)
        .map(({ name, figure }) => [name, figure]),
    ).toEqual([
      ['Tracks', '1'],
      ['Match error', '0.20 px'],
      ['Track 5', '1.00 px'],
    ])
    expect(stripRows({ ...state, station: 'Plate' }, shown, NO_FILES).map(({ name }) => name)).not.toContain(
      'Match error',
    )
  })
  it('has a curve and frames per gas, and both pictures', () => {
    const document = shot()
    document.items.fire = makeItem('gas', { name: 'Fire', order: 1 })
    const state = { shot: { document }, status: status([1, 2], [1], [3]), drafts: {}, frame: 2 } as unknown as ShotState
    const rows = stripRows(state, NOTHING, NO_FILES)
    expect(rows.map(({ name, figure }) => [name, figure])).toEqual([
      ['Fire, heat', '200 kW'],
      ['Fire', '2 of 4'],
      ['First look', '1 of 4'],
      ['Final', ''],
    ])
    expect(rows[2]).toMatchObject({ kept: new Set([1]), stale: new Set([3]) })
  })
})
