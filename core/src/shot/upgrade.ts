// Documents of older forms, brought to today's one step at a time. A step knows only the form before it and the one after.

type Json = Readonly<Record<string, unknown>>
const isObject = (value: unknown): value is Json => typeof value === 'object' && value !== null && !Array.isArray(value)

const renameKeys = (record: unknown, rename: (key: string) => string): unknown =>
  isObject(record) ? Object.fromEntries(Object.entries(record).map(([key, value]) => [rename(key), value])) : record

const FIXED_LAYERS = ['light', 'smoke', 'fire'] as const

/** 1 to 2: the stack's three fixed layers become a map by id. */
function layersByIdOf(document: Json): Json {
  if (!isObject(document.sit)) return document
  const { light, smoke, fire, follows, ...sit } = document.sit
  const before = { light, smoke, fire }
  const layers = Object.fromEntries(
    FIXED_LAYERS.map((kind, n) => {
      const layer = before[kind]
      return [kind, { order: n + 1, ...(isObject(layer) ? layer : {}), kind }]
    }),
  )
  const isLayer = (key: string): boolean => FIXED_LAYERS.some((kind) => key.startsWith(`${kind}.`))
  return {
    ...document,
    sit: {
      ...sit,
      layers,
      ...(follows === undefined
        ? {}
        : { follows: renameKeys(follows, (key) => (isLayer(key) ? `layers.${key}` : key)) }),
    },
  }
}

/** 2 to 3: the movie's curve becomes the camera's. */
function cameraCurveOf(document: Json): Json {
  if (!isObject(document.sit)) return document
  const { movieCurve, ...sit } = document.sit
  return { ...document, sit: { ...sit, ...(movieCurve === 'plain' ? { curve: 'clip' } : {}) } }
}

/** The kinds of item that were drawn in version 3. */
const DRAWN = ['gas', 'reuse']
const stops = (layer: Json): number => 2 ** Number(layer.exposure ?? 0)

/** 3 to 4: layers by what was drawn (light, smoke, fire) become layers by item, each with what its smoke had, and amounts of its own light and of its light on the set. */
function layersByItemOf(document: Json): Json {
  if (!isObject(document.sit)) return document
  const { layers: before, follows, ...sit } = document.sit
  const all = Object.values(isObject(before) ? before : {}).filter(isObject)
  const named = (kind: string): Json => all.find((layer) => layer.kind === kind) ?? {}
  const [light, smoke, fire] = [named('light'), named('smoke'), named('fire')]
  const amount = (layer: Json): number =>
    layer.shown === false ? 0 : Math.min(8, Number(layer.amount ?? 1) * stops(layer))
  const { kind: _, order: __, ...body } = smoke
  const own = {
    ...body,
    shown: true,
    ...(smoke.shown === false ? { amount: 0 } : {}),
    glow: amount(fire) / Math.max(0.01, stops(smoke)),
    light: amount(light) / Math.max(0.01, stops(smoke)),
  }
  const drawn = Object.entries(isObject(document.items) ? document.items : {}).filter(
    ([, item]) => isObject(item) && DRAWN.includes(String(item.kind)),
  )
  const layers = Object.fromEntries(drawn.map(([id]) => [id, own]))
  // What followed a layer's setting goes on for every item, where there still is that setting.
  const renamed: Readonly<Record<string, string>> = { fire: 'glow', light: 'light' }
  const followed = Object.entries(isObject(follows) ? follows : {}).flatMap(([key, value]): [string, unknown][] => {
    const [first, id = '', ...rest] = key.split('.')
    if (first !== 'layers') return [[key, value]]
    const layer = isObject(before) && isObject(before[id]) ? before[id] : {}
    const name =
      layer.kind === 'smoke' ? rest.join('.') : rest[0] === 'amount' ? renamed[String(layer.kind)] : undefined
    return name ? drawn.map(([item]) => [`layers.${item}.${name}`, value]) : []
  })
  const next = { ...sit, layers, ...(follows === undefined ? {} : { follows: Object.fromEntries(followed) }) }
  return { ...document, sit: next }
}

/** By the version that they take. */
const STEPS: Readonly<Record<number, (document: Json) => Json>> = {
  1: layersByIdOf,
  2: cameraCurveOf,
  3: layersByItemOf,
}

/** The version of documents as they are written now. */
export const SHOT_VERSION = 4 as const

/** A document of any older form in today's. What is no document is returned as it is, for the schema to refuse. */
export function upgradeShot(value: unknown): unknown {
  let document = value
  while (isObject(document) && typeof document.version === 'number') {
    const step = STEPS[document.version]
    if (!step) break
    document = { ...step(document), version: document.version + 1 }
  }
  return document
}
