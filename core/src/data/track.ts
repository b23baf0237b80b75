/** A feature followed through a plate: places in px from the picture's top left, frame by frame from `first` on without gaps. */
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
export const seenAt = (track: Track, frame: number): boolean => frame >= track.first && frame <= trackLast(track)

/** The place at a frame, or undefined where the track is not seen. */
export function placeAt(track: Track, frame: number): readonly [number, number] | undefined {
  const n = (frame - track.first) * 2
  return n >= 0 && n < track.places.length ? [track.places[n] as number, track.places[n + 1] as number] : undefined
}
