import { makeItem, makeShot, type ShotDocument } from '@lantern/core/shot'
import { createAsset, createShot, type Shot, type Store } from '../src/index.ts'

/** A shot of four frames over a plate that is not read in. */
export async function shotNamed(
  store: Store,
  name: string,
  change: (document: ShotDocument) => void = () => undefined,
): Promise<Shot> {
  const asset = await createAsset(store, 'yard.mp4')
  const document = makeShot(name, {
    asset,
    file: 'yard.mp4',
    width: 64,
    height: 36,
    first: 1001,
    last: 1004,
    rate: [24, 1],
    encoding: 'srgb',
  })
  change(document)
  return createShot(store, document)
}
let seed = 0
/** Each shot's fire is another one, or its results would be shared. */
export const burning = (document: ShotDocument): void => {
  document.camera.kind = 'typed'
  document.items.fire = makeItem('gas', { name: 'Fire', order: 1, position: [0, 0, -4], seed: ++seed })
}
