import { readFileSync } from 'node:fs'
import { expect, it } from 'vitest'
import { recipeKey } from '../base/index.ts'
import { detailRecipe, gasFrameKeys, gasRecipe, isGas, runOf } from '../effects/gas/index.ts'
import { makeShot, mergePatch, parseShot } from '../shot/index.ts'
import { bakedItems } from './instances.ts'
import { resolveRuns } from './runs.ts'

const SHOT = new URL('../../../demo/shots/kiln-yard.json', import.meta.url)
const demo: { name: string; patch: object } = JSON.parse(readFileSync(SHOT, 'utf8'))
const plate = {
  asset: 'a',
  file: 'f',
  width: 1280,
  height: 720,
  first: 1001,
  last: 1120,
  rate: [24, 1] as [number, number],
  encoding: 'srgb' as const,
}
const document = parseShot(mergePatch(makeShot(demo.name, plate), demo.patch))

/** Of each gas its run's key, the keys of its first and last frame, and the key of the run made twice as fine: frames that are kept under them must stay the present ones whatever the code is called. */
const KEPT = {
  'door-fire': [
    '514eb76ea911a12dd5b6101f1efd961baf402039535d9782552e698b160aef4d',
    '743ad77cf5eba1c5f6595ca5d6a639e19398b50566bb3d47d4a11d6d9f0b6bc8',
    '2924defa8175556b75beacefed65f7f194e089df0b8b2091075e901f9bdcecc6',
    '1b9af7df0f8440e18aa3a9894e0ed39ca7850e5f691a0d9fc0bc3f301d0dd2ad',
  ],
  'brazier-fire': [
    '58f6e8f746e9994f3408807489b153fe62dd4b17e8642dc7834fb96e69b85651',
    '9a7802593317cc8167f6a60ed6e8dbee4b173e69c2c39fef10d310eb3f45ae50',
    '53e769442df0ea833d45bf352a1ed8767ac6067b302914ebbfcbbd9fc9c0f83a',
    '9aafd03d67d90e9b7bc7d6f62cff374352b505ad7f27c72b7dd3e51faeb39f8f',
  ],
  'chimney-plume': [
    'fe34df574b8b53ec0bf369e6d25e1daee692585506f707e415b80b9859b017ac',
    'b7337439d6727de4e9954435dbce25856e041255e164e5bc87b1a548a180a3d3',
    '2ef45ea24795c383909b44aa7229238c97e622e33c5b6cf3fd3c6b5a1a3e2af5',
    '46dda7a27ff5e086a9652de3b7aab2fbf2af4861757a07256644cb97d36b334b',
  ],
  'yard-dust': [
    '8b81d37704b73a4f6d03a5abc96d1b75881ec3358b8892162ebbaa3059f28629',
    '482266297675633f197a651944d512a839992991b50853a713b9062ae19d7adb',
    '8ae69857ec59cbc13dd15b50325faf5c0194fb352f6c22b1b3cb5c4e844c35a3',
    'e3c3bc33a73b44674a15522bd13bd31d589ddf01a773d88942c5ef5b659b6189',
  ],
}

it.each(Object.entries(KEPT))('keeps the keys of %s', (id, [run, first, last, finer]) => {
  const item = document.items[id]
  if (!isGas(item)) throw new TypeError(`${id} is no gas`)
  const recipe = gasRecipe(document, id, 'full')
  const span = runOf(document, item)
  const frames = gasFrameKeys(recipe, span.first, span.last)
  expect([recipeKey(recipe), frames.get(span.first), frames.get(span.last)]).toEqual([run, first, last])
  expect(recipeKey(detailRecipe({ ...item, detail: 2 }, run ?? ''))).toBe(finer)
})

it('resolves every gas that the demo shows under those keys', () => {
  const keys = resolveRuns(document, {}).map(({ item, runs }) => [item, runs[0]?.key])
  expect(keys).toEqual(Object.entries(KEPT).map(([id, [run]]) => [id, run]))
  expect(bakedItems(document).map(([id]) => id)).toEqual(Object.keys(KEPT))
})
