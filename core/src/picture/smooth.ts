import type { Crew } from '../base/index.ts'
import type { FloatImage, Picture } from '../data/index.ts'

/** Steps between the filter's places, px: each pass reaches twice as far. */
const STEPS = [1, 2, 4, 8] as const

/** Smooths what was sampled of the sky, in place: each layer's shadow of it and its contact; samples: of a pixel. Shadows of the sun are left sharp. The heap is left as it was found. */
export function smoothSky(crew: Crew, picture: Picture, samples: number): void {
  const { heap } = crew
  const { width, height } = picture
  const mark = heap.mark()
  const depth = heap.alloc(width * height * 4)
  heap.f32(depth, width * height).set(picture.depth.data)
  const normals = heap.alloc(width * height * 12)
  heap.f32(normals, width * height * 3).set(picture.normal.data)
  for (const layer of picture.layers) {
    const smooth = (image: FloatImage | undefined): void => {
      if (!image) return
      const inner = heap.mark()
      let [src, dst] = [heap.alloc(image.data.byteLength), heap.alloc(image.data.byteLength)]
      heap.f32(src, image.data.length).set(image.data)
      const part = { width: layer.width, height: layer.height, x0: layer.x, y0: layer.y, fullWidth: width }
      for (const step of STEPS) {
        crew.run('smoothShare', { src, dst, ...part, depth, normals, step, samples }, layer.height, 8)
        ;[src, dst] = [dst, src]
      }
      image.data.set(heap.f32(src, image.data.length))
      heap.release(inner)
    }
    smooth(layer.sky)
    smooth(layer.contact)
  }
  heap.release(mark)
}
