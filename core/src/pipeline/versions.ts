/** Versions of what is computed beside the effects (those keep their own). Raised whenever the same recipe gives other bits; held to by the golden hashes in the tests. */
export const VERSIONS = {
  picture: 11,
  tracks: 1,
  solve: 2,
  hand: 1,
  reading: 1,
  clipReading: 2,
  layerReading: 1,
  report: 2,
  thing: 1,
  motion: 1,
  check: 4,
} as const
