// What a camera's sensor makes of the light of a scene, and back (core/src/sit/sensor.ts has the same in plain TypeScript). Images are four floats a pixel; the fourth stays.
// Its three channels overlap; each runs straight up to its knee and bends from there to 1, where it is level: what is brighter is clipped, channel by channel.

// A sensor's curve lies in memory as 4 floats: knee, reach (from the knee to where it clips), a, b: y = d (1 + a d) / (1 + b d), of slope 1 at 0 and level at reach.

// @ts-ignore: decorator
@inline
function times(v: v128, a: v128, b: v128, c: v128): v128 {
  return f32x4.add(f32x4.add(f32x4.mul(i32x4.shuffle(v, v, 0, 0, 0, 0), a), f32x4.mul(i32x4.shuffle(v, v, 1, 1, 1, 1), b)), f32x4.mul(i32x4.shuffle(v, v, 2, 2, 2, 2), c))
}
// Columns of the matrix from Rec. 709 to the sensor's channels, and of its inverse.
// @ts-ignore: decorator
@inline
function toChannels(v: v128): v128 {
  return times(v, f32x4(0.72, 0.2, 0.05, 0), f32x4(0.24, 0.68, 0.2, 0), f32x4(0.04, 0.12, 0.75, 0))
}
// @ts-ignore: decorator
@inline
function fromChannels(v: v128): v128 {
  return times(v, f32x4(1.53992395, -0.45627376, 0.01901141, 0), f32x4(-0.54499366, 1.70468948, -0.41825095, 0), f32x4(0.00506971, -0.24841572, 1.39923954, 0))
}

/** Clipping: the channels of light, without the matrix. */
// @ts-ignore: decorator
@inline
function bend(v: v128, curve: usize): v128 {
  const knee = load<f32>(curve), reach = load<f32>(curve, 4), a = load<f32>(curve, 8), b = load<f32>(curve, 12)
  const d = f32x4.pmin(f32x4.splat(reach), f32x4.sub(v, f32x4.splat(knee)))
  const bent = f32x4.add(f32x4.splat(knee), f32x4.div(f32x4.mul(d, f32x4.add(f32x4.splat(1), f32x4.mul(f32x4.splat(a), d))), f32x4.add(f32x4.splat(1), f32x4.mul(f32x4.splat(b), d))))
  return v128.bitselect(bent, v, f32x4.gt(v, f32x4.splat(knee)))
}
// @ts-ignore: decorator
@inline
function unbend(v: v128, curve: usize): v128 {
  const knee = load<f32>(curve), a = load<f32>(curve, 8), b = load<f32>(curve, 12)
  const y = f32x4.pmin(f32x4.splat(1 - knee), f32x4.sub(v, f32x4.splat(knee)))
  const p = f32x4.sub(f32x4.splat(1), f32x4.mul(y, f32x4.splat(b)))
  const root = f32x4.sqrt(f32x4.pmax(f32x4.splat(0), f32x4.add(f32x4.mul(p, p), f32x4.mul(f32x4.splat(4 * a), y))))
  const d = f32x4.div(f32x4.add(y, y), f32x4.add(p, root))
  return v128.bitselect(f32x4.add(f32x4.splat(knee), d), v, f32x4.gt(v, f32x4.splat(knee)))
}
// @ts-ignore: decorator
@inline
function bends(channels: v128, knee: f32): bool {
  return v128.any_true(v128.and(f32x4.gt(channels, f32x4.splat(knee)), i32x4(-1, -1, -1, 0)))
}

// Channels are means of red, green and blue: where none of these is beyond the knee, none of them bends.

/** Plate value (not held within 0 and 1) that light of a scene gives; light below the knee is returned to the bit. */
// @ts-ignore: decorator
@inline
export function throughSensor(v: v128, curve: usize): v128 {
  if (!bends(v, load<f32>(curve))) return v
  const channels = toChannels(v)
  return bends(channels, load<f32>(curve)) ? f32x4.replace_lane(fromChannels(bend(channels, curve)), 3, f32x4.extract_lane(v, 3)) : v
}
/** Light of the scene that gives a plate value. */
// @ts-ignore: decorator
@inline
export function fromSensor(v: v128, curve: usize): v128 {
  if (!bends(v, load<f32>(curve))) return v
  const channels = toChannels(v)
  return bends(channels, load<f32>(curve)) ? f32x4.replace_lane(fromChannels(unbend(channels, curve)), 3, f32x4.extract_lane(v, 3)) : v
}

/** A picture in plate values to the scene's light, in place. Items are rows. */
export function sensorBack(image: usize, curve: usize, width: i32, from: i32, to: i32): void {
  for (let n = from * width; n < to * width; n++) {
    const o = image + ((<usize>n) << 4)
    v128.store(o, fromSensor(v128.load(o), curve))
  }
}

/** The scene's light to what a plate holds of it, in place: not held within 0 and 1. Items are rows. */
export function sensorForward(image: usize, curve: usize, width: i32, from: i32, to: i32): void {
  for (let n = from * width; n < to * width; n++) {
    const o = image + ((<usize>n) << 4)
    v128.store(o, throughSensor(v128.load(o), curve))
  }
}
