import { sha256 } from '@noble/hashes/sha2.js'
import { bytesToHex } from '@noble/hashes/utils.js'

/** JSON with sorted keys and no undefined: equal values give equal text. Throws TypeError on NaN or infinite numbers, which JSON can't carry. */
export function canonicalJson(value: unknown): string {
  if (value === null || typeof value === 'boolean') return String(value)
  if (typeof value === 'string') return JSON.stringify(value)
  if (typeof value === 'number') {
    if (!Number.isFinite(value)) throw new TypeError('a recipe holds a number that is not finite')
    // As JSON.stringify has it, minus zero too.
    return String(value)
  }
  if (Array.isArray(value)) {
    let text = '['
    for (let n = 0; n < value.length; n++) text += (n > 0 ? ',' : '') + canonicalJson(value[n])
    return `${text}]`
  }
  if (typeof value === 'object') {
    let text = ''
    for (const key of Object.keys(value).sort()) {
      const inner = (value as Record<string, unknown>)[key]
      if (inner !== undefined) text += `${text === '' ? '' : ','}${JSON.stringify(key)}:${canonicalJson(inner)}`
    }
    return `{${text}}`
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
