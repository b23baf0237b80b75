/** The middle of values in order (the upper one of an even number); NaN of none. Leaves them as they are. */
export function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b)
  return sorted[sorted.length >> 1] ?? Number.NaN
}
