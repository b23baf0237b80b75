import type { MatchStage, MatchStatus, PlateStatus } from '../src/index.ts'

export const stage = (over: Partial<MatchStage> = {}): MatchStage => ({
  key: 'k',
  state: 'missing',
  share: 0,
  doing: null,
  error: null,
  figures: {},
  ...over,
})
/** Of a shot that nothing was followed in yet. */
export const NO_MATCH: MatchStatus = { tracks: stage({ key: 't' }), solve: stage({ key: 's' }), hands: {}, things: {} }
/** Of a shot whose plate nothing was measured in yet. */
export const NO_READINGS: PlateStatus = { report: stage({ key: 'r' }), areas: {} }
