/**
 * One step of an edge-avoiding a-trous filter (Dammertz et al. 2010; 3 x 3, weights 1 2 1) over a share that was sampled: a layer's shadow of the sky, or its contact. Items are rows.
 * src, dst: f32 over the layer's part of the picture. guide: the picture's distance (1 plane of f32) and normals (3 floats a pixel), of which the part begins at (x0, y0).
 * samples: how many a value is the mean of; a value is spread no further than its own noise, sqrt(v (1 - v) / samples), explains.
 */
export function smoothShare(src: usize, dst: usize, width: i32, height: i32, depth: usize, normals: usize, x0: i32, y0: i32, fullWidth: i32, step: i32, samples: f32, from: i32, to: i32): void {
  for (let y = from; y < to; y++)
    for (let x = 0; x < width; x++) {
      const at = (<usize>(y * width + x)) << 2
      const v = load<f32>(src + at)
      const p = (y + y0) * fullWidth + x + x0
      const z = load<f32>(depth + ((<usize>p) << 2))
      if (z <= 0 || (v == 1 && openRound(src, width, height, x, y, step))) {
        store<f32>(dst + at, v)
        continue
      }
      const n = normals + (<usize>p) * 12
      const nx = load<f32>(n), ny = load<f32>(n, 4), nz = load<f32>(n, 8)
      const mean = meanRound(src, width, height, depth, x, y, x0, y0, fullWidth, step, z)
      const noise: f32 = 3 * sqrt(max<f32>(0.002, mean * (1 - mean)) / samples) + 0.01
      let sum: f32 = 0, weight: f32 = 0
      for (let j = -1; j <= 1; j++) {
        const yy = y + j * step
        if (yy < 0 || yy >= height) continue
        for (let i = -1; i <= 1; i++) {
          const xx = x + i * step
          if (xx < 0 || xx >= width) continue
          const q = (yy + y0) * fullWidth + xx + x0
          const zq = load<f32>(depth + ((<usize>q) << 2))
          const m = normals + (<usize>q) * 12
          const along = nx * load<f32>(m) + ny * load<f32>(m, 4) + nz * load<f32>(m, 8)
          if (zq <= 0 || along < 0.8) continue
          const away = (zq - z) / (0.02 * z * <f32>(step * (abs(i) + abs(j)) + 1))
          const other = load<f32>(src + ((<usize>(yy * width + xx)) << 2))
          const apart = (other - mean) / noise
          const w = spline(i) * spline(j) / ((1 + away * away * away * away) * (1 + apart * apart * apart * apart))
          sum += w * other
          weight += w
        }
      }
      store<f32>(dst + at, sum / weight)
    }
}

/** Whether nothing round a pixel is shadowed. */
function openRound(src: usize, width: i32, height: i32, x: i32, y: i32, step: i32): bool {
  for (let yy = max(0, y - step); yy <= y + step && yy < height; yy += step)
    for (let xx = max(0, x - step); xx <= x + step && xx < width; xx += step)
      if (load<f32>(src + ((<usize>(yy * width + xx)) << 2)) != 1) return false
  return true
}

/** Mean of the places round a pixel that are as far away. */
function meanRound(src: usize, width: i32, height: i32, depth: usize, x: i32, y: i32, x0: i32, y0: i32, fullWidth: i32, step: i32, z: f32): f32 {
  let sum: f32 = 0, weight: f32 = 0
  const wide = step + step + 1
  const reach = <f32>wide
  for (let j = -1; j <= 1; j++)
    for (let i = -1; i <= 1; i++) {
      const xx = x + i * step, yy = y + j * step
      if (xx < 0 || yy < 0 || xx >= width || yy >= height) continue
      const away = (load<f32>(depth + ((<usize>((yy + y0) * fullWidth + xx + x0)) << 2)) - z) / (<f32>0.02 * z * reach)
      const w: f32 = 1 / (1 + away * away * away * away)
      sum += w * load<f32>(src + ((<usize>(yy * width + xx)) << 2))
      weight += w
    }
  return sum / weight
}

// @ts-ignore: decorator
@inline
function spline(n: i32): f32 {
  return n == 0 ? 0.5 : 0.25
}
