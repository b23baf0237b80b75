import { execFileSync } from 'node:child_process'

/** A frame of a movie as r g b bytes, counted from 0. */
export const movieFrame = (file: string, n: number, width: number, height: number): Uint8Array => {
  const raw = execFileSync(
    'ffmpeg',
    [
      '-v',
      'error',
      '-i',
      file,
      '-vf',
      `select=eq(n\\,${n}),scale=${width}:${height}`,
      '-vframes',
      '1',
      '-f',
      'rawvideo',
      '-pix_fmt',
      'rgb24',
      '-',
    ],
    { maxBuffer: 4 * width * height },
  )
  return new Uint8Array(raw)
}
