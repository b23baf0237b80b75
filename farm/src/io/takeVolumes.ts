import { readdir, readFile, stat } from 'node:fs/promises'
import { basename, dirname, join } from 'node:path'
import { LanternError } from '@lantern/core/base'
import { KELVIN_UNITS } from '@lantern/core/formats'
import { putBlob, type Store } from '@lantern/store'
import { volumeFrame } from './volumes.ts'

export interface TakenVolumes {
  file: string
  first: number
  blobs: string[]
  at: number
}

const MOST_BYTES = 2 ** 31

/** The files of a sequence as dir/name.####.vdb, or the one file, in order of their numbers. */
async function filesOf(path: string): Promise<{ path: string; frame: number }[]> {
  if (!path.includes('#')) return [{ path, frame: 1 }]
  const pattern = new RegExp(
    `^${basename(path)
      .replace(/[.+*?^${}()|[\]\\]/g, '\\$&')
      .replace(/#+/, '(\\d+)')}$`,
  )
  const names = await readdir(dirname(path)).catch(() => [])
  return names
    .flatMap((name) => {
      const found = pattern.exec(name)
      return found ? [{ path: join(dirname(path), name), frame: Number(found[1]) }] : []
    })
    .sort((a, b) => a.frame - b.frame)
}

/** Takes OpenVDB files into the store: each is read once, so that a bad one is named at once. Throws LanternError naming the file. */
export async function takeVolumes(store: Store, path: string, at: number): Promise<TakenVolumes> {
  const files = await filesOf(path)
  const [begin] = files
  if (!begin)
    throw new LanternError('file', `There is no file like ${path}.`, 'Give it as dir/name.####.vdb.', { file: path })
  const blobs: string[] = []
  for (const [n, file] of files.entries()) {
    if (file.frame !== begin.frame + n)
      throw new LanternError(
        'frames',
        `Frame ${begin.frame + n} of ${basename(path)} is missing.`,
        'Bring it, or write the rest under numbers that follow one another.',
        { file: path, frame: begin.frame + n },
      )
    const size = (
      await stat(file.path).catch(() =>
        Promise.reject(new LanternError('file', `${file.path} can’t be read.`, 'Check the path.', { file: file.path })),
      )
    ).size
    if (size > MOST_BYTES)
      throw new LanternError(
        'file',
        `${basename(file.path)} has ${(size / 2 ** 30).toFixed(1)} GiB; 2 are the most.`,
        'Write it with larger voxels, or halves.',
        { file: file.path },
      )
    const bytes = await readFile(file.path)
    await volumeFrame(bytes, basename(file.path), KELVIN_UNITS, 288.15)
    blobs.push(await putBlob(store, bytes, 'application/x-openvdb'))
  }
  return { file: basename(begin.path), first: begin.frame, blobs, at }
}
