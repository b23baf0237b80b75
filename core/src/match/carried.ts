import { placeAt } from '../data/index.ts'
import { land } from './bundleCost.ts'
import { linearise, newNormal } from './normalEquations.ts'
import { lensCovariance } from './normalStep.ts'
import type { SolveInput } from './solve.ts'
import { bundleOf, hasPoint, type Structure } from './structure.ts'

// What of the lens the tracks carry: its terms with their standard errors, and those held that they do not carry.

/** focal length in px, k1, k2; undefined where a term was known or is held. */
export interface LensErrors {
  focalPx?: number
  k1?: number
  k2?: number
}
const TERMS = ['k2', 'k1', 'focalPx'] as const
const AT = { focalPx: 0, k1: 1, k2: 2 } as const

/** Focal length is found where its standard error is below this share of it. */
const SURE_FOCAL = 0.05
/** A lens term is found where its standard error moves the picture's corner by less than this share of the half diagonal, and bends it by less than the next one. */
const SURE_BEND = 0.02
const MOST_BEND = 0.5

/** What all places may be off by together, px of a 1280-px picture: no number of tracks averages it out. */
const SYSTEMATIC_PX = 0.004

type Kind = 'moving' | 'turning'
const part = (s: Structure, kind: Kind, free: readonly [boolean, boolean, boolean]) => {
  const home = s.solved.indexOf(1)
  return {
    frames: () => true,
    freePose: (f: number) => f !== home,
    turnOnly: kind === 'turning',
    freeLens: free,
    freePoints: true,
    huber: kind === 'turning' ? 0.7 : 0.2,
  }
}

/** Sum of squared residuals, how many there are, and how alike each is to the one of the frame before (lag-1 correlation): followed places err alike for a while. */
function spread(s: Structure): { square: number; count: number; alike: number } {
  const out = new Float64Array(2)
  let [square, count, product, pairs] = [0, 0, 0, 0]
  for (const [n, track] of s.tracks.entries()) {
    if (s.dropped[n] || !hasPoint(s, n)) continue
    let before: [number, number] | undefined
    for (let f = track.first; f < track.first + track.places.length / 2; f++) {
      const place = s.solved[f] ? placeAt(track, f) : undefined
      if (!place || !land(s.poses, f, s.points, n, s.lens, out)) {
        before = undefined
        continue
      }
      const e: [number, number] = [
        (out[0] as number) + s.width / 2 - place[0],
        (out[1] as number) + s.height / 2 - place[1],
      ]
      square += e[0] * e[0] + e[1] * e[1]
      count += 2
      if (before) {
        product += e[0] * before[0] + e[1] * before[1]
        pairs += 2
      }
      before = e
    }
  }
  return { square, count, alike: pairs > 0 && square > 0 ? Math.max(0, product / pairs / (square / count)) : 0 }
}

/**
 * Standard errors of the free lens terms: from the inverse normal equations with poses and points free too (Triggs et al. 2000, 8), scaled by the residuals,
 * these taken to err alike over neighbouring frames by (1 + r) / (1 - r), and all together by 0.004 px. Infinite where the tracks do not fix the lens at all.
 */
export function lensErrors(s: Structure, kind: Kind, free: readonly [boolean, boolean, boolean]): LensErrors {
  const { bundle } = bundleOf(s, part(s, kind, free))
  const normal = newNormal(bundle)
  linearise(bundle, normal)
  const covariance = lensCovariance({ ...bundle, crew: undefined }, normal)
  const { square, count, alike } = spread(s)
  const most = Math.min(alike, 0.98)
  const systematic = (SYSTEMATIC_PX * s.width) / 1280
  const variance =
    ((square / Math.max(1, count - normal.size - bundle.points.length)) * (1 + most)) / (1 - most) +
    count * systematic * systematic
  const errors: LensErrors = {}
  let at = 0
  for (const [name, k] of [
    ['focalPx', 0],
    ['k1', 1],
    ['k2', 2],
  ] as const) {
    if (!free[k]) continue
    const own = covariance?.[at]?.[at]
    errors[name] = own === undefined || !(own >= 0) ? Infinity : Math.sqrt(own * variance)
    at++
  }
  return errors
}

export interface Carried {
  errors: LensErrors
  /** Terms that the tracks do not carry, held at what is proposed, with the standard error that they would have had. */
  held: { term: keyof LensErrors; found: number; error: number; at: number }[]
}

/** Share of the half diagonal by which a lens term bends the corner. */
const bendAtCorner = (s: Structure, term: 'k1' | 'k2', value: number): number => {
  const r2 = (s.width * s.width + s.height * s.height) / 4 / ((s.lens[0] as number) * (s.lens[0] as number))
  return Math.abs(value) * (term === 'k1' ? r2 : r2 * r2)
}

/** Whether the tracks carry a term as it was found. */
function carries(s: Structure, term: keyof LensErrors, error: number): boolean {
  if (term === 'focalPx') return error < SURE_FOCAL * (s.lens[0] as number)
  return bendAtCorner(s, term, error) < SURE_BEND && bendAtCorner(s, term, s.lens[AT[term]] as number) < MOST_BEND
}

/** Solves with what is known; then, one after another from the last, with each lens term that the tracks don't carry held at what is proposed of it (else 0). */
export async function solveCarried(
  kind: Kind,
  input: SolveInput,
  solve: (input: SolveInput) => Promise<Structure>,
): Promise<{ s: Structure; lens: Carried }> {
  let known = { ...input.known }
  const held: Carried['held'] = []
  const isFree = (term: keyof LensErrors): boolean => known[term] === undefined
  const free = (): [boolean, boolean, boolean] => [isFree('focalPx'), isFree('k1'), isFree('k2')]
  let s = await solve(input)
  let errors = lensErrors(s, kind, free())
  const hold = (term: keyof LensErrors): void => {
    const at = term === 'focalPx' ? (input.proposedFocalPx ?? input.width) : 0
    held.push({ term, found: s.lens[AT[term]] as number, error: errors[term] ?? Infinity, at })
    known = { ...known, [term]: at }
  }
  // A focal length that even a straight lens would leave open takes the others with it.
  const hopeless = (): boolean =>
    isFree('focalPx') && !carries(s, 'focalPx', lensErrors(s, kind, [true, false, false]).focalPx ?? 0)
  for (const term of TERMS) {
    const terms =
      hopeless() || (term === 'focalPx' && isFree(term) && !carries(s, term, errors[term] ?? Infinity)) ? TERMS : [term]
    const weak = terms.filter((one) => isFree(one) && (terms === TERMS || !carries(s, one, errors[one] ?? Infinity)))
    if (weak.length === 0) continue
    weak.forEach(hold)
    s = await solve({ ...input, known, start: [s.lens[0] as number, s.lens[1] as number] })
    errors = lensErrors(s, kind, free())
  }
  return { s, lens: { errors, held } }
}
