import { LanternError } from '@lantern/core/base'
import { pickSurface } from '@lantern/core/pipeline'
import { guessScale, type TakenMesh, thingSize } from '@lantern/core/set'
import { makeItem } from '@lantern/core/shot'
import { call, shotPath } from '../api.ts'
import { cameraNow, useShot } from '../shot/shotStore.ts'
import { bareName, packed } from './packed.ts'

/** What may be chosen as a mesh: it, with its materials and pictures. */
export const MESH_ACCEPT = '.glb,.gltf,.bin,.obj,.mtl,.ply,.stl,.zip,.png,.jpg,.jpeg,.webp'

const mainOf = (files: readonly File[]): File | undefined =>
  files.find(({ name }) => /\.(glb|gltf|obj|ply|stl|zip)$/i.test(name)) ?? files[0]

/** Sends a mesh's files, packed as one where there are several; returns what a thing holds of it. Throws LanternError naming the file. */
async function send(files: readonly File[]): Promise<TakenMesh> {
  const { shot, set } = useShot.getState()
  const main = mainOf(files)
  if (!shot || !main) throw new LanternError('no-shot', 'No shot is open.', 'Open a shot first.')
  set({ message: { text: `Taking in ${main.name}.`, good: true } })
  const { body, name } = await packed(files, main)
  const path = `${shotPath(shot.name)}/meshes?file=${encodeURIComponent(name.slice(0, 200))}`
  const { mesh } = await call<{ mesh: TakenMesh }>(path, { method: 'POST', body })
  return { ...mesh, file: main.name.slice(0, 200) }
}

const told = (mesh: TakenMesh, scale: number): string => {
  const size = mesh.high.map((high, axis) => ((high - (mesh.low[axis] ?? 0)) * scale).toFixed(2))
  const notes = mesh.notes.length > 0 ? ` ${mesh.notes.join(' ')}` : ''
  return `${mesh.file}: ${size.join(' × ')} m. Is that right? Its units can be changed beside.${notes}`
}

/** Takes a mesh's files in as a thing. at: where it was dropped, in shares of the picture; the middle of its lower half where nothing is said. */
export async function takeThing(files: readonly File[], at: readonly [number, number] = [0.5, 0.75]): Promise<void> {
  const mesh = await send(files)
  const state = useShot.getState()
  const { shot, frame, edit, set } = state
  if (!shot) return
  const camera = cameraNow(state, frame)
  const place = camera && pickSurface(shot.document, camera, at[0] * camera.width, at[1] * camera.height, frame)?.point
  const id = `thing-${crypto.randomUUID().slice(0, 6)}`
  const scale = guessScale(mesh)
  const order = Math.max(0, ...Object.values(shot.document.items).map((item) => item.order)) + 1
  const position = (place ?? [0, 0, 0]).map((value) => Math.round(value * 1000) / 1000)
  edit({ items: { [id]: makeItem('thing', { name: bareName(mesh.file), order, mesh, position, scale }) } }, true)
  set({ chosen: id, station: 'Set', message: { text: told(mesh, scale), good: mesh.notes.length === 0 } })
}

/** Puts another mesh in a thing's place: its place, keys, look and layer stay, and its height. */
export async function swapThing(id: string, files: readonly File[]): Promise<void> {
  const mesh = await send(files)
  const { shot, edit, set } = useShot.getState()
  const item = shot?.document.items[id]
  if (item?.kind !== 'thing') return
  const heightOf = ({ low, high }: Pick<TakenMesh, 'low' | 'high'>): number => high[1] - low[1]
  const before = thingSize(item)[1]
  const scale = heightOf(mesh) > 0 && before > 0 ? before / heightOf(mesh) : guessScale(mesh)
  const animation = mesh.animations.some(({ name }) => name === item.animation) ? item.animation : ''
  // What was trimmed off the one is no measure for the other.
  const whole = { trim: null, cuts: null }
  edit({ items: { [id]: { mesh, scale: Math.min(1e4, Math.max(1e-4, scale)), animation, ...whole } } }, true)
  set({ message: { text: told(mesh, scale), good: mesh.notes.length === 0 } })
}
