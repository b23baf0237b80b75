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

/** Planes of one size as an image of as many channels; what is not there is 0. */
export function planesTogether(
  width: number,
  height: number,
  planes: readonly (Float32Array | undefined)[],
): FloatImage {
  const image = makeImage(width, height, planes.length)
  planes.forEach((own, c) => {
    if (own) for (let n = 0; n < width * height; n++) image.data[n * planes.length + c] = own[n] ?? 0
  })
  return image
}
