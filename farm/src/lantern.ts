import { readFile, writeFile } from 'node:fs/promises'
import { resolve } from 'node:path'
import { LanternError, type Progress } from '@lantern/core/base'
import type { Run } from '@lantern/core/effects'
import { readCameraFile } from '@lantern/core/formats'
import { bakedItems, cameraAt, instancesAt, type PictureQualityName } from '@lantern/core/pipeline'
import { makeItem, makeShot, type ShotDocument, shotNameSchema } from '@lantern/core/shot'
import {
  cameraPathOf,
  createAsset,
  createShot,
  editShot,
  getAsset,
  getShot,
  itemIn,
  keptFrames,
  listShots,
  migrate,
  openStore,
  pictureKeysOf,
  putBlob,
  type ResolvedShot,
  requestItem,
  requestPicture,
  resolveShot,
  resultRows,
  type Shot,
  shotStatus,
} from '@lantern/store'
import { Command, InvalidArgumentError } from 'commander'
import { pino } from 'pino'
import { z } from 'zod'
import { bakeJob } from './bake/bakeJob.ts'
import { estimateJob } from './bake/estimateJob.ts'
import { nodeCrew } from './crew/nodeCrew.ts'
import { takeVolumes } from './io/takeVolumes.ts'
import type { JobContext } from './jobs/context.ts'
import { writeHandOff } from './jobs/handOff.ts'
import { pictureJob } from './jobs/picture.ts'
import { plateJob } from './jobs/plate.ts'
import { writeVolumes } from './jobs/volumes.ts'
import { writeMatchFiles } from './matchFiles.ts'
import { matchShot } from './matchReport.ts'
import { measureShot } from './measureReport.ts'
import { readSettings } from './settings.ts'

const settings = readSettings()
const store = openStore(settings.databaseUrl, settings.data)
const stopping = { now: false }

const progress: Progress = {
  report(share, what) {
    if (process.stderr.isTTY) process.stderr.write(`\r${Math.round(share * 100)} % ${what}          `)
  },
  cancelled: () => stopping.now,
}

async function withCrew<T>(work: (context: JobContext) => Promise<T>): Promise<T> {
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

async function report(value: unknown, file: string | undefined, line: string): Promise<void> {
  if (file) await writeFile(file, `${JSON.stringify(value, null, 2)}\n`)
  console.log(line)
}

function rate(text: string): [number, number] {
  const [over, under = '1'] = text.split('/')
  const [a, b] = over?.includes('.') ? [Math.round(Number(over) * 1000), 1000] : [Number(over), Number(under)]
  if (!(Number.isInteger(a) && Number.isInteger(b) && a > 0 && b > 0))
    throw new InvalidArgumentError('give frames per second as 24, 25 or 24000/1001')
  return [a, b]
}

function framesOf(document: ShotDocument, range: string | undefined): number[] {
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
async function newName(name: string): Promise<void> {
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
async function through(
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

/** Keeps items' runs and what they are made from. last: the last frame that is needed; a run that goes from frame to frame is kept from its first one on. */
async function bake(context: JobContext, shot: Shot, items: readonly string[], last?: number): Promise<void> {
  const baked = new Set<string>()
  const bakeRun = async (run: Run, resolved: ResolvedShot): Promise<void> => {
    if (baked.has(run.key)) return
    baked.add(run.key)
    const all = resolved.items.flatMap(({ runs }) => runs)
    for (const input of run.inputs) {
      const made = all.find(({ key }) => key === input.key)
      if (made) await bakeRun(made, resolved)
    }
    const payload = { key: run.key, shot: shot.id, item: run.item, output: run.output }
    // For whoever watches in the studio.
    await estimateJob(context, payload)
    const enough =
      last !== undefined && last < run.last
        ? async () => (await keptFrames(store, [run.key])).some(({ frame }) => frame === last)
        : undefined
    await through(run.key, () => bakeJob(context, payload, { until: last }), enough)
  }
  for (const item of items) {
    const resolved = await resolveShot(store, shot)
    await requestItem(store, shot, item, resolved)
    for (const run of itemIn(resolved, item).runs) await bakeRun(run, resolved)
  }
}

async function picture(
  context: JobContext,
  shot: Shot,
  quality: PictureQualityName,
  frames: readonly number[],
): Promise<void> {
  const resolved = await resolveShot(store, shot)
  const keys = pictureKeysOf(resolved, quality, frames)
  await requestPicture(store, shot, quality, frames)
  await bake(context, shot, [
    ...new Set(frames.flatMap((frame) => instancesAt(shot.document, frame, resolved.inputs).map(({ of }) => of))),
  ])
  let done = 0
  for (const [frame, key] of keys) {
    await pictureJob(
      { ...context, progress: undefined, ending: () => stopping.now },
      { shot: shot.id, frames: [{ frame, key }], quality },
    )
    const row = (await resultRows(store, [key])).get(key)
    if (row?.state === 'failed')
      throw new LanternError('picture', row.error?.message ?? 'failed', row.error?.remedy ?? '', { frame })
    if (stopping.now) throw new LanternError('stopped', 'Stopped; what was kept stays.', 'Run it again to go on.')
    progress.report(++done / keys.size, `frame ${frame}`)
  }
}

const program = new Command('lantern').description('Headless hand for the same store that the studio works on.')
const json = ['--json <file>', 'write the machine-readable report there'] as const

program
  .command('new')
  .argument('<shot>')
  .requiredOption('--plate <path>', 'a movie, or stills as dir/name.####.png')
  .option('--rate <r>', 'frames per second', rate)
  .option('--encoding <e>', 'srgb, rec709 or linear', 'srgb')
  .option(...json)
  .action(
    async (name: string, options: { plate: string; rate?: [number, number]; encoding: string; json?: string }) => {
      const encoding = ['srgb', 'rec709', 'linear'].find((known) => known === options.encoding)
      if (!encoding)
        throw new LanternError('encoding', `“${options.encoding}” is no encoding.`, 'Choose srgb, rec709 or linear.', {
          field: 'encoding',
        })
      await newName(name)
      const path = resolve(options.plate)
      const stills = /#/.test(options.plate) || !/\.\w+$/.test(options.plate)
      const asset = await createAsset(store, options.plate)
      await withCrew((context) =>
        plateJob(context, { asset, path, kind: stills ? 'stills' : 'movie', rate: options.rate }),
      )
      const { info } = await getAsset(store, asset)
      const shot = await createShot(
        store,
        makeShot(name, {
          asset,
          file: options.plate.split('/').pop() ?? '',
          width: info.width ?? 1,
          height: info.height ?? 1,
          first: info.first ?? 1,
          last: info.last ?? 1,
          rate: info.rate ?? [24, 1],
          encoding: encoding as 'srgb',
        }),
      )
      await report(
        { shot: name, plate: shot.document.plate, gaps: info.gaps ?? [] },
        options.json,
        `${name}: ${shot.document.plate.last - shot.document.plate.first + 1} frames of ${info.width} x ${info.height}${info.gaps?.length ? `, missing ${info.gaps.join(', ')}` : ''}`,
      )
    },
  )

program
  .command('camera')
  .argument('<shot>')
  .requiredOption('--from <file>', 'glTF 2.0, USD ASCII or a table as CSV')
  .option('--scale <s>', 'times the file’s own size', Number, 1)
  .option('--offset <n>', 'added to the file’s frame numbers', Number, 0)
  .option('--up <axis>', 'y or z, where the file doesn’t say', 'y')
  .option(...json)
  .action(async (name: string, options: { from: string; scale: number; offset: number; up: string; json?: string }) => {
    const shot = await getShot(store, name)
    const bytes = await readFile(options.from).catch(() =>
      Promise.reject(
        new LanternError('file', `${options.from} can’t be read.`, 'Check the path.', { file: options.from }),
      ),
    )
    const file = options.from.split('/').pop() ?? ''
    const { plate } = shot.document
    const how = z
      .object({ scale: z.number().min(0.001).max(1000), offset: z.number().int(), up: z.enum(['y', 'z']) })
      .safeParse(options)
    if (!how.success)
      throw new LanternError(
        'camera',
        `--${how.error.issues[0]?.path.join('.')} is not one that can be had: ${how.error.issues[0]?.message}.`,
        'Scale lies between 0.001 and 1000, offset is a whole number, up is y or z.',
        { field: String(how.error.issues[0]?.path[0]) },
      )
    const { notes } = readCameraFile(bytes, file, { ...plate, rate: plate.rate[0] / plate.rate[1] }, how.data)
    const blob = await putBlob(store, bytes, 'application/octet-stream')
    await editShot(store, name, undefined, { camera: { kind: 'path', path: { blob, file, ...how.data } } })
    await report(
      { shot: name, camera: file, notes },
      options.json,
      [`${name}: camera from ${file}`, ...notes].join('\n  '),
    )
  })

program
  .command('match')
  .argument('<shot>')
  .option('--focal <mm>', 'focal length on a 36 mm wide sensor, where it is known; the shot keeps it', Number)
  .option('--take', 'in place of a camera from a file or a typed one, too')
  .option(...json)
  .action(async (name: string, options: { focal?: number; take?: boolean; json?: string }) => {
    if (options.focal !== undefined && !(options.focal > 5 && options.focal < 700))
      throw new LanternError(
        'focal',
        `A focal length of ${options.focal} mm is not one.`,
        'Give it in millimetres on a 36 mm wide sensor, 5 to 700.',
        { field: 'focal' },
      )
    const found = await withCrew((context) =>
      matchShot(context, name, {
        ...(options.focal === undefined ? {} : { focal: options.focal }),
        take: options.take === true,
      }),
    )
    const doubts = found.doubts.map(({ what, remedy }) => `\n  in doubt: ${what} ${remedy}`).join('')
    const taken = found.taken ? '' : '\n  kept, but not the shot’s camera: --take makes it so'
    await report(
      found,
      options.json,
      `${name}: ${found.kind}, error ${found.medianPx.toFixed(2)} px, focal length ${found.focalPx.toFixed(1)} px, k1 ${found.distortion.k1.toFixed(4)}, ${found.points} of ${found.tracks} tracks, ${found.seconds.toFixed(0)} s${doubts}${taken}`,
    )
  })

program
  .command('measure')
  .argument('<shot>')
  .option(...json)
  .action(async (name: string, options: { json?: string }) => {
    const found = await withCrew((context) => measureShot(context, name))
    const { risePx, shutter, drift, black, white } = found.plate
    const told = drift.filter((v) => v !== null)
    await report(
      found,
      options.json,
      `${name}: edges rise in ${risePx?.toFixed(2) ?? '–'} px, black ${black.map((v) => v.toFixed(3)).join(' ')}, white ${white.map((v) => v.toFixed(3)).join(' ')}, shutter ${shutter === null ? 'not told' : `${Math.round(shutter * 360)}°`}, drift ${told.length > 0 ? (Math.max(...told) - Math.min(...told)).toFixed(2) : '–'} stops`,
    )
  })

program
  .command('edit')
  .argument('<shot>')
  .requiredOption('--merge <file>', 'a JSON merge patch')
  .option(...json)
  .action(async (name: string, options: { merge: string; json?: string }) => {
    const text = await readFile(options.merge, 'utf8').catch(() =>
      Promise.reject(
        new LanternError('file', `${options.merge} can’t be read.`, 'Check the path.', { file: options.merge }),
      ),
    )
    let patch: unknown
    try {
      patch = JSON.parse(text)
    } catch {
      throw new LanternError('json', `${options.merge} is not JSON.`, 'Write a JSON object of the fields to change.', {
        file: options.merge,
      })
    }
    const shot = await editShot(store, name, undefined, patch)
    await report(
      { shot: name, head: shot.head, document: shot.document },
      options.json,
      `${name}: revision ${shot.head}`,
    )
  })

program
  .command('show')
  .argument('<shot>')
  .option(...json)
  .action(async (name: string, options: { json?: string }) => {
    const shot = await getShot(store, name)
    const status = await shotStatus(store, shot)
    const items = Object.entries(status.items).map(([id, one]) => `${id} ${one.kept.length} kept, ${one.state}`)
    await report(
      { shot: name, head: shot.head, document: shot.document, status },
      options.json,
      [
        `${name}, revision ${shot.head}`,
        `plate ${status.asset.state}`,
        ...items,
        `look ${status.look.kept.length}, final ${status.final.kept.length}`,
      ].join('\n'),
    )
  })

program
  .command('bake')
  .argument('<shot>')
  .argument('[item]')
  .option('--frames <a-b>', 'no further than to the last of them; those before it burn first and are kept too')
  .option(...json)
  .action(async (name: string, item: string | undefined, options: { frames?: string; json?: string }) => {
    const shot = await getShot(store, name)
    const items = item ? [item] : bakedItems(shot.document).map(([id]) => id)
    const last = options.frames ? framesOf(shot.document, options.frames).at(-1) : undefined
    await withCrew((context) => bake(context, shot, items, last))
    const status = await shotStatus(store, shot)
    await report(
      { shot: name, items: status.items },
      options.json,
      items.map((id) => `${id}: ${status.items[id]?.kept.length ?? 0} frames kept`).join('\n'),
    )
  })

program
  .command('gas')
  .argument('<shot>')
  .requiredOption('--from <path>', 'OpenVDB as dir/name.####.vdb, or one file')
  .option('--name <n>', 'what it is called in the roster', 'Gas from elsewhere')
  .option('--at <n>', 'frame of the plate at which its first one is shown', Number)
  .option(...json)
  .action(async (name: string, options: { from: string; name: string; at?: number; json?: string }) => {
    const shot = await getShot(store, name)
    const taken = await takeVolumes(store, options.from, options.at ?? shot.document.plate.first)
    const id = `gas-${taken.blobs[0]?.slice(0, 6) ?? ''}`
    const order = Math.max(0, ...Object.values(shot.document.items).map((item) => item.order)) + 1
    await editShot(store, name, undefined, { items: { [id]: makeItem('gas', { name: options.name, order, taken }) } })
    await report(
      { shot: name, item: id, frames: taken.blobs.length },
      options.json,
      `${name}: ${taken.blobs.length} frames of ${taken.file} as ${id}`,
    )
  })

program
  .command('picture')
  .argument('<shot>')
  .option('--frames <a-b>')
  .option('--quality <q>', 'look or final', 'look')
  .option(...json)
  .action(async (name: string, options: { frames?: string; quality: string; json?: string }) => {
    const shot = await getShot(store, name)
    if (options.quality !== 'look' && options.quality !== 'final')
      throw new LanternError('quality', `“${options.quality}” is no quality.`, 'Choose look or final.', {
        field: 'quality',
      })
    const quality = options.quality
    const frames = framesOf(shot.document, options.frames)
    await withCrew((context) => picture(context, shot, quality, frames))
    await report({ shot: name, quality, frames }, options.json, `${name}: ${frames.length} frames kept at ${quality}`)
  })

program
  .command('out')
  .argument('<shot>')
  .option('--movie <file>')
  .option('--exr <dir>')
  .option('--vdb <dir>', 'every gas as OpenVDB, a file a frame')
  .option('--full-floats', 'of OpenVDB, instead of halves')
  .option('--camera <file>', 'with points, tracks and test objects: .gltf, .usda, or the camera alone as .csv')
  .option('--tracks <file>', 'tracks as .csv')
  .option('--lens-map <file>', 'the lens’s bend as .exr')
  .option('--up <axis>', 'y or z, for USD and CSV', 'y')
  .option('--unit <u>', 'm or cm, for USD and CSV', 'm')
  .option('--first <n>', 'number of the plate’s first frame in these files', Number)
  .option('--frames <a-b>')
  .option('--quality <q>', 'look or final', 'final')
  .option(...json)
  .action(
    async (
      name: string,
      options: {
        movie?: string
        exr?: string
        vdb?: string
        fullFloats?: boolean
        camera?: string
        tracks?: string
        lensMap?: string
        up: string
        unit: string
        first?: number
        frames?: string
        quality: string
        json?: string
      },
    ) => {
      const shot = await getShot(store, name)
      const frames = framesOf(shot.document, options.frames)
      const quality: PictureQualityName = options.quality === 'look' ? 'look' : 'final'
      const path = await cameraPathOf(store, shot.document)
      if (options.movie || options.exr)
        await withCrew(async (context) => {
          if (bakedItems(shot.document).length > 0) await picture(context, shot, quality, frames)
          await writeHandOff(context, shot, { movie: options.movie, exr: options.exr, quality, frames })
        })
      if (options.vdb) {
        const folder = options.vdb
        if (bakedItems(shot.document).length === 0)
          throw new LanternError('no-gas', 'The shot has no gas to hand off.', 'Add one, or leave --vdb out.', {
            field: 'vdb',
          })
        await withCrew(async (context) => {
          await bake(
            context,
            shot,
            bakedItems(shot.document).map(([id]) => id),
          )
          await writeVolumes(context, shot, folder, frames, !options.fullFloats)
        })
      }
      if (options.camera || options.tracks || options.lensMap) {
        const cameras = frames.flatMap((frame) => {
          const camera = cameraAt(shot.document, path, frame)
          return camera ? [{ frame, camera }] : []
        })
        if (cameras.length === 0)
          throw new LanternError('no-camera', 'The shot has no camera to hand off.', 'Take in a camera or type one.', {
            field: 'camera',
          })
        await writeMatchFiles(store, shot, cameras, options)
      }
      await report(
        {
          shot: name,
          frames: frames.length,
          movie: options.movie,
          exr: options.exr,
          vdb: options.vdb,
          camera: options.camera,
          tracks: options.tracks,
          lensMap: options.lensMap,
        },
        options.json,
        `${name}: ${frames.length} frames handed off`,
      )
    },
  )

for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => (stopping.now = true))

try {
  await migrate(store)
  await program.parseAsync()
} catch (error) {
  if (error instanceof LanternError) console.error(`${error.message} ${error.remedy}`)
  else
    console.error(
      error instanceof Error && 'code' in error && error.code === 'ECONNREFUSED'
        ? 'The database can’t be reached. Start it with npm start, or set LANTERN_DATABASE_URL.'
        : error,
    )
  process.exitCode = 1
} finally {
  await store.close()
}
