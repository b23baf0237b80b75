import type { GasFrame } from '../../data/index.ts'
import { readGasFrame } from '../../formats/index.ts'
import { isReuse } from '../again.ts'
import type { Effect } from '../effect.ts'
import { drawGas } from './draw.ts'
import { gasExtent } from './extent.ts'
import { GAS_FIGURES, GAS_FRAME_FIGURES } from './figures.ts'
import { type GasLook, gasInstances } from './instances.ts'
import { GAS_PRESETS } from './presets.ts'
import { GAS_VERSIONS } from './recipe.ts'
import { resolveGas } from './resolve.ts'
import { GAS_SCHEMAS } from './schema.ts'

export { type ReuseItem, reuseFrames } from '../again.ts'
export { decodeGasState, encodeGasState } from './bake.ts'
export * from './instances.ts'
export * from './items.ts'
export * from './presets.ts'
export * from './recipe.ts'
export * from './schema.ts'
export * from './settings.ts'
export * from './size.ts'
export * from './sizeLaw.ts'

/** Fire, smoke, dust, steam, a burst. */
export const gasEffect = {
  kind: 'gas',
  drawn: ['gas', 'reuse'],
  itemSchemas: GAS_SCHEMAS,
  versions: GAS_VERSIONS,
  presets: GAS_PRESETS,
  figures: GAS_FIGURES,
  frameFigures: GAS_FRAME_FIGURES,
  assetKinds: ['volume'],
  resolve: resolveGas,
  instances: gasInstances,
  showsAgain: (item, id) => isReuse(item) && item.of === id,
  decode: readGasFrame,
  extent: gasExtent,
  draw: drawGas,
} as const satisfies Effect<GasFrame, GasLook>
