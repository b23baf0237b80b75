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

/** By the version that they take. */
const STEPS: Readonly<Record<number, (document: Json) => Json>> = { 1: layersByIdOf, 2: cameraCurveOf }

/** The version of documents as they are written now. */
export const SHOT_VERSION = 3 as const

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
