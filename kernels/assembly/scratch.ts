// Scratch of a thread while it renders tiles: its ray stack, a pixel's events in the order of their making and of their depth, what its layers gather, the states of gases, and the lamps that it chooses among (running sum, i32 number).
//   Event, 64 bytes: 0 distance (m), 4 share of the pixel, 8 i32 layer (-1: the set), 12 i32 kind, 16 colour r g b and alpha, 32 emission r g b, 44 share of the pixel as if no other card were there, 48 light of effects r g b.
//   Layer, 128 bytes: 0 colour r g b, alpha; 16 emission r g b, distance x alpha; 32 light of effects r g b; 48 u32 sun rays that it is the first to block, 52 of sky rays, 56 of sky rays nearer than the contact's reach; 60 share that mattes take away; 60 share that mattes take away.
//     Then the same as if it were alone before set and mattes, hidden by things that are solid and by nothing else: 64 colour and alpha, 80 emission and distance x alpha, 96 light of effects; and in a walk 112 what its own gas lets through, 116 its own particles, 120 its gas's extinction at a step.
//     Then the same as if it were alone, behind the set, mattes and solid things only: 64 colour and alpha, 80 emission and distance x alpha, 96 light of effects; in a walk 112 what its own gas lets through, 116 what its own particles let through, 120 extinction of its gas at a step.

export const EVENT: usize = 64
export const MOST_EVENTS = 320
export const LAYER: usize = 128
export const GAS_STATE: usize = 128
export const MOST_LAYERS = 32
export const MOST_GASES = 128
export const MOST_LAMPS = 1024

export const SOLID = 0
export const SPLAT = 1
/** MATTE holds out. CARD: a flat picture that may be laid with less of it, so that what is behind it is wanted too. */
export const MATTE = 2
export const CARD = 3

const EVENTS: usize = 32768
const ORDER: usize = EVENTS + <usize>MOST_EVENTS * EVENT
const LAYERS: usize = ORDER + <usize>MOST_EVENTS * 4
const GASES: usize = LAYERS + <usize>MOST_LAYERS * LAYER
const LAMPS: usize = GASES + <usize>MOST_GASES * GAS_STATE
const HITS: usize = LAMPS + <usize>MOST_LAMPS * 8
/** Hits of splats in a tile: 16 bytes each, as made and in the order of pixels, then where each pixel's begin. */
export const MOST_HITS = 131072
const SORTED: usize = HITS + <usize>MOST_HITS * 16
const STARTS: usize = SORTED + <usize>MOST_HITS * 16
export const SCRATCH_WITHOUT_SPLATS: usize = HITS
export const SCRATCH: usize = STARTS + 1025 * 4

// @ts-ignore: decorator
@inline
export function eventAt(scratch: usize, n: i32): usize {
  return scratch + EVENTS + <usize>n * EVENT
}
// @ts-ignore: decorator
@inline
export function orderAt(scratch: usize): usize {
  return scratch + ORDER
}
// @ts-ignore: decorator
@inline
export function layerAt(scratch: usize, n: i32): usize {
  return scratch + LAYERS + <usize>n * LAYER
}
// @ts-ignore: decorator
@inline
export function gasAt(scratch: usize, n: i32): usize {
  return scratch + GASES + <usize>n * GAS_STATE
}
// @ts-ignore: decorator
@inline
export function lampList(scratch: usize): usize {
  return scratch + LAMPS
}
// @ts-ignore: decorator
@inline
export function hitsAt(scratch: usize): usize {
  return scratch + HITS
}
// @ts-ignore: decorator
@inline
export function sortedAt(scratch: usize): usize {
  return scratch + SORTED
}
// @ts-ignore: decorator
@inline
export function startsAt(scratch: usize): usize {
  return scratch + STARTS
}
