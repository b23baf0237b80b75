import { LanternError, stopIfCancelled } from '@lantern/core/base'
import type { CheckedFrame, ShotCheck } from '@lantern/core/data'
import { checkedLines, type PlateReport } from '@lantern/core/data'
import { readPicture, writeShotCheck } from '@lantern/core/formats'
import {
  areaAt,
  checkedLays,
  checkFrame,
  type FrameCheck,
  nudgesBetween,
  plateGrain,
  plateSun,
  type SlideInputs,
  type SpeedSources,
  scaledLaw,
  speedLines,
  standingLayers,
  trackOffs,
} from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import { type GrainLaw, plateSpreads, plateValues, type Spreads } from '@lantern/core/sit'
import {
  type CheckedPicture,
  checkPlan,
  findShotById,
  getAsset,
  getBlob,
  type JobPayload,
  keptFrame,
  keptReport,
  type ResolvedShot,
  resolveDocument,
  resolveShot,
  resultState,
  type Shot,
  setResultState,
  solvedMatch,
  speedSources,
} from '@lantern/store'
import { nodeDeflate } from '../io/deflate.ts'
import { plateLight, stackOf } from '../io/stackOf.ts'
import type { JobContext } from './context.ts'
import { runSingleOutput } from './runSingleOutput.ts'

/** What all frames of a check have in common. */
interface Checking {
  context: JobContext
  resolved: ResolvedShot
  grain: GrainLaw
  report: PlateReport | undefined
  /** How much the plate differs from itself, by the size of the picture. */
  spreads: Map<number, Spreads>
  /** The shot's solve and its tracks, and what tells how fast its fires go. */
  match: Awaited<ReturnType<typeof solvedMatch>>
  speeds: SpeedSources
}

/** What the slides of a frame are told from; undefined where it, or the other frame, has no camera. */
async function slideOf(
  { context: { store }, resolved, match }: Checking,
  { frame, base }: CheckedPicture,
): Promise<SlideInputs | undefined> {
  const { document, camera, inputs } = resolved
  const [here, there] = [camera(frame), camera(base.frame)]
  if (!here || !there) return undefined
  const kept = base.key && (await keptFrame(store, base.key, base.frame))
  const picture = kept ? readPicture(await getBlob(store, kept.blob), nodeDeflate) : undefined
  return {
    camera: here,
    other: { camera: there, frame: base.frame, ...(picture ? { picture } : {}) },
    offs: trackOffs(match.solve, match.tracks, frame, base.frame),
    nudges: nudgesBetween(document, frame, base.frame, inputs),
    standing: standingLayers(document, frame, base.frame, inputs),
  }
}

/** Measures a frame. Throws LanternError 'no-picture', 'area', and what laying it throws. */
async function measureOne(checking: Checking, one: CheckedPicture): Promise<FrameCheck> {
  const { context, resolved, grain, report, spreads } = checking
  const { frame, key, quality } = one
  const { store, crew } = context
  const { document, camera } = resolved
  const { plate, sit } = document
  const kept = await keptFrame(store, key, frame)
  if (!kept)
    throw new LanternError('no-picture', 'Its picture is not kept any more.', 'Make it again.', {
      frame,
      field: 'frames',
    })
  const picture = readPicture(await getBlob(store, kept.blob), nodeDeflate)
  const variant = picture.width * 2 > plate.width * 1.5 ? 'full' : 'half'
  const light = await plateLight(context, resolved, frame, variant)
  const settings = await stackOf(context, resolved, grain, { frame, quality, size: variant, picture, light }, report)
  const scale = light.width / plate.width
  const spread = spreads.get(scale) ?? plateSpreads(plateValues(crew, light, settings.sensor), scaledLaw(grain, scale))
  spreads.set(scale, spread)
  const areas = Object.fromEntries(
    Object.entries(sit.layers).flatMap(([id, { area }]) => (area ? [[id, areaAt(document, area, camera, frame)]] : [])),
  )
  const slide = await slideOf(checking, one)
  const area = sit.area && areaAt(document, sit.area, camera, frame)
  return checkFrame(crew, {
    ...{ plate: light, picture, settings, fullWidth: plate.width, frame, spreads: spread },
    names: checkedLays(document, areas, area),
    quick: quality === 'look',
    sun: plateSun(document.light),
    ...(report?.shutter ? { shutter: { plate: report.shutter, picture: document.camera.shutter / 360 } } : {}),
    speeds: speedLines(document, frame, resolved.inputs, checking.speeds),
    ...(slide ? { slide } : {}),
    ...(area ? { area } : {}),
  })
}

async function checkOne(checking: Checking, one: CheckedPicture): Promise<CheckedFrame> {
  const { frame, quality } = one
  try {
    const { layers } = await measureOne(checking, one)
    return { frame, quality, layers: layers.map(({ id, name, share, lines }) => ({ id, name, share, lines })) }
  } catch (error) {
    if (!(error instanceof LanternError)) throw error
    return { frame, quality, layers: [], wrong: `${error.message} ${error.remedy}` }
  }
}

/** What the frames of a shot's check have in common. */
async function checkingOf(context: JobContext, resolved: ResolvedShot): Promise<Checking> {
  const { store } = context
  const { document } = resolved
  const { plate } = document
  const report = await keptReport(store, document)
  const grain = plateGrain(report, (await getAsset(store, plate.asset)).info.grain?.[plate.encoding])
  const [match, speeds] = [await solvedMatch(store, document), await speedSources(store, resolved)]
  return { context, resolved, grain, report, spreads: new Map(), match, speeds }
}

/** Measures frames of a document that need not be kept yet. */
export async function measureDocument(
  context: JobContext,
  document: ShotDocument,
  pictures: readonly CheckedPicture[],
): Promise<FrameCheck[]> {
  const checking = await checkingOf(context, await resolveDocument(context.store, document))
  const found: FrameCheck[] = []
  for (const one of pictures) found.push(await measureOne(checking, one))
  return found
}

/** Checks how a shot's layers sit at the given pictures. */
export async function checkShot(
  context: JobContext,
  shot: Shot,
  pictures: readonly CheckedPicture[],
): Promise<ShotCheck> {
  const checking = await checkingOf(context, await resolveShot(context.store, shot))
  const frames: CheckedFrame[] = []
  for (const [n, one] of pictures.entries()) {
    if (context.progress) stopIfCancelled(context.progress)
    frames.push(await checkOne(checking, one))
    context.progress?.report((n + 1) / pictures.length, `checking frame ${one.frame}`)
  }
  return { frames }
}

/** Checks a shot as it is now and keeps what was found. What it has moved on from is let go. */
export async function checkJob(context: JobContext, { shot: id, key }: JobPayload<'check'>): Promise<void> {
  const { store } = context
  const shot = await findShotById(store, id)
  const plan = shot && (await checkPlan(store, shot))
  if (!shot || plan?.key !== key) {
    if ((await resultState(store, key)) === 'waiting') await setResultState(store, key, 'stopped')
    return
  }
  await runSingleOutput(context, key, async (progress) => {
    const found = await checkShot({ ...context, progress }, shot, plan.pictures)
    return { bytes: writeShotCheck(found), mediaType: 'application/json', figures: { ...checkedLines(found) } }
  })
}
