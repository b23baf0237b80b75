import { LanternError } from '@lantern/core/base'
import { applyPatch, makeItem, makeShot, parseShot, type ShotDocument } from '@lantern/core/shot'
import * as lantern from '@lantern/store'
import { pino } from 'pino'
import { afterAll, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest'
import { bakeJob } from '../../farm/src/bake/bakeJob.ts'
import { nodeCrew } from '../../farm/src/crew/nodeCrew.ts'
import type { JobContext } from '../../farm/src/jobs/context.ts'
import { type FreshStore, freshStore } from '../../store/testing/freshStore.ts'

// A kind of effect is one folder and one name in the list: two small ones prove it, one made from a gas's kept frames and one from the other's.
vi.mock('../../core/src/effects/index.ts', async (original) => {
  const real = await original<typeof import('../../core/src/effects/index.ts')>()
  const { tally } = await import('../../core/testing/effects/tally/index.ts')
  const { average } = await import('../../core/testing/effects/average/index.ts')
  return { ...real, EFFECTS: [...real.EFFECTS, tally, average] }
})

const FIRST = 1001
const LAST = 1008
/** Frame from which on the gas burns otherwise after an edit. */
const CHANGES = 1006
const frames = (from: number, to: number): number[] => Array.from({ length: to - from + 1 }, (_, n) => from + n)

let store: FreshStore
const crew = nodeCrew(1)
beforeAll(async () => {
  store = await freshStore()
})
afterAll(async () => {
  crew.end()
  await store.remove()
})
beforeEach(async () => {
  for (const table of ['restart', 'result_frame', 'result']) await store.pool.query(`delete from ${table}`)
})
const context = (over: Partial<JobContext> = {}): JobContext => ({
  store,
  crew,
  machine: 'test',
  log: pino({ level: 'silent' }),
  ending: () => false,
  ...over,
})

/** Heat by keys, level up to the frame before the last change. */
const heatKeys = (last: number) => [
  { frame: FIRST, value: 300 },
  { frame: CHANGES - 1, value: 300 },
  { frame: LAST, value: last },
]
const item = (kind: string, over: object): unknown => ({ kind, name: kind, order: 5, shown: true, ...over })

let made = 0
async function newShot(): Promise<lantern.Shot> {
  const name = `Effects ${++made}`
  const asset = await lantern.createAsset(store, `${name}.mp4`)
  const plate = { asset, file: 'f', width: 96, height: 54, first: FIRST, last: LAST, rate: [24, 1], encoding: 'srgb' }
  const document = makeShot(name, plate as ShotDocument['plate'])
  const fire = makeItem('gas', {
    name: 'Fire',
    order: 2,
    position: [0, 0, -3],
    diameter: 0.8,
    heat: 300,
    cell: 120,
    runUp: 1,
    reach: 1.5,
    follows: { heat: { signal: 'power' } },
  })
  return lantern.createShot(
    store,
    parseShot({
      ...document,
      camera: { ...document.camera, kind: 'typed', height: 1.2 },
      signals: {
        power: { name: 'Power', source: { kind: 'keys', curve: 'straight', keys: heatKeys(300) } },
      },
      items: { fire, tally: item('tally', { of: 'fire' }), average: item('average', { of: 'tally' }) },
    }),
  )
}

const keyOf = async (shot: lantern.Shot, id: string): Promise<string> =>
  lantern.itemIn(await lantern.resolveShot(store, shot), id).runs[0]?.key ?? ''
const bake = async (shot: lantern.Shot, id: string, over: Partial<JobContext> = {}, options = {}): Promise<boolean> => {
  const output = id === 'fire' ? 'gas' : id
  return bakeJob(context(over), { key: await keyOf(shot, id), shot: shot.id, item: id, output }, options)
}
const kept = async (shot: lantern.Shot, id: string): Promise<lantern.KeptFrame[]> =>
  lantern.keptFrames(store, [await keyOf(shot, id)])
const keptNumbers = async (shot: lantern.Shot, id: string): Promise<number[]> =>
  (await kept(shot, id)).map(({ frame }) => frame)
const queued = async (): Promise<string[]> =>
  (await store.pool.query<{ key: string }>('select key from graphile_worker.jobs where key is not null')).rows.map(
    ({ key }) => key,
  )

describe('a new kind of effect', () => {
  it('is asked for with all that it is made from, and is that, frame by frame', async () => {
    const shot = await newShot()
    await lantern.requestItem(store, shot, 'average')
    const jobs = await queued()
    for (const [id, output] of [
      ['fire', 'gas'],
      ['tally', 'tally'],
      ['average', 'average'],
    ] as const)
      expect(jobs).toContain(`${output}:${await keyOf(shot, id)}`)
    for (const id of ['fire', 'tally', 'average']) expect(await bake(shot, id), id).toBe(true)
    const heat = (await kept(shot, 'fire')).map(({ figures }) => Number(figures.heatKw))
    const sums = (await kept(shot, 'tally')).map(({ figures }) => Number(figures.sum))
    let sum = 0
    expect(sums).toEqual(heat.map((one) => (sum += one)))
    const [mean] = await kept(shot, 'average')
    expect(mean?.figures.mean).toBeCloseTo(((sums[0] ?? 0) + (sums[1] ?? 0) + (sums[2] ?? 0)) / 3, 6)
    const status = await lantern.shotStatus(store, shot)
    expect(status.items.average).toMatchObject({ state: 'done', kept: frames(FIRST, LAST) })
    expect(status.items.tally?.figures[0]).toEqual({ sum: sums[0] })
  })

  it('makes a frame as soon as what that frame needs is kept, and waits for the rest', async () => {
    const shot = await newShot()
    await lantern.requestItem(store, shot, 'average')
    expect(await bake(shot, 'tally')).toBe(false)
    expect(await keptNumbers(shot, 'tally')).toEqual([])
    await bake(shot, 'fire', {}, { until: 1005 })
    await lantern.requestItem(store, shot, 'fire')
    // The gas has come to 1005: the tally too, and the mean to two frames before.
    for (const id of ['tally', 'average']) expect(await bake(shot, id), id).toBe(false)
    expect(await keptNumbers(shot, 'tally')).toEqual(frames(FIRST, 1005))
    expect(await keptNumbers(shot, 'average')).toEqual(frames(FIRST, 1003))
    expect(await queued()).toContain(`average:${await keyOf(shot, 'average')}`)
    for (const id of ['fire', 'tally', 'average']) expect(await bake(shot, id), id).toBe(true)
    expect(await keptNumbers(shot, 'average')).toEqual(frames(FIRST, LAST))
  })

  it('says which frame it lacks where that is not on its way', async () => {
    const shot = await newShot()
    await lantern.requestItem(store, shot, 'average')
    await lantern.stopResults(store, [await keyOf(shot, 'fire')])
    expect(await bake(shot, 'tally')).toBe(false)
    const row = (await lantern.resultRows(store, [await keyOf(shot, 'tally')])).get(await keyOf(shot, 'tally'))
    expect(row).toMatchObject({
      state: 'failed',
      error: { message: 'Frame 1001 of Fire is not kept, so frame 1001 of tally can’t be made from it.' },
    })
  })

  it('goes on after its machine is killed, to the same bits', async () => {
    const shot = await newShot()
    await lantern.requestItem(store, shot, 'tally')
    await bake(shot, 'fire')
    const key = await keyOf(shot, 'tally')
    // From the fifth step on nothing of what this machine says reaches the database any more.
    let dead = false
    const away = (): never => {
      throw Object.assign(new Error('gone'), { code: 'ECONNREFUSED' })
    }
    const dying: lantern.Store = new Proxy(store, {
      get: (target, name) => (dead && (name === 'db' || name === 'pool') ? away() : Reflect.get(target, name)),
    })
    let told = 0
    const progress = { report: () => void (++told === 5 && (dead = true)), cancelled: () => false }
    await expect(
      bake(shot, 'tally', { store: dying, machine: 'killed', progress }, { times: { saveEvery: 0, saveShare: 1e9 } }),
    ).rejects.toThrow('gone')
    expect(await keptNumbers(shot, 'tally')).toEqual(frames(FIRST, 1003))
    expect(await bake(shot, 'tally'), 'the dead machine has the lease').toBe(false)
    await lantern.leave(store, 'killed')
    let first = true
    const states: number[] = []
    const resumed = {
      report: (share: number) => void (first && (states.push(share), (first = false))),
      cancelled: () => false,
    }
    expect(await bake(shot, 'tally', { progress: resumed })).toBe(true)
    expect(states[0], 'it went on from a saved state').toBeGreaterThan(1 / 10)
    const helped = (await kept(shot, 'tally')).map(({ blob }) => blob)
    for (const what of ['restart', 'result_frame']) await store.pool.query(`delete from ${what} where key = $1`, [key])
    await store.pool.query("update result set state = 'waiting' where key = $1", [key])
    expect(await bake(shot, 'tally')).toBe(true)
    expect((await kept(shot, 'tally')).map(({ blob }) => blob)).toEqual(helped)
  })

  it('is stopped, keeps what it has, and goes on when it is asked for again', async () => {
    const shot = await newShot()
    await lantern.requestItem(store, shot, 'average')
    for (const id of ['fire', 'tally']) await bake(shot, id)
    const key = await keyOf(shot, 'average')
    let stopping: Promise<void> | undefined
    const report = (): void => {
      stopping ??= lantern.stopResults(store, [key])
    }
    expect(await bake(shot, 'average', { progress: { report, cancelled: () => false } })).toBe(false)
    await stopping
    const before = await keptNumbers(shot, 'average')
    expect(before.length).toBeLessThan(LAST - FIRST + 1)
    expect((await lantern.shotStatus(store, shot)).items.average).toMatchObject({ state: 'stopped', kept: before })
    await lantern.requestItem(store, shot, 'average')
    expect(await bake(shot, 'average')).toBe(true)
  })

  it('is stale from the frame on where what it is made from has changed', async () => {
    const shot = await newShot()
    await lantern.requestItem(store, shot, 'average')
    for (const id of ['fire', 'tally', 'average']) await bake(shot, id)
    const edited = await lantern.editShot(store, shot.name, undefined, {
      signals: { power: { source: { keys: heatKeys(3000) } } },
    })
    await lantern.requestItem(store, edited, 'average')
    const { items } = await lantern.shotStatus(store, edited)
    expect(items.fire).toMatchObject({ kept: frames(FIRST, CHANGES - 1), stale: frames(CHANGES, LAST) })
    expect(items.tally).toMatchObject({ kept: frames(FIRST, CHANGES - 1), stale: frames(CHANGES, LAST) })
    expect(items.average).toMatchObject({ kept: frames(FIRST, CHANGES - 3), stale: frames(CHANGES - 2, LAST) })
    for (const id of ['fire', 'tally', 'average']) expect(await bake(edited, id), id).toBe(true)
    const [was, is] = [await kept(shot, 'average'), await kept(edited, 'average')]
    expect(is.slice(0, 3).map(({ blob }) => blob)).toEqual(was.slice(0, 3).map(({ blob }) => blob))
    expect(is.at(-1)?.blob).not.toBe(was.at(-1)?.blob)
  })

  it('shows on the strip with its frames and its figure', async () => {
    const shot = await newShot()
    await lantern.requestItem(store, shot, 'tally')
    await bake(shot, 'fire')
    await bake(shot, 'tally')
    const { stripRows } = await import('../features/strip/rows.ts')
    const { shownMatch } = await import('../features/match/matchData.ts')
    const { useShot } = await import('../features/shot/shotStore.ts')
    const status = await lantern.shotStatus(store, shot)
    const rows = stripRows(
      { ...useShot.getState(), shot, status, frame: FIRST, station: 'Effects', chosen: 'tally' },
      shownMatch({ shot, status, oldSolve: false }, { tracks: {}, solves: {} }),
      { readings: {}, reports: {}, solves: {}, checks: {} },
    )
    expect(rows.find(({ name }) => name === 'tally')).toMatchObject({
      kind: 'frames',
      figure: '8 of 8',
      kept: new Set(frames(FIRST, LAST)),
    })
    expect(rows.find(({ name }) => name === 'tally, sum')).toMatchObject({ kind: 'curve', added: true })
    expect(rows.find(({ name }) => name === 'average')).toMatchObject({ kind: 'frames', figure: '0 of 8' })
  })

  it('is refused, by name, where it is made from itself', async () => {
    const { document } = await newShot()
    const circle = { one: item('average', { of: 'two' }), two: item('average', { of: 'one' }) }
    expect(() => applyPatch(document, { items: circle })).toThrow(LanternError)
    expect(() => applyPatch(document, { items: circle })).toThrow(
      '“average” is made from “average”, which is made from',
    )
    // A document that came in otherwise is not resolved for ever.
    const { resolveRuns } = await import('@lantern/core/pipeline')
    const broken = { ...document, items: { ...document.items, ...circle } } as ShotDocument
    const errors = resolveRuns(broken, {}).filter(({ error }) => error)
    expect(errors.map(({ item: id }) => id).sort()).toEqual(['one', 'two'])
  })
})
