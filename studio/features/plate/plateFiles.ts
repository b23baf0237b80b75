import { LanternError } from '@lantern/core/base'
import type { PlateReport, ReadingFrames, ShotCheck } from '@lantern/core/data'
import { readReading, readReport, readShotCheck } from '@lantern/core/formats'
import type { PlateStatus } from '@lantern/store'
import { useEffect } from 'react'
import { create } from 'zustand'
import { useShot } from '../shot/shotStore.ts'

// Kept readings and reports in the browser, by key.

interface PlateFiles {
  readings: Readonly<Record<string, ReadingFrames>>
  reports: Readonly<Record<string, PlateReport>>
  checks: Readonly<Record<string, ShotCheck>>
}
export const usePlateFiles = create<PlateFiles>()(() => ({ readings: {}, reports: {}, checks: {} }))

const asked = new Set<string>()

async function fetchFile(key: string, kind: keyof PlateFiles): Promise<void> {
  if (asked.has(key)) return
  asked.add(key)
  try {
    const answer = await fetch(`/api/results/${key}/0`)
    if (!answer.ok) throw new LanternError('no-result', 'What was measured can’t be read.', 'Measure it again.')
    const bytes = new Uint8Array(await answer.arrayBuffer())
    const read = { readings: readReading, reports: readReport, checks: readShotCheck }[kind]
    usePlateFiles.setState((old) => ({ [kind]: { ...old[kind], [key]: read(bytes) } }))
  } catch (error) {
    asked.delete(key)
    useShot.getState().say(error)
  }
}

/** Reads the readings and reports of a shot as they come. */
export function usePlateFilesOf(status: PlateStatus | undefined, check?: { key: string; state: string }): void {
  const done = (stages: readonly ({ key: string; state: string } | undefined)[]): string =>
    stages.flatMap((stage) => (stage?.state === 'done' ? [stage.key] : [])).join(' ')
  const areas = Object.values(status?.areas ?? {})
  const readings = done(areas.map(({ reading }) => reading))
  const reports = done([status?.report, ...areas.map(({ report }) => report)])
  const checks = done([check])
  useEffect(() => {
    for (const key of checks.split(' ')) if (key) void fetchFile(key, 'checks')
    for (const key of readings.split(' ')) if (key) void fetchFile(key, 'readings')
    for (const key of reports.split(' ')) if (key) void fetchFile(key, 'reports')
  }, [readings, reports, checks])
}
