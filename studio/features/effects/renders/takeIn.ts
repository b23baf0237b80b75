import { LanternError } from '@lantern/core/base'
import { guessPasses, rendersEffect, type TakenRender } from '@lantern/core/effects/renders'
import type { Asset } from '@lantern/store'
import { useShot } from '../../shot/shotStore.ts'
import { takeInFrames } from '../../shots/upload.ts'

/** A render of what was read of its files. Throws LanternError where it has no passes. */
export function renderOf({ id, file, info }: Asset & { id: string }): TakenRender {
  const { first, last, width, height, channels, gaps = [] } = info
  if (first === undefined || last === undefined || last < first || !width || !height)
    throw new LanternError('render', `${file} has no frames.`, 'Take another render in.', { field: 'render' })
  if (!channels)
    throw new LanternError(
      'render',
      `${file} has colours alone: no depth, normals or other passes.`,
      'Write it as a multi-layer EXR (ZIP, ZIPS or no compression), or put it on a card.',
      { field: 'render' },
    )
  return { asset: id, file, first, last, width, height, channels, gaps: gaps.slice(0, 1000) }
}

/** What is to be said of a render: what is missing of it. */
export function remarkOn({ gaps, file }: TakenRender, passes: { depth: readonly string[] }): string {
  const [gap] = gaps
  const missing = gap && (gap[0] === gap[1] ? `Frame ${gap[0]} is` : `Frames ${gap[0]}–${gap[1]} are`)
  const more = gaps.length > 1 ? `, and ${gaps.length - 1} more gaps` : ''
  return [
    `${file} is taken in: see whether its passes are the right ones.`,
    ...(missing ? [`${missing} missing${more}.`] : []),
    ...(passes.depth.length === 0 ? ['It has no depth: say how far away it stands.'] : []),
  ].join(' ')
}

/** Puts what was taken in into an item, with its passes as their names tell. */
function put(id: string, render: TakenRender): void {
  const { edit, set } = useShot.getState()
  const passes = guessPasses(render.channels)
  edit({ items: { [id]: { render, passes } } })
  set({ message: { text: remarkOn(render, passes), good: render.gaps.length === 0 && passes.depth.length > 0 } })
}

/** Takes a render's files in for an item. Throws LanternError. */
export async function takeRender(id: string, files: readonly File[], say: (what: string) => void): Promise<void> {
  put(id, renderOf(await takeInFrames(files, (_, what) => say(what))))
}

/** A new item of frames that have just been taken in. */
export function addRender(asset: Asset & { id: string }): void {
  const { shot, edit, set } = useShot.getState()
  if (!shot) return
  const render = renderOf(asset)
  const id = `render-${crypto.randomUUID().slice(0, 6)}`
  edit(rendersEffect.presets[0].place(shot.document, id), true)
  put(id, render)
  set({ chosen: id, station: 'Effects' })
}
