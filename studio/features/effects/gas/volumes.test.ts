import { applyPatch, makeShot, type ShotDocument } from '@lantern/core/shot'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { useShot } from '../../shot/shotStore.ts'
import { takeVolumes } from './volumes.ts'

let document: ShotDocument
let sent: string[]
let refused: string | undefined
/** A name like a digest, of its own for each file. */
const blobOf = (name: string): string => Buffer.from(name.padEnd(32, '.').slice(0, 32)).toString('hex')
const file = (name: string): File => new File([new Uint8Array([1, 2, 3])], name)
const gases = () => Object.values(document.items).filter((item) => item.kind === 'gas')

beforeEach(() => {
  document = makeShot('One', {
    asset: 'a',
    file: 'f',
    width: 64,
    height: 36,
    first: 1001,
    last: 1010,
    rate: [24, 1],
    encoding: 'srgb',
  })
  sent = []
  refused = undefined
  vi.stubGlobal('localStorage', { getItem: () => null, setItem: () => undefined })
  vi.stubGlobal('fetch', async (path: string) => {
    const name = new URL(path, 'http://here').searchParams.get('file') ?? ''
    if (name === refused)
      return Response.json(
        { code: 'vdb', message: `${name} ends too early.`, remedy: 'Bring it again.', place: { file: name } },
        { status: 400 },
      )
    sent.push(name)
    return Response.json({ blob: blobOf(name) })
  })
  useShot.setState({
    shot: { id: 1, name: 'One', head: 1, document, canUndo: false, canRedo: false },
    chosen: '',
    edit: (patch) => void (document = applyPatch(document, patch)),
  })
})
afterEach(() => vi.unstubAllGlobals())

describe('taking volumes in', () => {
  it('makes one gas of them in order of their numbers, whatever order they came in', async () => {
    await takeVolumes([file('smoke.0012.vdb'), file('smoke.0010.vdb'), file('smoke.0011.vdb')])
    expect(sent).toEqual(['smoke.0010.vdb', 'smoke.0011.vdb', 'smoke.0012.vdb'])
    expect(gases()).toHaveLength(1)
    expect(gases()[0]).toMatchObject({
      name: 'smoke',
      taken: { file: 'smoke.0010.vdb', first: 10, at: 1001, blobs: sent.map(blobOf) },
    })
    expect(document.items[useShot.getState().chosen]).toEqual(gases()[0])
  })
  it('names the frame that is missing among them, and sends none', async () => {
    await expect(takeVolumes([file('a.001.vdb'), file('a.003.vdb')])).rejects.toThrow(/Frame 2 is missing/)
    expect([sent, gases()]).toEqual([[], []])
  })
  it('makes no gas when one of them is refused, and says which', async () => {
    refused = 'a.002.vdb'
    await expect(takeVolumes([file('a.001.vdb'), file('a.002.vdb')])).rejects.toThrow(/a\.002\.vdb ends too early/)
    expect(gases()).toEqual([])
  })
  it('takes a single one without a number, and nothing from nothing', async () => {
    await takeVolumes([])
    expect(sent).toEqual([])
    await takeVolumes([file('cloud.vdb')])
    expect(gases()[0]).toMatchObject({ name: 'cloud', taken: { first: 1 } })
  })
})
