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
    '6883d93535e965557b9faad1a2899392394016f4ce4e20595408a305118bf03c',
    '47a49e517d3e0a3d556a45263d58e7aa2c643470918bd10b4227752a033793a7',
    'a4c03df20a442731fdcd19d93f9d8200c1c80c2f52cc5bbed750adac7f533ef5',
    '116f33c91ba0d49b9220560ac419b0b20d90d4f8171760e8f0db7358b7d57978',
  ],
  'brazier-fire': [
    '9dce31a00e067c23f46569c36607e66592b3f5696d77b360b693d0fed8078d8d',
    'd06d10248e1953cecbb5d8159d1bb35a23d3c6c6061e5e676c14313099d24dda',
    'fa8afc0512b1dd76629ad4d13075d9d11b20ed8ca361ef35ecaff872e54519f6',
    '16a20110f86b6f41a161404aa8101a79fde60e76db3515aae1d8601ae21220db',
  ],
  'chimney-plume': [
    '7433ee69a31e3ccb1de60c4c92b20279b62bbb02aa9bd4d4652c74da7ec633f4',
    '1ddd2f1985aebbb28688fee066520331de0094bf3371de576159d6a90da663b7',
    '7be444c0bcd07ba165d2abcb89060c54d2de86b5bbdfe92d1c186d30b4027726',
    '91126a9c82fb9c4995c32f02d285094a3f32a2ac78039e7262e4b8a4c3514413',
  ],
  'yard-dust': [
    'ad0f18c5a9a6f22c864c9107ef06d422f0cefb927b42f6813324d2b81485261c',
    '0631698e249f2902d2a6248218f3e0b38f2da5cb515567f5bfa68335f5e8d9c2',
    'd28941a6a5b2cff0433b35a557a68f29bf89fb1195877a981545eb417d588b49',
    '0b2ed48785840668c0a7d05990e553774d7b1b4de9a9450e577717fbe435e067',
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

it('resolves every gas that the demo shows under those keys, its carried matte, and its sparks', () => {
  const keys = resolveRuns(document, {}).map(({ item, runs }) => [item, runs[0]?.key])
  expect(keys.filter(([id]) => id !== undefined && id in KEPT)).toEqual(
    Object.entries(KEPT).map(([id, [run]]) => [id, run]),
  )
  // The drawn one beside it has no run.
  expect(bakedItems(document).map(([id]) => id)).toEqual([
    ...Object.keys(KEPT),
    'door-sparks',
    'door-motes',
    'arch-breaks',
    'arch-rubble',
    'arch-dust',
    'worker-matte',
  ])
})
