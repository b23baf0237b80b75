/** What was typed into a number field, in the field's unit; undefined where it makes no sense. Takes + - * / and brackets, a decimal comma, and other units of length, time and power. */
export function readNumber(text: string, unit: string | undefined): number | undefined {
  const tokens = text
    .replace(/(\d),(\d)/g, '$1.$2')
    .match(/\d+\.?\d*(?:e[-+]?\d+)?|\.\d+|[a-z°%×²]+(?:\/[a-z]+)?|[-+*/()]/gi)
  if (!tokens || tokens.join('') !== text.replace(/(\d),(\d)/g, '$1.$2').replace(/\s+/g, '')) return undefined
  let at = 0
  const factorOf = (word: string): number | undefined => {
    if (word === unit) return 1
    const here = unit === undefined ? undefined : UNITS[unit]
    const there = UNITS[word]
    return here && there && here.kind === there.kind ? there.size / here.size : undefined
  }
  const atom = (): number => {
    const token = tokens[at++]
    if (token === '-') return -atom()
    if (token === '+') return atom()
    let value: number
    if (token === '(') {
      value = sum()
      if (tokens[at++] !== ')') return Number.NaN
    } else value = Number(token)
    const next = tokens[at]
    if (next !== undefined && /^[a-z°%×]/i.test(next)) {
      at++
      value *= factorOf(next) ?? Number.NaN
    }
    return value
  }
  const product = (): number => {
    let value = atom()
    while (tokens[at] === '*' || tokens[at] === '/') value = tokens[at++] === '*' ? value * atom() : value / atom()
    return value
  }
  const sum = (): number => {
    let value = product()
    while (tokens[at] === '+' || tokens[at] === '-')
      value = tokens[at++] === '+' ? value + product() : value - product()
    return value
  }
  const value = sum()
  return at === tokens.length && Number.isFinite(value) ? value : undefined
}

const UNITS: Readonly<Record<string, { kind: string; size: number }>> = {
  m: { kind: 'length', size: 1 },
  cm: { kind: 'length', size: 0.01 },
  mm: { kind: 'length', size: 0.001 },
  km: { kind: 'length', size: 1000 },
  s: { kind: 'time', size: 1 },
  ms: { kind: 'time', size: 0.001 },
  W: { kind: 'power', size: 1 },
  kW: { kind: 'power', size: 1000 },
  MW: { kind: 'power', size: 1e6 },
}

/** A number as it is shown: as many decimals as its step has. */
export function showNumber(value: number, step: number): string {
  const decimals = Math.max(0, Math.min(4, Math.ceil(-Math.log10(step) - 1e-9)))
  return value.toFixed(decimals)
}
