import { forceSchema, windAt } from '../../air/index.ts'
import { canonicalJson, LanternError, type Recipe, recipeKey, textKey } from '../../base/index.ts'
import type { Solid } from '../../data/index.ts'
import { normalise, panTiltRoll, radians, type Vec3 } from '../../math/index.ts'
import type { ParticleForce, ParticleMoment, ParticleSettings, ParticleSource } from '../../particles/index.ts'
import { isThing, stoppingAt, trimmedBounds } from '../../set/index.ts'
import {
  frameRate,
  type Item,
  type ItemDocument,
  itemsInOrder,
  movedAndSettledAt,
  type SignalInputs,
  settingsOf,
} from '../../settings/index.ts'
import type { EffectContext, Run, RunInput } from '../effect.ts'
import { particleBake } from './bake.ts'
import { isKept, isParticles, PARTICLES_SETTINGS, type ParticlesItem } from './schema.ts'
import { takenRun } from './taken.ts'
import { thrownOf } from './thrown.ts'

/** Raised whenever the same recipe gives other bits. */
export const PARTICLE_VERSIONS = { particles: 1 } as const
const KELVIN = 273.15
const AIR_KELVIN = 288.15
/** Of hot bits of burning wood and iron: J/(kg K), share of a black body's light. */
const SPECIFIC_HEAT = 900
const EMISSIVITY = 0.85
/** Particles at once at most, and bytes that one takes while it is computed and kept. */
export const MOST_PARTICLES = 2_000_000
const PARTICLE_BYTES = 220
const GIB = 1024 * 1024 * 1024

const FORCE_SETTINGS = settingsOf(forceSchema)
type ForceItem = ReturnType<(typeof forceSchema)['parse']>
const isForce = (item: Item): item is ForceItem & Item => item.kind === 'force'

export function particlesItem(document: ItemDocument, id: string): ParticlesItem {
  const item = document.items[id]
  if (isParticles(item)) return item
  throw new LanternError(
    'no-item',
    `“${id.slice(0, 40)}” is none of this shot’s particles.`,
    'Choose one from the roster.',
    {
      field: 'item',
    },
  )
}

export const particlesAt = (document: ItemDocument, item: ParticlesItem, frame: number, inputs: SignalInputs = {}) =>
  movedAndSettledAt(document, item, PARTICLES_SETTINGS, frame, inputs)

const missing = (what: string, remedy: string, field: string): LanternError =>
  new LanternError('source', what, remedy, { field })

/** Where they come from. stopping: what stops them, in the order in which a moment has it. Throws LanternError 'source' naming what is missing. */
function sourceOf(item: ParticlesItem, stopping: readonly { id: string }[]): ParticleSource {
  const radius = item.diameter / 2
  switch (item.source) {
    case 'point':
      return { kind: 'point' }
    case 'disc':
    case 'ball':
      return { kind: item.source, radius }
    case 'box':
      return { kind: 'box', half: [radius, (item.tall || item.diameter) / 2, radius] }
    case 'line':
      if (!item.line || item.line.length < 2)
        throw missing(
          `“${item.name}” comes from a line, and none is drawn.`,
          'Draw it in the set, or choose another source.',
          'source',
        )
      return { kind: 'line', points: item.line, radius }
    case 'piece': {
      const solid = stopping.findIndex(({ id }) => id === item.piece)
      if (solid < 0)
        throw missing(
          `The piece that “${item.name}” comes from is gone, hidden, or stops nothing.`,
          'Choose another piece, or show it.',
          'piece',
        )
      return { kind: 'surface', solid, reach: radius }
    }
    case 'gas':
      return { kind: 'gas', by: item.where === 'burning' ? 'fuel' : 'heat' }
    case 'particles':
      return { kind: 'particles' }
    case 'break':
      return { kind: 'break' }
    case 'crater':
      return { kind: 'crater', radius: 1, depth: 0 }
  }
}

function forcesAt(document: ItemDocument, id: string, frame: number, inputs: SignalInputs): ParticleForce[] {
  return itemsInOrder(document).flatMap(([, item]) => {
    if (!isForce(item) || !item.shown || (item.on !== '' && item.on !== id)) return []
    const now = movedAndSettledAt(document, item, FORCE_SETTINGS, frame, inputs)
    return [
      {
        way: now.way,
        centre: now.position,
        axis: normalise(now.axis),
        strength: now.way === 'drag' ? now.slowing : now.strength,
        radius: now.radius,
        soft: now.softEdge / 100,
        size: now.size,
        change: now.change,
        seed: now.seed,
      },
    ]
  })
}

/** Lists that are equal are the same one, so that a recipe holds each once and what is made of it is made once. */
function settled(moments: ParticleMoment[]): ParticleMoment[] {
  const texts = new Map<string, unknown>()
  const shared = moments.map((moment) => {
    const own = { ...moment }
    for (const key of ['forces', 'solids'] as const) {
      const text = `${key}${canonicalJson(moment[key])}`
      if (!texts.has(text)) texts.set(text, moment[key])
      Object.assign(own, { [key]: texts.get(text) })
    }
    return own
  })
  const [first] = shared
  const text = first && canonicalJson(first)
  return first && shared.every((moment) => canonicalJson(moment) === text) ? [first] : shared
}

/** An item's settings in SI, frame by frame. Throws LanternError naming what of the source is missing. */
export function particleSettings(
  document: ItemDocument,
  id: string,
  { inputs = {} }: EffectContext = {},
): ParticleSettings {
  const item = particlesItem(document, id)
  const { first, last } = document.plate
  const rate = frameRate(document.plate)
  const solidsOf = (frame: number): Solid[] => stoppingAt(document, frame, inputs).map(({ solid }) => solid)
  const moments = Array.from({ length: last - first + 1 }, (_, n): ParticleMoment => {
    const now = particlesAt(document, item, first + n, inputs)
    return {
      centre: now.position,
      turn: panTiltRoll(0, 0, 0),
      direction: normalise(now.aim),
      rate: now.rate,
      wind: windAt(now, n / rate),
      forces: forcesAt(document, id, first + n, inputs),
      solids: item.meets === 'pass' && item.source !== 'piece' ? [] : solidsOf(first + n),
    }
  })
  const thrown = item.source === 'crater' ? thrownOf(document, item, inputs) : undefined
  if (thrown) for (const moment of moments) moment.centre = thrown.centre
  return {
    seed: item.seed,
    source: thrown?.source ?? sourceOf(item, stoppingAt(document, first, inputs)),
    births: thrown?.births ?? {
      way: item.emits === 'all along' ? 'rate' : item.emits === 'once' ? 'once' : 'bursts',
      number: Math.round(item.number),
      every: item.every,
      lasts: item.lasts,
    },
    from: thrown?.from ?? (item.begins > 0 ? Math.round(item.begins) : -Math.round(item.runUp)) / rate,
    to: thrown?.to ?? (item.ends > 0 ? Math.round(item.ends) : last + 1 - first) / rate,
    speed: item.speed,
    speedSpread: item.speedSpread / 100,
    cone: radians(item.cone),
    inherits: item.gas || item.source === 'particles' || item.source === 'break' ? item.inherits / 100 : 0,
    body: {
      form: item.form,
      diameter: thrown?.diameter ?? item.size / 1000,
      spread: item.sizeSpread / 100,
      density: item.density,
    },
    life: item.life,
    lifeSpread: item.lifeSpread / 100,
    ...(item.hot > 0
      ? {
          hot: {
            kelvin: item.hot + KELVIN,
            spread: 0.06,
            cools: item.cools / 100,
            emissivity: EMISSIVITY,
            specificHeat: SPECIFIC_HEAT,
          },
        }
      : {}),
    air: { kelvin: AIR_KELVIN, drag: item.drag / 100, gravity: item.gravity },
    flutter: item.flutter,
    flow: item.gas ? item.flow / 100 : 0,
    contact: {
      does: item.meets,
      restitution: item.restitution / 100,
      friction: item.friction / 100,
      melts: item.melts,
    },
    ...(item.among && item.bits !== 'points' && item.way === 'computed' ? { among: amongOf(document, item) } : {}),
    most: MOST_PARTICLES,
    moments: settled(moments),
    preRoll: Math.round(item.runUp),
  }
}

/** What bits meet each other as: a taken-in mesh as its box. Throws LanternError 'source' where none is chosen. */
function amongOf(document: ItemDocument, item: ParticlesItem): NonNullable<ParticleSettings['among']> {
  if (item.bits !== 'mesh') return { bits: item.bits }
  const thing = document.items[item.bitMesh]
  if (!isThing(thing))
    throw new LanternError(
      'source',
      `“${item.name}” is drawn as a taken-in mesh, and ${item.bitMesh ? 'that is gone' : 'none is chosen'}.`,
      'Choose one, or another shape.',
      { field: 'bitMesh' },
    )
  const { low, high } = trimmedBounds(thing)
  const edges = ([0, 1, 2] as const).map((a) => high[a] - low[a])
  const longest = Math.max(...edges, 1e-9)
  return { bits: 'mesh', half: edges.map((edge) => edge / 2 / longest) as unknown as Vec3 }
}

/** kg of dust that a break is taken to give a second, for what it may need. */
const DUST_RATE = 2

/** The most particles that there may be at once, roughly. */
export function mostAtOnce({ births, moments, life, from, to, source }: ParticleSettings): number {
  if (source.kind === 'break') return Math.max(...moments.map(({ rate }) => rate)) * DUST_RATE
  if (births.way === 'rate')
    return Math.max(...moments.map(({ rate }) => rate)) * Math.min(2 * life, Math.max(0, to - from))
  return births.number * (births.way === 'once' ? 1 : 1 + Math.ceil((2 * life) / births.every))
}

/** Refuses what needs more than so many bytes. Throws LanternError 'memory'. */
function checkRoom(name: string, settings: ParticleSettings, bytes: number): void {
  const number = mostAtOnce(settings)
  const need = number * PARTICLE_BYTES
  if (number <= MOST_PARTICLES && need <= bytes) return
  const fits = Math.floor(Math.min(MOST_PARTICLES, bytes / PARTICLE_BYTES))
  throw new LanternError(
    'memory',
    `“${name}” would have ${Math.round(number).toLocaleString('en')} particles at once, ${(need / GIB).toFixed(1)} GiB.`,
    `Let fewer be born or let them live for a shorter time: ${fits.toLocaleString('en')} fit.`,
    { field: 'rate' },
  )
}

/** The gas that they come from or ride. Throws LanternError 'source' where they need one and it is gone. */
function gasInput(document: ItemDocument, item: ParticlesItem, context: EffectContext): RunInput | undefined {
  if (!item.gas) {
    if (item.source === 'gas')
      throw missing(`“${item.name}” comes from a gas, and none is chosen.`, 'Choose a gas, or another source.', 'gas')
    return undefined
  }
  const gas = document.items[item.gas]
  if (!gas)
    throw missing(`The gas that “${item.name}” comes from is gone.`, 'Choose another gas, or another source.', 'gas')
  const run = context.result?.(item.gas)
  return run && { key: run.key, name: gas.name, first: run.first, last: run.last, frameKeys: run.frameKeys }
}

/** The particles that they come from. Throws LanternError 'source' where they are gone. */
function othersInput(document: ItemDocument, item: ParticlesItem, context: EffectContext): RunInput | undefined {
  if (item.source === 'break') {
    const broken = document.items[item.breaks]
    if (broken?.kind !== 'breaking')
      throw missing(
        `“${item.name}” comes from a break, and ${item.breaks ? 'that is gone' : 'none is chosen'}.`,
        'Choose something that breaks, or another source.',
        'breaks',
      )
    const run = context.result?.(item.breaks)
    return run && { key: run.key, name: broken.name, first: run.first, last: run.last, frameKeys: run.frameKeys }
  }
  if (item.source !== 'particles') return undefined
  const others = document.items[item.others]
  if (!isParticles(others) || !isKept(others))
    throw missing(
      `“${item.name}” comes from other particles, and ${item.others ? 'those are gone, or only fall' : 'none are chosen'}.`,
      'Choose some that are kept, or another source.',
      'others',
    )
  const run = context.result?.(item.others)
  return run && { key: run.key, name: others.name, first: run.first, last: run.last, frameKeys: run.frameKeys }
}

/** A key per frame that holds all that decides the particles up to it. */
function chainOf(
  recipe: Recipe,
  moments: readonly ParticleMoment[],
  first: number,
  last: number,
  inputs: readonly RunInput[],
): Map<number, string> {
  let key = recipeKey(recipe)
  const texts = moments.map((moment) => canonicalJson(moment))
  const keys = new Map<number, string>()
  for (let frame = first; frame <= last; frame++) {
    const own = texts[Math.min(texts.length - 1, frame - first)] ?? ''
    key = textKey(`${key}:${own}:${inputs.map(({ frameKeys }) => frameKeys.get(frame) ?? '').join(':')}`)
    keys.set(frame, key)
  }
  return keys
}

/** The run of particles that are computed; none of those that fall without end. Throws LanternError naming what is missing. */
export function resolveParticles(document: ItemDocument, id: string, context: EffectContext): readonly Run[] {
  const item = particlesItem(document, id)
  if (item.way === 'taken in') return [takenRun(document, id, item)]
  if (item.way !== 'computed') return []
  const settings = particleSettings(document, id, context)
  const [gas, others] = [gasInput(document, item, context), othersInput(document, item, context)]
  const inputs = [gas, others].filter((one) => one !== undefined)
  const place = (one: RunInput | undefined): number | undefined => (one ? inputs.indexOf(one) : undefined)
  const { first, last } = document.plate
  const { moments, ...rest } = settings
  const begin: Recipe = {
    kind: 'particles',
    version: PARTICLE_VERSIONS.particles,
    settings: { ...rest, rate: document.plate.rate, first },
    inputs: [],
  }
  const frameKeys = chainOf(begin, moments, first, last, inputs)
  const recipe: Recipe = {
    ...begin,
    settings: { ...(begin.settings as object), last: frameKeys.get(last) },
    inputs: inputs.map(({ key }) => key),
  }
  return [
    {
      item: id,
      name: item.name,
      output: 'particles',
      recipe,
      key: recipeKey(recipe),
      first,
      last,
      preRoll: settings.preRoll,
      inputs,
      needs: (frame) =>
        inputs.flatMap((one, input) => (frame >= one.first && frame <= one.last ? [{ input, frames: [frame] }] : [])),
      frameKeys,
      checkMemory: (bytes) => checkRoom(item.name, settings, bytes),
      work: 1,
      bake: particleBake(settings, frameRate(document.plate), {
        gas: place(gas),
        others: place(others),
        breaks: item.source === 'break',
      }),
    },
  ]
}
