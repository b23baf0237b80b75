import { sha256 } from '@noble/hashes/sha2.js'
import { bytesToHex } from '@noble/hashes/utils.js'

/** JSON with sorted keys and no undefined: equal values give equal text. Throws TypeError on NaN or infinite numbers, which JSON can't carry. */
export function canonicalJson(value: unknown): string {
  if (value === null || typeof value === 'boolean' || typeof value === 'string') return JSON.stringify(value)
  if (typeof value === 'number') {
    if (!Number.isFinite(value)) throw new TypeError('a recipe holds a number that is not finite')
    return JSON.stringify(value === 0 ? 0 : value)
  }
  if (Array.isArray(value)) return `[${value.map(canonicalJson).join(',')}]`
  if (typeof value === 'object') {
    const entries = Object.entries(value)
      .filter(([, inner]) => inner !== undefined)
      .sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0))
    return `{${entries.map(([key, inner]) => `${JSON.stringify(key)}:${canonicalJson(inner)}`).join(',')}}`
  }
  throw new TypeError(`a recipe can't hold a ${typeof value}`)
}

/** All that decides a computed result. */
export interface Recipe {
  kind: string
  /** Of the code that computes this kind; raised when its bits change. */
  version: number
  settings: unknown
  /** Keys of the results it is made from. */
  inputs: readonly string[]
}

/** SHA-256 of a text, hex. */
export const textKey = (text: string): string => bytesToHex(sha256(new TextEncoder().encode(text)))
/** SHA-256 of the recipe's canonical JSON, hex. */
export const recipeKey = (recipe: Recipe): string => textKey(canonicalJson(recipe))
