// Camera block, f32 at these byte offsets: position 0 4 8; right 12 16 20; up 24 28 32; forward 36 40 44 (unit, world);
// focal px 48; centre px 52 56; k1 60; k2 64.
export let dirX: f32 = 0
export let dirY: f32 = 0
export let dirZ: f32 = 0

const NEWTON_STEPS = 8

/** Unit world direction through the pixel position (x, y), Brown–Conrady straightened; left in dirX, dirY, dirZ. Returns the ray length per metre of depth. */
export function castPixel(camera: usize, x: f32, y: f32): f32 {
  const focal = load<f32>(camera, 48)
  let px = (x - load<f32>(camera, 52)) / focal
  let py = (y - load<f32>(camera, 56)) / focal
  const k1 = load<f32>(camera, 60)
  const k2 = load<f32>(camera, 64)
  if (k1 != 0 || k2 != 0) {
    const target = sqrt(px * px + py * py)
    if (target > 0) {
      let r = target
      for (let n = 0; n < NEWTON_STEPS; n++) {
        const r2 = r * r
        const slope: f32 = 1 + r2 * (3 * k1 + 5 * r2 * k2)
        if (slope <= 0.05) break
        r -= (r * (1 + r2 * (k1 + r2 * k2)) - target) / slope
      }
      px *= r / target
      py *= r / target
    }
  }
  const X = load<f32>(camera, 12) * px - load<f32>(camera, 24) * py + load<f32>(camera, 36)
  const Y = load<f32>(camera, 16) * px - load<f32>(camera, 28) * py + load<f32>(camera, 40)
  const Z = load<f32>(camera, 20) * px - load<f32>(camera, 32) * py + load<f32>(camera, 44)
  const len = sqrt(X * X + Y * Y + Z * Z)
  dirX = X / len
  dirY = Y / len
  dirZ = Z / len
  return len
}
