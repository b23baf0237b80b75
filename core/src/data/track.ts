/** A feature followed through a plate: places in px from the picture's top left, frame by frame from `first` on; where it is not seen in between, as after two tracks were joined, its place is NaN. */
export interface Track {
  id: number
  /** First frame, counted from 0 in the plate. */
  first: number
  /** x, y a frame. */
  places: Float64Array
  /** How much it counts in a solve; 1 for a found feature, more for one that a person trusts. */
  weight: number
}

export const trackLast = (track: Track): number => track.first + track.places.length / 2 - 1
/** Whether it has a place at a frame. */
export const seenAt = (track: Track, frame: number): boolean =>
  !Number.isNaN(track.places[(frame - track.first) * 2] ?? Number.NaN)

/** The place at a frame, or undefined where the track is not seen. */
export function placeAt(track: Track, frame: number): readonly [number, number] | undefined {
  const n = (frame - track.first) * 2
  const x = track.places[n]
  return x === undefined || Number.isNaN(x) ? undefined : [x, track.places[n + 1] as number]
}
