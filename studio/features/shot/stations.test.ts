import { makeItem, makeShot, type ShotDocument } from '@lantern/core/shot'
import type { ShotStatus } from '@lantern/store'
import { describe, expect, it } from 'vitest'
import { stripRows } from '../strip/rows.ts'
import { belongs, STATIONS, stationStates } from './stations.ts'
import type { ShotState } from './shotStore.ts'

const shot = (): ShotDocument => makeShot('One', { asset: 'a', file: 'f', width: 64, height: 36, first: 1, last: 4, rate: [24, 1], encoding: 'srgb' })
const kept = (frames: number[], stale: number[] = []) => ({ state: 'done' as const, kept: frames, stale, error: null, secondsLeft: null })
const status = (gas: number[], look: number[], stale: number[] = []): ShotStatus => ({
  head: 1, asset: { id: 'a', file: 'f', state: 'ready', info: {}, error: null, done: 4, total: 4 }, machines: [], handOffs: {},
  gases: { fire: { ...kept(gas), key: 'k', heatKw: gas.map((n) => n * 100) } }, look: { ...kept(look, stale), keys: {} }, final: { ...kept([]), keys: {} },
})

describe('the line', () => {
  it('is unlit where nothing is yet', () => {
    const states = stationStates(shot(), undefined)
    expect(STATIONS.filter((name) => states[name].lantern === 'unlit')).toEqual(['Match', 'Set', 'Mattes', 'Effects', 'Picture', 'Sit', 'Hand-off'])
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

describe('the strip', () => {
  it('has a curve and frames per gas, and both pictures', () => {
    const document = shot()
    document.items.fire = makeItem('gas', { name: 'Fire', order: 1 })
    const state = { shot: { document }, status: status([1, 2], [1], [3]), thin: {}, frame: 2 } as unknown as ShotState
    const rows = stripRows(state)
    expect(rows.map(({ name, figure }) => [name, figure])).toEqual([['Fire, heat', '200 kW'], ['Fire', '2 of 4'], ['First look', '1 of 4'], ['Final', '']])
    expect(rows[2]).toMatchObject({ kept: new Set([1]), stale: new Set([3]) })
  })
})
