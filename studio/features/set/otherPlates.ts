import { LanternError } from '@lantern/core/base'
import type { Camera } from '@lantern/core/data'
import type { StillPlate } from '@lantern/core/set'
import type { Shot } from '@lantern/store'
import { call, shotPath } from '../api.ts'
import { useShot } from '../shot/shotStore.ts'

/** The other shots that are there, by name. */
export async function otherShots(): Promise<string[]> {
  const all = await call<{ name: string }[]>('/api/shots')
  return all.map(({ name }) => name).filter((name) => name !== useShot.getState().name)
}

/** Puts another shot's plate on a piece or thing, through that shot's own camera: its first frame. Throws LanternError where it has no camera. */
export async function takeOtherPlate(id: string, name: string): Promise<void> {
  const [{ document }, { cameras }] = await Promise.all([
    call<Shot>(shotPath(name)),
    call<{ cameras: Camera[] }>(`${shotPath(name)}/cameras`),
  ])
  const [camera] = cameras
  if (!camera)
    throw new LanternError(
      'no-camera',
      `${name} has no camera yet.`,
      'Line it up there, with its ground where this one’s is.',
      {
        field: 'still',
      },
    )
  const { asset, encoding, first } = document.plate
  const { position, rotation, focalPx, centre, k1, k2, width, height } = camera
  const still: StillPlate = {
    shot: name,
    asset,
    frame: first,
    encoding,
    curve: document.sit.curve,
    camera: {
      position: [...position],
      rotation: [...rotation],
      focalPx,
      centre: [...centre],
      k1,
      k2,
      width,
      height,
    },
  }
  const { edit, set } = useShot.getState()
  edit({ items: { [id]: { carries: 'still', still } } })
  set({ message: { text: `${name} is on it, as its camera saw it.`, good: true } })
}
