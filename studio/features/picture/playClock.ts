/** Frames that a late tick catches up on at the most; more are left out of the count, so that what was waited for is not run after. */
const MOST_AT_ONCE = 4

/**
 * Shows frames at an even pace whenever the browser ticks: what is left of a tick counts for the next one, so that the pace is right at any refresh rate.
 * clock: when the last frame was due; time: now; span: a frame's length, all in ms. advance: goes one frame on, false where it isn't ready. Returns the new clock.
 */
export function playOn(clock: number, time: number, span: number, advance: () => boolean): number {
  const due = Math.min(MOST_AT_ONCE, Math.floor((time - clock) / span + 1e-6))
  let now = clock
  for (let n = 0; n < due; n++) {
    // One that has to be waited for is due at once when it comes.
    if (!advance()) return Math.max(now, time - span)
    now += span
  }
  return Math.max(now, time - span)
}
