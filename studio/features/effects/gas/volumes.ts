import { LanternError } from '@lantern/core/base'
import { makeItem } from '@lantern/core/shot'
import { call, shotPath } from '../../api.ts'
import { useShot } from '../../shot/shotStore.ts'

const numberOf = (name: string): number => Number(/(\d+)\.vdb$/i.exec(name)?.[1] ?? 1)

/** Takes OpenVDB files in as a gas: one a frame, in order of their numbers. Throws LanternError naming the file. */
export async function takeVolumes(files: readonly File[]): Promise<void> {
  const { shot, edit, set } = useShot.getState()
  if (!shot) return
  const sorted = [...files].sort((a, b) => numberOf(a.name) - numberOf(b.name))
  const [begin] = sorted
  if (!begin) return
  const first = numberOf(begin.name)
  const gap = sorted.findIndex((file, n) => numberOf(file.name) !== first + n)
  if (gap >= 0)
    throw new LanternError(
      'frames',
      `Frame ${first + gap} is missing among those files.`,
      'Choose files whose numbers follow one another.',
      { frame: first + gap },
    )
  const blobs: string[] = []
  for (const file of sorted) {
    set({ message: { text: `Taking in ${file.name}, ${blobs.length + 1} of ${sorted.length}.`, good: true } })
    blobs.push(
      (
        await call<{ blob: string }>(
          `${shotPath(shot.name)}/volumes?file=${encodeURIComponent(file.name.slice(0, 200))}`,
          { method: 'POST', body: file },
        )
      ).blob,
    )
  }
  const id = `gas-${crypto.randomUUID().slice(0, 6)}`
  const order = Math.max(0, ...Object.values(shot.document.items).map((item) => item.order)) + 1
  edit({
    items: {
      [id]: makeItem('gas', {
        name: begin.name.replace(/[._-]?\d*\.vdb$/i, '').slice(0, 80) || 'Gas',
        order,
        taken: { file: begin.name.slice(0, 200), first, blobs, at: shot.document.plate.first },
      }),
    },
  })
  set({ chosen: id, message: { text: `${blobs.length} frames taken in; keep the gas to see them.`, good: true } })
}
