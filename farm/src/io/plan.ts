import { LanternError } from '@lantern/core/base'
import type { PlateAssetInfo } from '@lantern/store'
import { decodeMovie, probeMovie } from './movie.ts'
import { findStills, readStill, type Still, type StillPixels, splitAlpha } from './stills.ts'

// How a plate's files become numbered frames.

export const FIRST_OF_MOVIES = 1001
const MOST_FRAMES = 1_000_000
const MOST_FRAME = 2 ** 31 - 1
/** What is left out is named, up to so many of it. */
const MOST_NOTES = 50

export interface Plan {
  info: PlateAssetInfo
  /** Frames to come, as far as the files tell. */
  total: number
  /** Hands on frame after frame; the pixels may be kept. Ends early where `take` returns false. */
  read(take: (frame: number, pixels: StillPixels) => Promise<boolean>): Promise<void>
}

const note = (info: PlateAssetInfo, text: string): void => {
  info.notes ??= []
  if (info.notes.length < MOST_NOTES) info.notes.push(text)
  else if (info.notes.length === MOST_NOTES) info.notes.push('More was left out.')
}

/** Throws LanternError 'movie' where it is none. A movie that breaks off is taken as far as it goes, and says so. */
export async function planMovie(path: string, name: string): Promise<Plan> {
  const movie = await probeMovie(path, name)
  const total = movie.frames ?? 0
  const info: PlateAssetInfo = {
    width: movie.width,
    height: movie.height,
    first: FIRST_OF_MOVIES,
    last: FIRST_OF_MOVIES + Math.max(1, total) - 1,
    rate: movie.rate,
    gaps: [],
    bits: movie.bits,
    ...(movie.alpha ? { alpha: true } : {}),
  }
  return {
    info,
    total,
    async read(take) {
      const bits = movie.bits === 16 ? 16 : 8
      const found = await decodeMovie(path, movie, name, (n, data) =>
        take(FIRST_OF_MOVIES + n, {
          width: movie.width,
          height: movie.height,
          bits,
          ...(movie.alpha ? splitAlpha(data, bits === 16 ? 2 : 1) : { data: Buffer.from(data) }),
        }),
      )
      if (found.stopped) return
      info.last = FIRST_OF_MOVIES + found.count - 1
      if (found.broken)
        note(info, `${name} breaks off after frame ${info.last}; copy it again from its source for the rest.`)
    },
  }
}

/** Refuses numbers that are no frames of one plate. */
function checkNumbers(first: Still, last: Still): void {
  if (last.frame > MOST_FRAME)
    throw new LanternError(
      'still-number',
      `The number of ${last.name} is too long for a frame.`,
      `Number the stills by up to ${MOST_FRAME}.`,
      { file: last.name },
    )
  if (last.frame - first.frame >= MOST_FRAMES)
    throw new LanternError(
      'still-number',
      `From ${first.name} to ${last.name} are ${last.frame - first.frame + 1} frames; ${MOST_FRAMES} is the most.`,
      'Drop the stills of one run alone, or number them one after another.',
      { file: last.name },
    )
}

/** Frames between stills that have none, as ranges. */
function gapsBetween(frames: readonly number[]): [number, number][] {
  return frames.flatMap((frame, n) => {
    const before = frames[n - 1]
    return before !== undefined && frame - before > 1 ? [[before + 1, frame - 1] as [number, number]] : []
  })
}

/** The first still that can be read, which says how large the run is. Throws what the first one is refused with where none can. */
async function firstReadable(stills: readonly Still[]): Promise<{ still: Still; pixels: StillPixels }> {
  let refused: unknown
  for (const still of stills)
    try {
      return { still, pixels: await readStill(still) }
    } catch (error) {
      if (!(error instanceof LanternError)) throw error
      refused ??= error
    }
  throw refused ?? new LanternError('stills', 'There are no stills.', 'Choose numbered pictures.')
}

/** Numbered stills, or one still. One that can't be read, or has another size than the rest, is named and left out as a gap. Throws LanternError 'stills', 'still', 'still-number'. */
export async function planStills(pattern: string, rate: [number, number]): Promise<Plan> {
  const stills = await findStills(pattern)
  const [first, last] = [stills[0], stills[stills.length - 1]]
  if (!first || !last) throw new LanternError('stills', 'There are no stills.', 'Choose numbered pictures.')
  checkNumbers(first, last)
  const { still: start, pixels: model } = await firstReadable(stills)
  const { width, height, bits } = model
  const info: PlateAssetInfo = {
    width,
    height,
    first: first.frame,
    last: last.frame,
    rate,
    gaps: gapsBetween(stills.map(({ frame }) => frame)),
    bits,
    ...('alpha' in model && model.alpha ? { alpha: true } : {}),
    ...('passes' in model && model.passes ? { channels: [...model.passes.channels] } : {}),
  }
  return {
    info,
    total: stills.length,
    async read(take) {
      const read: number[] = []
      for (const still of stills) {
        try {
          const pixels = still === start ? model : await readStill(still)
          if (pixels.width !== width || pixels.height !== height)
            note(
              info,
              `${still.name} was left out: ${pixels.width} by ${pixels.height} pixels, where the run is ${width} by ${height}.`,
            )
          else {
            if (!(await take(still.frame, pixels))) return
            read.push(still.frame)
          }
        } catch (error) {
          if (!(error instanceof LanternError) || error.code !== 'still') throw error
          note(info, `${still.name} was left out: it can’t be read.`)
        }
      }
      info.gaps = gapsBetween(read)
      info.first = read[0] ?? info.first
      info.last = read[read.length - 1] ?? info.last
    },
  }
}
