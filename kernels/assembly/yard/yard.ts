// The tables that the drawing kernels read; one word a field, in this order. demo/src/scene/memory.ts writes them.
@unmanaged
export class Yard {
  nodes: u32
  triangles: u32
  vertices: u32
  charts: u32
  /** Sky: latitude-longitude, row 0 straight up, three f32 a texel. */
  sky: u32
  skyWidth: i32
  skyHeight: i32
  movingNodes: u32
  movingTriangles: u32
  movingVertices: u32
  /** Balls that stand for the moving figure where it takes sky light away: x y z r each. */
  balls: u32
  ballCount: i32
  /** Ball round all that moves. */
  roundX: f32
  roundY: f32
  roundZ: f32
  roundR: f32
  sunX: f32
  sunY: f32
  sunZ: f32
  /** Half-angle of the veiled sun as a tangent, and its radiance x solid angle / pi. */
  sunSpread: f32
  sunR: f32
  sunG: f32
  sunB: f32
  /** The flame that lights: foot of its axis, length, radius, intensity / pi of the whole, its present strength. */
  flameX: f32
  flameY: f32
  flameZ: f32
  flameLength: f32
  flameRadius: f32
  flameR: f32
  flameG: f32
  flameB: f32
  flameNow: f32
  /** The carried lantern: centre, radius, intensity / pi. */
  lampX: f32
  lampY: f32
  lampZ: f32
  lampRadius: f32
  lampR: f32
  lampG: f32
  lampB: f32
  /** Air between: what it adds at infinity, share of light lost per metre. */
  airR: f32
  airG: f32
  airB: f32
  airLoss: f32
}

// Chart, 128 bytes: width, height of level 0 (texels), levels, vertex grid (x y z f32), its columns and rows, texels per grid step (f32), texel edge in metres (f32),
//   fine grain (index), 3 spare words, then from byte 48 on a pointer for each level.
// Texel, 32 bytes: u16 x 12 (light of the sky, of the sun, of the flame: r g b each, root of value / RANGE; albedo r g b: root), i8 x 3 normal, u8 roughness, u8 mirror (share of a water film), u8 hollow (share of open sky), u8 there, u8 spare.
export const CHART_BYTES: usize = 128
export const TEXEL_BYTES: usize = 32
export const RANGE: f32 = 16

// Vertex, 128 bytes, f32: position, normal, albedo, roughness, mirror, light of sky, sun, flame (r g b each, before albedo), then the same nine as they are being made, two spare, both sides.
export const VERTEX_BYTES: usize = 128
