import type { SmallPicture } from '@lantern/core/set'
import { call, shotPath } from '../api.ts'

/** Makes a small picture of a file, as documents hold it. Throws LanternError. */
export async function takeStamp(shot: string, chosen: File): Promise<SmallPicture> {
  const path = `${shotPath(shot)}/stamps?file=${encodeURIComponent(chosen.name.slice(0, 200))}`
  return (await call<{ picture: SmallPicture }>(path, { method: 'POST', body: chosen })).picture
}
