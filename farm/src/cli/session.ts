import { writeFile } from 'node:fs/promises'
import { LanternError, type Progress } from '@lantern/core/base'
import { type ShotDocument, shotNameSchema } from '@lantern/core/shot'
import { listShots, openStore, resultRows } from '@lantern/store'
import { InvalidArgumentError } from 'commander'
import { pino } from 'pino'
import { nodeCrew } from '../crew/nodeCrew.ts'
import type { JobContext } from '../jobs/context.ts'
import { readSettings } from '../settings.ts'

// What all commands share: the store, a crew, how they report.
const settings = readSettings()
export const store = openStore(settings.databaseUrl, settings.data)
export const stopping = { now: false }

export const progress: Progress = {
  report(share, what) {
    if (process.stderr.isTTY) process.stderr.write(`\r${Math.round(share * 100)} % ${what}          `)
  },
  cancelled: () => stopping.now,
}

export async function withCrew<T>(work: (context: JobContext) => Promise<T>): Promise<T> {
  const crew = nodeCrew(settings.threads)
  try {
    return await work({
      store,
      crew,
      machine: `command-${process.pid}`,
      log: pino({ level: settings.log === 'info' ? 'warn' : settings.log }),
      ending: () => stopping.now,
      progress,
    })
  } finally {
    crew.end()
    if (process.stderr.isTTY) process.stderr.write('\r')
  }
}

export async function report(value: unknown, file: string | undefined, line: string): Promise<void> {
  if (file) await writeFile(file, `${JSON.stringify(value, null, 2)}\n`)
  console.log(line)
}

export function rate(text: string): [number, number] {
  const [over, under = '1'] = text.split('/')
  const [a, b] = over?.includes('.') ? [Math.round(Number(over) * 1000), 1000] : [Number(over), Number(under)]
  if (!(Number.isInteger(a) && Number.isInteger(b) && a > 0 && b > 0))
    throw new InvalidArgumentError('give frames per second as 24, 25 or 24000/1001')
  return [a, b]
}

export function framesOf(document: ShotDocument, range: string | undefined): number[] {
  const { first, last } = document.plate
  const parts = range ? /^(-?\d+)-(-?\d+)$/.exec(range) : undefined
  if (range && !parts)
    throw new LanternError('frames', `“${range}” is no range of frames.`, `Give it as ${first}-${last}.`, {
      field: 'frames',
    })
  const from = Math.max(first, parts ? Number(parts[1]) : first)
  const to = Math.min(last, parts ? Number(parts[2]) : last)
  if (from > to)
    throw new LanternError('frames', `The plate has frames ${first} to ${last} only.`, 'Choose frames within it.', {
      field: 'frames',
    })
  return Array.from({ length: to - from + 1 }, (_, n) => from + n)
}

/** A name that can be had: checked before a plate is read for it. */
export async function newName(name: string): Promise<void> {
  const checked = shotNameSchema.safeParse(name)
  if (!checked.success)
    throw new LanternError(
      'shot-name',
      checked.error.issues[0]?.message ?? 'That is no name.',
      'Choose another name.',
      { field: 'name' },
    )
  if ((await listShots(store)).some((shot) => shot.name === checked.data))
    throw new LanternError('shot-name', `There is a shot called “${checked.data}” already.`, 'Choose another name.', {
      field: 'name',
    })
}

/** Runs a job here until its result is done; the farm may be at it already: then its frames are waited for, not made twice. until: frames kept that are enough. */
export async function through(
  key: string,
  job: () => Promise<boolean>,
  enough: () => Promise<boolean> = async () => false,
): Promise<void> {
  while (!(await job())) {
    const row = (await resultRows(store, [key])).get(key)
    if (await enough()) return
    if (stopping.now || row?.state === 'stopped' || row?.state === 'failed')
      throw new LanternError(
        'stopped',
        row?.error?.message ?? 'Stopped; what was kept stays.',
        row?.error?.remedy ?? 'Run it again to go on.',
      )
    if (row?.state === 'done') return
    await new Promise((wake) => setTimeout(wake, 1000))
  }
}
