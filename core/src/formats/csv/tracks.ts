import Papa from 'papaparse'
import { type MatchScene, placeAt, trackLast } from '../../data/index.ts'

/** Tracks as a table: a row a track and frame, x y in px from the picture's top left; where a track has a point, how far off it is usually, px. shift: added to the plate's frame numbers. */
export function writeTracksCsv(
  { tracks, points, first }: Pick<MatchScene, 'tracks' | 'points' | 'first'>,
  shift = 0,
): string {
  const errors = new Map(points.map(({ track, px }) => [track, px]))
  const rows = tracks.flatMap(({ track, name }) =>
    Array.from({ length: trackLast(track) - track.first + 1 }, (_, n) => track.first + n).flatMap((n) => {
      const place = placeAt(track, n)
      return place
        ? [
            [
              name,
              first + n + shift,
              Number(place[0].toFixed(4)),
              Number(place[1].toFixed(4)),
              errors.get(track.id)?.toFixed(3) ?? '',
            ],
          ]
        : []
    }),
  )
  return `${Papa.unparse({ fields: ['track', 'frame', 'x', 'y', 'error_px'], data: rows }, { newline: '\n' })}\n`
}
