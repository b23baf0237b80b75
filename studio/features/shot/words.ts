// What a shot's screen can be set to.

export type View = 'camera' | 'outside' | 'both' | 'triptych'
export type Compare = 'none' | 'wipe' | 'beside' | 'difference'
/** A part of the picture, shares of its width and height. */
export interface Region {
  x: number
  y: number
  width: number
  height: number
}
export type Tool =
  | 'choose'
  | 'fire'
  | `preset-${string}`
  | `add-${string}`
  | `form-${string}`
  | 'line'
  | 'area'
  | 'box'
  | 'keep-out'
  | 'trim'
  | 'matte-shape'
  | 'stroke-inside'
  | 'stroke-outside'
  | 'paint'
  | 'paint-erase'
  | 'read-point'
  | 'sit-area'
  | 'haze-colour'
  | 'haze-near'
  | 'haze-far'
  | 'read-box'
  | 'read-shape'
  | 'read-pin'
  | 'thing'
  | 'hand-point'
  | 'hand-flat'
  | 'join'
  | 'ground'
  | 'axis'
  | 'origin'
  | 'distance'
  | 'proof'
  | 'line-x'
  | 'line-y'
  | 'line-z'
  | 'line-origin'
  | 'line-length'
  | 'sun-line'
  | 'patches'
  | 'lamp'
  | 'aim'
  | 'region'
  | 'strike'
  | 'footfalls'
  | 'cut'
  | 'cut-outline'
  | 'keep-whole'
  | 'brick'
export const MATCH_STEPS = ['Track', 'Solve', 'Ground', 'Proof', 'Line up', 'Things'] as const
export type MatchStep = (typeof MATCH_STEPS)[number]
