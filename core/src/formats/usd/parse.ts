import { LanternError } from '../../base/index.ts'

// The grammar of USD ASCII, as far as prims, attributes, time samples and metadata go (Pixar's "USDA File Format Specification"); what is not asked for is skipped over, not refused.

export type UsdValue = number | string | UsdValue[] | UsdMap
export interface UsdMap {
  samples?: Map<number, UsdValue>
  fields: Map<string, UsdValue>
}
export interface UsdPrim {
  type: string
  name: string
  attributes: Map<string, UsdValue>
  /** By attribute. */
  samples: Map<string, Map<number, UsdValue>>
  children: UsdPrim[]
}
export interface UsdLayer {
  metadata: Map<string, UsdValue>
  prims: UsdPrim[]
}

const TOKEN =
  /\s+|#[^\n]*|"""[\s\S]*?"""|'''[\s\S]*?'''|"(?:[^"\\\n]|\\.)*"|'(?:[^'\\\n]|\\.)*'|@@@[\s\S]*?@@@|@[^@\n]*@|<[^>\n]*>|[-+]?(?:\d+\.?\d*(?:[eE][-+]?\d+)?|\.\d+(?:[eE][-+]?\d+)?|inf|nan)(?![A-Za-z0-9_])|[!A-Za-z_][!A-Za-z0-9_:]*(?:\.[A-Za-z][A-Za-z0-9_:]*)*|[[\](){}=,:;.]/y

function* tokens(text: string, broken: (what: string) => LanternError): Generator<string> {
  TOKEN.lastIndex = 0
  while (TOKEN.lastIndex < text.length) {
    const from = TOKEN.lastIndex
    const found = TOKEN.exec(text)?.[0]
    if (found === undefined) throw broken(`can’t be read at line ${text.slice(0, from).split('\n').length}`)
    if (!/^(\s|#)/.test(found)) yield found
  }
}

const DEEPEST = 200
const isNumber = (token: string): boolean => /^[-+]?(\d|\.\d)/.test(token)

class Reader {
  readonly #all: string[]
  #at = 0
  readonly #broken: (what: string) => LanternError

  constructor(text: string, broken: (what: string) => LanternError) {
    this.#all = [...tokens(text, broken)]
    this.#broken = broken
  }
  get next(): string | undefined {
    return this.#all[this.#at]
  }
  take(wanted?: string): string {
    const token = this.#all[this.#at++]
    if (token === undefined) throw this.#broken('ends too early')
    if (wanted !== undefined && token !== wanted)
      throw this.#broken(`has “${token.slice(0, 30)}” where “${wanted}” belongs`)
    return token
  }
  passed(token: string): boolean {
    if (this.next !== token) return false
    this.#at++
    return true
  }

  value(depth = 0): UsdValue {
    if (depth > DEEPEST) throw this.#broken('is nested too deeply')
    const token = this.take()
    const close = { '(': ')', '[': ']' }[token]
    if (close) {
      const list: UsdValue[] = []
      while (!this.passed(close)) {
        list.push(this.value(depth + 1))
        if (!this.passed(',') && this.next !== close)
          throw this.#broken(`has “${this.next?.slice(0, 30) ?? 'its end'}” within a list`)
      }
      return list
    }
    if (token === '{') return this.map(depth + 1)
    if (isNumber(token)) return Number(token)
    if (/^[-+]?(inf|nan)$/.test(token)) return Number.NaN
    return /^["']/.test(token) ? token.replace(/^("""|'''|"|')|("""|'''|"|')$/g, '').replace(/\\(.)/g, '$1') : token
  }

  /** The inside of { }: time samples (number: value), or fields (type name = value). */
  map(depth: number): UsdMap {
    const map: UsdMap = { fields: new Map() }
    while (!this.passed('}')) {
      const key = this.take()
      if (isNumber(key)) {
        this.take(':')
        map.samples ??= new Map()
        map.samples.set(Number(key), this.value(depth))
      } else {
        let name = key
        while (this.next !== '=' && this.next !== ':') name = this.take()
        this.take()
        map.fields.set(name.replace(/^["']|["']$/g, ''), this.value(depth))
      }
      if (!this.passed(',')) this.passed(';')
    }
    return map
  }

  /** name = value pairs between ( ). */
  metadata(): Map<string, UsdValue> {
    const found = new Map<string, UsdValue>()
    if (!this.passed('(')) return found
    while (!this.passed(')')) {
      let name = this.take()
      // A lone string is a remark.
      if (/^["']/.test(name)) continue
      while (this.next !== '=' && this.next !== undefined && this.next !== ')') name = this.take()
      if (!this.passed('=')) continue
      found.set(name, this.value())
      if (!this.passed(',')) this.passed(';')
    }
    return found
  }

  prim(depth: number): UsdPrim {
    if (depth > DEEPEST) throw this.#broken('is nested too deeply')
    let type = ''
    while (this.next !== undefined && !/^["']/.test(this.next)) type = this.take()
    const prim: UsdPrim = {
      type,
      name: this.take().slice(1, -1),
      attributes: new Map(),
      samples: new Map(),
      children: [],
    }
    this.metadata()
    this.take('{')
    while (!this.passed('}')) {
      const token = this.next
      if (token === undefined) throw this.#broken('ends too early')
      if (/^(def|over|class)$/.test(token)) {
        this.take()
        prim.children.push(this.prim(depth + 1))
      } else if (token === 'variantSet') {
        this.take()
        this.take()
        this.take('=')
        this.take('{')
        while (!this.passed('}')) {
          this.take()
          this.metadata()
          this.skipBlock()
        }
      } else this.attribute(prim)
    }
    return prim
  }

  skipBlock(): void {
    this.take('{')
    for (let open = 1; open > 0; ) {
      const token = this.take()
      if (token === '{') open++
      else if (token === '}') open--
    }
  }

  /** "custom uniform type[] name = value (…)"; a name ending in .timeSamples holds samples. */
  attribute(prim: UsdPrim): void {
    let name = this.take()
    while (this.next !== undefined && (/^[!A-Za-z_]/.test(this.next) || this.next === '[')) {
      if (this.passed('[')) this.take(']')
      else name = this.take()
    }
    if (this.passed('=')) {
      const value = this.value()
      const sampled = name.endsWith('.timeSamples') ? name.slice(0, -'.timeSamples'.length) : undefined
      if (sampled !== undefined && typeof value === 'object' && !Array.isArray(value))
        prim.samples.set(sampled, value.samples ?? new Map())
      else prim.attributes.set(name, value)
    }
    this.metadata()
    this.passed(';')
  }

  layer(): UsdLayer {
    const layer: UsdLayer = { metadata: this.metadata(), prims: [] }
    while (this.next !== undefined) {
      const token = this.take()
      if (!/^(def|over|class)$/.test(token)) throw this.#broken(`has “${token.slice(0, 30)}” where a prim belongs`)
      layer.prims.push(this.prim(0))
    }
    return layer
  }
}

/** A layer of USD ASCII text. Throws LanternError 'usd' naming the file and what is wrong. */
export function parseUsd(text: string, file: string): UsdLayer {
  const broken = (what: string): LanternError =>
    new LanternError('usd', `${file} ${what}.`, 'Write it again as USD ASCII (.usda).', { file })
  if (!/^#usda 1\./.test(text))
    throw broken(text.startsWith('PXR-USDC') ? 'is binary USD, which is not read here' : 'is not USD ASCII')
  return new Reader(text, broken).layer()
}
