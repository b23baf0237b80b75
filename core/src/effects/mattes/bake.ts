import { LanternError } from '../../base/index.ts'
import { insideOfWhole, type MatteFrame } from '../../data/index.ts'
import { readMatteBackground, readMatteFrame, writeMatteFrame } from '../../formats/index.ts'
import { Carrying, type HelpedMatte, heightOf, labPicture, REACH, widthOf } from '../../mattes/index.ts'
import type { BakeTools, MadeFrame, WholeBake } from '../effect.ts'
import {
  acceptedBefore,
  frameKeyOf,
  helpedSteps,
  type MattePlate,
  type MatteStep,
  matteFrames,
  matteSize,
  openStrokesOf,
  stepFrameKeys,
} from './steps.ts'

/** Pixels of the rim of which the picture tells less than this are uncertain. */
const UNSURE = 0.3
const MEDIA = 'application/x-lantern-matte'

/** What a kept frame tells of itself: the share of its rim that is uncertain, and where its foot is, the middle of the lowest row that it covers, in shares of the picture. */
function figuresOf({ width, height, x, y, wide, high, alpha }: MatteFrame, uncertain: number): MadeFrame['figures'] {
  for (let row = high - 1; row >= 0; row--) {
    let [sum, count] = [0, 0]
    for (let n = 0; n < wide; n++)
      if ((alpha[row * wide + n] as number) > 127) {
        sum += n
        count++
      }
    if (count > 0) return { uncertain, footX: (x + sum / count + 0.5) / width, footY: (y + row + 1) / height }
  }
  return { uncertain }
}

/** A frame as it is kept, as its labels are now. alone: without a look at its neighbours. */
export async function encodeMatte(
  carrying: Carrying,
  frame: number,
  deflate: BakeTools['deflate'],
  alone = false,
): Promise<MadeFrame> {
  const { width, height } = carrying.window.plate
  const found = await carrying.alpha(frame, alone)
  const labels = carrying.labels.get(frame)
  const box = found?.part.box ?? { x0: 0, y0: 0, x1: 0, y1: 0 }
  const [wide, high] = [widthOf(box), heightOf(box)]
  const alpha = new Uint8Array(wide * high)
  const inside = new Uint8Array(wide * high)
  let [band, unsure] = [0, 0]
  if (found && labels)
    for (let n = 0; n < alpha.length; n++) {
      alpha[n] = Math.round(255 * Math.min(1, Math.max(0, found.alpha[n] as number)))
      inside[n] = labels[(Math.floor(n / wide) + box.y0) * width + (n % wide) + box.x0] as number
      if (!found.part.band[n]) continue
      band++
      if ((found.part.told[n] as number) < UNSURE) unsure++
    }
  const kept: MatteFrame = { width, height, x: box.x0, y: box.y0, wide, high, alpha, inside }
  return {
    bytes: writeMatteFrame(kept, deflate, alone ? undefined : found?.part.background),
    mediaType: MEDIA,
    figures: figuresOf(kept, band > 0 ? unsure / band : 0),
  }
}

/** An accepted frame: its file as it is. */
async function acceptedFrame({ blob, deflate }: BakeTools, key: string): Promise<MadeFrame> {
  const bytes = await blob(key)
  return { bytes, mediaType: MEDIA, figures: figuresOf(readMatteFrame(bytes, deflate), 0) }
}

/** A matte being carried, over a plate as the farm reads it. */
export function carryingOver(
  tools: BakeTools,
  helped: HelpedMatte,
  plate: MattePlate,
  strokes: MatteStep['strokes'],
  accepted: ReadonlyMap<number, Uint8Array>,
): Carrying {
  const reader = tools.plate(matteSize(plate))
  const { first, last } = matteFrames(helped, plate)
  return new Carrying(tools.crew, {
    plate: {
      width: reader.width,
      height: reader.height,
      first,
      last,
      lab: async (n) => labPicture(tools.crew, await reader.frame(n), reader.width, reader.height),
      motion: (n) => reader.motion(n),
    },
    strokes,
    scale: reader.width / plate.width,
    from: Math.min(helped.from, helped.to),
    to: Math.max(helped.from, helped.to),
    accepted,
  })
}

/** The labels of frames as they were after some steps, from kept frames; undefined where one is gone. */
export async function labelsAfter(
  { deflate }: Pick<BakeTools, 'deflate'>,
  kept: (chain: string) => Promise<Uint8Array | undefined>,
  chains: ReadonlyMap<number, string>,
  accepted: ReadonlyMap<number, string>,
): Promise<Map<number, Uint8Array> | undefined> {
  const labels = new Map<number, Uint8Array>()
  for (const [frame, chain] of chains) {
    if (accepted.has(frame)) continue
    const bytes = await kept(chain)
    if (!bytes) return undefined
    labels.set(frame, insideOfWhole(readMatteFrame(bytes, deflate)))
  }
  return labels
}

/** The files of accepted frames as labels. */
export async function acceptedLabels(
  { deflate, blob }: Pick<BakeTools, 'deflate' | 'blob'>,
  blobs: ReadonlyMap<number, string>,
): Promise<Map<number, Uint8Array>> {
  const labels = new Map<number, Uint8Array>()
  for (const [frame, key] of blobs) labels.set(frame, insideOfWhole(readMatteFrame(await blob(key), deflate)))
  return labels
}

/** The labels after as many steps as are kept. Returns how many; none where it is begun anew. */
async function lastKept(
  tools: BakeTools,
  kept: (chain: string) => Promise<Uint8Array | undefined>,
  steps: readonly MatteStep[],
  helped: HelpedMatte,
  plate: MattePlate,
): Promise<{ count: number; labels: Map<number, Uint8Array> }> {
  for (let count = steps.length - 1; count > 0; count--) {
    const accepted = acceptedBefore(helped, steps[count - 1]?.round ?? 0)
    const labels = await labelsAfter(tools, kept, stepFrameKeys(steps, helped, plate, count), accepted)
    if (labels) return { count, labels }
  }
  return { count: 0, labels: new Map() }
}

/** How a helped matte is made: from the last of its steps whose frames are all kept, or from the beginning. */
export function helpedBake(helped: HelpedMatte, plate: MattePlate, steps: readonly MatteStep[]): WholeBake {
  const finals = stepFrameKeys(steps, helped, plate)
  const accepted = acceptedBefore(helped, helped.carried)
  return {
    way: 'whole',
    async make(tools, { have, kept, keep, say }) {
      for (const [frame, blob] of accepted)
        if (!have.has(frame) && finals.has(frame)) await keep(frame, await acceptedFrame(tools, blob))
      if ([...finals.keys()].every((frame) => have.has(frame))) return
      const { count, labels } = await lastKept(tools, kept, steps, helped, plate)
      const strokes = steps.slice(0, Math.max(1, count)).flatMap((step) => step.strokes)
      const begun = acceptedBefore(helped, steps[Math.max(0, count - 1)]?.round ?? 0)
      const carrying = carryingOver(tools, helped, plate, strokes, await acceptedLabels(tools, begun))
      const left = steps.length - count
      // What a step decides and no later one touches is kept as it is after it.
      const land = async ({ key }: MatteStep): Promise<void> => {
        for (const [frame, chain] of finals)
          if (!have.has(frame) && chain === frameKeyOf(key, frame))
            await keep(frame, await encodeMatte(carrying, frame, tools.deflate))
      }
      if (count > 0) carrying.restore(labels)
      for (const [n, step] of steps.slice(count).entries()) {
        const tell = (share: number): Promise<void> =>
          say((n + 0.9 * share) / left, count + n === 0 ? 'Carrying' : 'Correcting')
        for (const [frame, own] of await acceptedLabels(tools, acceptedBefore(helped, step.round)))
          carrying.keep(frame, own)
        if (step.frame === undefined) await carrying.all(tell)
        else await carrying.correct(step.frame, step.strokes, tell)
        await land(step)
      }
    },
  }
}

/** So many keyed frames tell the colours of a correction that is cut by itself. */
const NEAREST = 3

/** One stroked frame cut by itself: by its strokes alone before anything is carried, else as a correction. Throws LanternError 'not-carried'. */
export async function strokedFrame(
  tools: BakeTools,
  kept: (chain: string) => Promise<Uint8Array | undefined>,
  helped: HelpedMatte,
  plate: MattePlate,
  frame: number,
): Promise<MadeFrame> {
  const steps = helpedSteps(helped, plate)
  const accepted = acceptedBefore(helped, helped.carried)
  if (steps.length === 0) {
    const carrying = carryingOver(tools, helped, plate, openStrokesOf(helped), await acceptedLabels(tools, accepted))
    await carrying.firstCut(frame)
    return encodeMatte(carrying, frame, tools.deflate, true)
  }
  // Colours are those of the keyed frames nearest to it; what lies behind was kept with the frame.
  const told = steps.flatMap((step) => step.strokes)
  const near = new Set(
    [...new Set(told.map((one) => one.frame))]
      .sort((a, b) => Math.abs(a - frame) - Math.abs(b - frame))
      .slice(0, NEAREST),
  )
  const strokes = told.filter((one) => one.frame === frame || near.has(one.frame))
  const carrying = carryingOver(tools, helped, plate, strokes, new Map())
  const all = stepFrameKeys(steps, helped, plate)
  const bytes = await (accepted.has(frame) ? tools.blob(accepted.get(frame) ?? '') : kept(all.get(frame) ?? ''))
  const behind = bytes && readMatteBackground(bytes, tools.deflate)
  // Where it was not kept, the frames around tell it.
  const chains = [...all].filter(
    ([n]) => n === frame || carrying.keyed.has(n) || (!behind && Math.abs(n - frame) <= REACH),
  )
  const labels = await labelsAfter(tools, kept, new Map(chains), accepted)
  if (!labels || !bytes)
    throw new LanternError(
      'not-carried',
      `Frame ${frame} is not carried yet.`,
      'Let the carry finish, or press Carry again.',
      { frame },
    )
  const { x, y, wide, high } = readMatteFrame(bytes, tools.deflate)
  if (behind) carrying.given.set(frame, { box: { x0: x, y0: y, x1: x + wide, y1: y + high }, ...behind })
  carrying.restore(labels)
  carrying.labels.set(frame, await carrying.correctedFrame(frame, openStrokesOf(helped, frame)))
  return encodeMatte(carrying, frame, tools.deflate, true)
}
