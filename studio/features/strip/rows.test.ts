import type { PlateReport, ReadingFrames } from '@lantern/core/data'
import { applyPatch, makeItem, makeShot, type ShotDocument } from '@lantern/core/shot'
import type { ShotStatus } from '@lantern/store'
import { describe, expect, it } from 'vitest'
import { NO_MATCH, NO_READINGS, stage } from '../../../store/testing/noMatch.ts'
import { handOffs } from '../bench/handOff.ts'
import { shownMatch } from '../match/matchData.ts'
import type { ShotState } from '../shot/shotStore.ts'
import { stripRows } from './rows.ts'

const NOTHING = shownMatch({ shot: undefined, status: undefined, oldSolve: false }, { tracks: {}, solves: {} })
const FILES = { readings: {}, reports: {}, solves: {}, checks: {} }
const FRAMES = [1, 2, 3, 4]
const shot = (): ShotDocument =>
  makeShot('One', { asset: 'a', file: 'f', width: 64, height: 36, first: 1, last: 4, rate: [24, 1], encoding: 'srgb' })
const kept = (frames: number[]) => ({ state: 'done' as const, kept: frames, stale: [], error: null, secondsLeft: null })
const status = (over: Partial<ShotStatus> = {}): ShotStatus => ({
  head: 1,
  asset: { id: 'a', file: 'f', state: 'ready', info: {}, error: null, done: 4, total: 4 },
  machines: [],
  match: NO_MATCH,
  readings: NO_READINGS,
  check: stage(),
  mattes: {},
  handOffs: {},
  items: {},
  look: { ...kept([]), keys: {} },
  final: { ...kept([]), keys: {} },
  ...over,
})
const gas = (frames: number[]) => ({
  ...kept(frames),
  key: 'k',
  first: 1,
  last: 4,
  doing: null,
  output: 'gas',
  derived: [],
  figures: frames.map((n) => ({
    heatKw: n * 100,
    light: 7 * n,
    height: n / 2,
    axialFlameLength: n,
    baseBuoyancy: n,
    flame: n,
    centre: [0, 0, 0],
    seconds: 1,
  })),
})
const state = (document: ShotDocument, over: Partial<ShotState> = {}): ShotState =>
  ({
    shot: { document },
    status: status(),
    drafts: {},
    frame: 2,
    station: 'Effects',
    chosen: '',
    cameras: { first: 1, cameras: [] },
    ...over,
  }) as unknown as ShotState
const names = (rows: ReturnType<typeof stripRows>): string[] => rows.map(({ name }) => name)
const row = (rows: ReturnType<typeof stripRows>, name: string) => rows.find((one) => one.name === name)

describe('the strip’s signals', () => {
  const document = shot()
  document.signals.rise = {
    name: 'Rise',
    shown: true,
    source: {
      kind: 'keys',
      curve: 'straight',
      keys: [
        { frame: 1, value: -1 },
        { frame: 4, value: 2 },
      ],
    },
  }
  document.signals.wall = { name: 'Wall', shown: true, source: { kind: 'reading', reading: 'none' } }
  document.signals.hidden = { ...document.signals.rise, name: 'Hidden', shown: false }
  it('show their value at every frame where they are set, with room for what is below nought', () => {
    const rise = row(stripRows(state(document), NOTHING, FILES), 'Rise')
    expect(rise).toMatchObject({ kind: 'curve', figure: '0', bottom: -1 })
    expect(rise?.kind === 'curve' && [...rise.values]).toEqual([
      [1, -1],
      [2, 0],
      [3, 1],
      [4, 2],
    ])
  })
  it('say so where there is no value yet', () => {
    expect(row(stripRows(state(document), NOTHING, FILES), 'Wall')?.figure).toBe('no value yet')
  })
  it('are away at other stations and when hidden, unless chosen', () => {
    expect(names(stripRows(state(document, { station: 'Set' }), NOTHING, FILES))).not.toContain('Rise')
    expect(names(stripRows(state(document), NOTHING, FILES))).not.toContain('Hidden')
    expect(names(stripRows(state(document, { station: 'Set', chosen: 'signal.hidden' }), NOTHING, FILES))).toContain(
      'Hidden',
    )
  })
})

describe('the strip’s gases', () => {
  const document = shot()
  document.items.fire = makeItem('gas', { name: 'Fire', order: 1 })
  document.items.dust = makeItem('gas', { name: 'Dust', order: 2, heat: 0, smoke: 5 })
  const both = status({
    items: { fire: gas([1, 2]), dust: { ...gas([1, 2, 3, 4]), figures: FRAMES.map(() => ({ heatKw: 0 })) } },
  })
  it('have height and light only while the fire is chosen; smoke has frames alone', () => {
    const rows = stripRows(state(document, { status: both }), NOTHING, FILES)
    expect(names(rows).slice(0, 3)).toEqual(['Fire, heat', 'Fire', 'Dust'])
    expect(row(rows, 'Dust')).toMatchObject({ kind: 'frames', figure: '4 of 4' })
    const chosen = stripRows(state(document, { status: both, chosen: 'fire' }), NOTHING, FILES)
    expect(names(chosen).slice(0, 4)).toEqual(['Fire, heat', 'Fire, height', 'Fire, light', 'Fire'])
    expect([row(chosen, 'Fire, height')?.figure, row(chosen, 'Fire, light')?.figure]).toEqual(['1.00 m', '14 cd'])
  })
  it('show the draft run’s figures until a frame is kept', () => {
    const draft = {
      fire: {
        key: 't',
        first: 1,
        frames: 3,
        of: 72,
        fine: 0,
        made: 3,
        cell: 0.1,
        finer: false,
        heatKw: [10, 20, 30],
        height: [1, 1, 2],
        axialFlameLength: [1, 1, 1],
        baseBuoyancy: [1, 1, 1],
        milliseconds: 5,
      },
    }
    const rows = stripRows(state(document, { drafts: draft }), NOTHING, FILES)
    expect([row(rows, 'Fire, heat')?.figure, row(rows, 'Fire')?.figure]).toEqual(['20 kW', 'draft 3'])
    expect(row(stripRows(state(document, { drafts: draft, status: both }), NOTHING, FILES), 'Fire, heat')?.figure).toBe(
      '200 kW',
    )
    // A draft of a part of the frames is drawn where it begins.
    const later = { fire: { ...draft.fire, first: 3 } }
    const part = row(stripRows(state(document, { drafts: later }), NOTHING, FILES), 'Fire, heat')
    expect(part?.kind === 'curve' && [...part.values]).toEqual([
      [3, 10],
      [4, 20],
      [5, 30],
    ])
  })
  it('have a row of their own for what was made finer', () => {
    const finer = status({
      items: {
        fire: { ...gas(FRAMES), derived: [{ ...gas([1, 2, 3]), output: 'finer', state: 'running', key: 'f' }] },
      },
    })
    expect(row(stripRows(state(document, { status: finer }), NOTHING, FILES), 'Fire, finer')).toMatchObject({
      figure: '3 of 4',
      running: true,
    })
  })
})

describe('what the strip has of the plate', () => {
  const one = (v: number): ReadingFrames['frames'][number] => ({
    mean: [v, 2 * v, 3 * v, 4 * v],
    peak: [9, 9, 9, 9],
    percentile: [8, 8, 8, 8],
  })
  const taken: ReadingFrames = { first: 1, frames: [one(0.1), one(0.2), null, one(0.4)] }
  const area = { kind: 'point' as const, x: 5, y: 5 }
  const document = applyPatch(shot(), {
    readings: { wall: { name: 'Wall', area, channel: 'green' }, lamp: { name: 'Lamp', area, shown: false } },
  })
  const read = status({
    readings: {
      ...NO_READINGS,
      areas: {
        wall: { reading: stage({ key: 'w', state: 'done' }), report: stage() },
        lamp: { reading: stage({ key: 'w', state: 'done' }), report: stage() },
      },
    },
  })
  const files = { ...FILES, readings: { w: taken } }
  it('are its readings once they are taken, of the channel asked for, with gaps where nothing was read', () => {
    expect(names(stripRows(state(document, { station: 'Plate', status: read }), NOTHING, FILES))).toEqual([
      'First look',
      'Final',
    ])
    const wall = row(stripRows(state(document, { station: 'Plate', status: read }), NOTHING, files), 'Wall')
    expect(wall?.figure).toBe('0.400')
    expect(wall?.kind === 'curve' && [...wall.values]).toEqual([
      [1, 0.2],
      [2, 0.4],
      [4, 0.8],
    ])
    expect(
      row(stripRows(state(document, { station: 'Plate', status: read, frame: 3 }), NOTHING, files), 'Wall')?.figure,
    ).toBe('')
  })
  it('leaves out a reading that is hidden, unless it is chosen', () => {
    expect(names(stripRows(state(document, { station: 'Plate', status: read }), NOTHING, files))).not.toContain('Lamp')
    expect(
      names(stripRows(state(document, { station: 'Plate', status: read, chosen: 'reading.lamp' }), NOTHING, files)),
    ).toContain('Lamp')
  })
  it('is its drift of exposure, at its own station', () => {
    const drifted = status({ readings: { ...NO_READINGS, report: stage({ key: 'rep', state: 'done' }) } })
    const report = { first: 1, drift: [0, 0.25, null, -0.5] } as unknown as PlateReport
    const drift = row(
      stripRows(state(document, { station: 'Plate', status: drifted }), NOTHING, {
        ...FILES,
        reports: { rep: report },
      }),
      'Exposure drift',
    )
    expect(drift).toMatchObject({ figure: '+0.25 st', bottom: -0.52 })
    expect(drift?.kind === 'curve' && [...drift.values.keys()]).toEqual([1, 2, 4])
    expect(
      names(
        stripRows(state(document, { station: 'Sit', status: drifted }), NOTHING, {
          ...FILES,
          reports: { rep: report },
        }),
      ),
    ).not.toContain('Exposure drift')
  })
})

describe('hand-offs', () => {
  it('are four: movie and sequence, final and first look; each says how it is and where to get it', () => {
    const offs = {
      'movie-final': { state: 'done', key: 'abc', bytes: 3 * 2 ** 20 },
      'exr-final': { state: 'running', key: 'b' },
      'movie-look': { state: 'failed', key: 'c', error: { message: 'The disk is full.', remedy: 'Make room.' } },
    }
    let asked = 0
    const { rows, refresh } = handOffs({
      shot: { name: 'Yard / 030' },
      status: status({ handOffs: offs as unknown as ShotStatus['handOffs'] }),
      refreshStatus: async () => void asked++,
    } as unknown as ShotState)
    expect(rows.map(({ text, busy, error }) => [text, busy, error])).toEqual([
      ['3.0 MB', false, false],
      ['writing', true, false],
      ['The disk is full. Make room.', false, true],
      ['not made yet', false, false],
    ])
    // A name that a file system would stumble over is tidied.
    expect(rows.map(({ download }) => download)).toEqual([
      '/api/results/abc/0?as=Yard%20-%20030-final.mp4',
      undefined,
      undefined,
      undefined,
    ])
    refresh()
    expect(asked).toBe(1)
  })
})
