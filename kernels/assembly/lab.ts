// Linear light as CIE L*a*b* (D65), in steps of 1/128.
const TABLE: f32 = 16384

// @ts-ignore: decorator
@inline
function curve(table: usize, t: f32): f32 {
  const at = min<f32>(t, 1) * TABLE
  const n = <i32>at
  const p = table + ((<usize>n) << 2)
  const a = load<f32>(p)
  return a + (load<f32>(p, 4) - a) * (at - <f32>n)
}
// @ts-ignore: decorator
@inline
function held(v: f32): f32 { return min<f32>(1, max<f32>(0, v)) }
// @ts-ignore: decorator
@inline
function step(v: f32): i32 { return <i32>Mathf.floor(v * 128 + 0.5) }

/** Pixels [from, to) of linear r g b, clipped at black and white, as L a b (i16). table: CIE's f(t) at n / 16384, two beyond. */
export function labOf(rgb: usize, table: usize, out: usize, from: i32, to: i32): void {
  for (let n = from; n < to; n++) {
    const p = rgb + (<usize>n) * 12, q = out + (<usize>n) * 6
    const r = held(load<f32>(p)), g = held(load<f32>(p, 4)), b = held(load<f32>(p, 8))
    const x = curve(table, (0.4124564 * r + 0.3575761 * g + 0.1804375 * b) / 0.95047)
    const y = curve(table, 0.2126729 * r + 0.7151522 * g + 0.072175 * b)
    const z = curve(table, (0.0193339 * r + 0.119192 * g + 0.9503041 * b) / 1.08883)
    store<i16>(q, <i16>step(116 * y - 16)); store<i16>(q, <i16>step(500 * (x - y)), 2); store<i16>(q, <i16>step(200 * (y - z)), 4)
  }
}
