/** Linear-light picture: row-major from the top left, channels interleaved, colour premultiplied by alpha. */
export interface FloatImage {
  width: number
  height: number
  channels: number
  data: Float32Array
}

export function makeImage(width: number, height: number, channels: number): FloatImage {
  return { width, height, channels, data: new Float32Array(width * height * channels) }
}
