import { LanternError } from '@lantern/core/base'
import { makeItem } from '@lantern/core/shot'
import { call, shotPath } from '../../api.ts'
import { useShot } from '../../shot/shotStore.ts'

const numberOf = (name: string): number => Number(/(\d+)\.ply$/i.exec(name)?.[1] ?? 0)

interface TakenFrames {
  frames: { frame: number; blob: string; count: number }[]
}

/** Takes particles in: one table of all frames, or point clouds, one a frame by their numbers. Throws LanternError naming the file. */
export async function takeParticles(files: readonly File[]): Promise<void> {
  const { shot, edit, set } = useShot.getState()
  const sorted = [...files].sort((a, b) => numberOf(a.name) - numberOf(b.name))
  const [begin] = sorted
  if (!shot || !begin) return
  const table = sorted.find(({ name }) => /\.csv$/i.test(name))
  if (table && sorted.length > 1)
    throw new LanternError(
      'particles-file',
      `${table.name} holds all frames by itself; other files were chosen with it.`,
      'Choose one table, or point clouds alone.',
      { file: table.name },
    )
  const taken: TakenFrames['frames'] = []
  for (const [n, file] of sorted.entries()) {
    set({ message: { text: `Taking in ${file.name}, ${n + 1} of ${sorted.length}.`, good: true } })
    const path = `${shotPath(shot.name)}/particles?file=${encodeURIComponent(file.name.slice(0, 200))}`
    const { frames } = await call<TakenFrames>(path, { method: 'POST', body: file })
    taken.push(...frames)
  }
  const id = `particles-${crypto.randomUUID().slice(0, 6)}`
  const items = Object.values(shot.document.items)
  edit({
    items: {
      [id]: makeItem('particles', {
        name: begin.name.replace(/[._-]?\d*\.(csv|ply)$/i, '').slice(0, 80) || 'Particles',
        order: Math.max(0, ...items.map(({ order }) => order)) + 1,
        way: 'taken in',
        taken: {
          file: begin.name.slice(0, 200),
          frames: taken.map(({ frame, blob }) => ({ frame, blob })),
          at: shot.document.plate.first,
        },
      }),
    },
  })
  const count = taken.reduce((most, one) => Math.max(most, one.count), 0)
  const said = `${taken.length} frames of up to ${count.toLocaleString('en')} particles taken in; keep them to see them.`
  set({ chosen: id, message: { text: said, good: true } })
}
