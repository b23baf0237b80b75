/** One line of the table: what was computed against what something we did not write says. */
export interface Row {
  case: string
  reference: string
  expected: string | number
  measured: string | number
  tolerance: string
  pass: boolean
}

/** measured within a share of expected. */
export const within = (name: string, reference: string, expected: number, measured: number, share: number): Row => ({
  case: name,
  reference,
  expected,
  measured,
  tolerance: `within ${share * 100} %`,
  pass: Math.abs(measured - expected) <= share * Math.abs(expected),
})

/** measured no more than a limit. */
export const atMost = (name: string, reference: string, limit: number, measured: number): Row => ({
  case: name,
  reference,
  expected: `<= ${limit}`,
  measured,
  tolerance: 'limit',
  pass: measured <= limit,
})

/** measured within a range. */
export const between = (name: string, reference: string, low: number, high: number, measured: number): Row => ({
  case: name,
  reference,
  expected: `${low} to ${high}`,
  measured,
  tolerance: 'range',
  pass: measured >= low && measured <= high,
})

/** measured no less than a limit. */
export const atLeast = (name: string, reference: string, least: number, measured: number): Row => ({
  case: name,
  reference,
  expected: `>= ${least}`,
  measured,
  tolerance: 'least',
  pass: measured >= least,
})
