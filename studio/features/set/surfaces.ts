import { LanternError } from '@lantern/core/base'
import type { SurfacePictures } from '@lantern/core/set'
import { call, shotPath } from '../api.ts'
import { useShot } from '../shot/shotStore.ts'
import { packed } from './packed.ts'

export const PICTURE_ACCEPT = '.png,.jpg,.jpeg,.webp,.zip'

/** Takes pictures in as a piece's surface: colour, slopes, heights, roughness by their names. Throws LanternError naming the file. */
export async function takeSurfacePictures(id: string, files: readonly File[]): Promise<void> {
  const { shot, edit, set } = useShot.getState()
  const [main] = files
  if (!shot || !main) throw new LanternError('no-shot', 'No shot is open.', 'Open a shot first.')
  set({ message: { text: `Taking in ${main.name}.`, good: true } })
  const { body, name } = await packed(files, main)
  const path = `${shotPath(shot.name)}/surfaces?file=${encodeURIComponent(name.slice(0, 200))}`
  const { surfacePictures } = await call<{ surfacePictures: SurfacePictures }>(path, { method: 'POST', body })
  edit(
    {
      items: {
        [id]: {
          carries: 'surface',
          pattern: 'pictures',
          surfacePictures: { ...surfacePictures, file: main.name.slice(0, 200) },
        },
      },
    },
    true,
  )
  const { notes } = surfacePictures
  set({ message: { text: [`${main.name} is its surface.`, ...notes].join(' '), good: notes.length === 0 } })
}
