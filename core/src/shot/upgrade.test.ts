import { readFileSync } from 'node:fs'
import { expect, it } from 'vitest'
import { parseShot } from './patch.ts'
import { SHOT_VERSION, upgradeShot } from './upgrade.ts'

const fixture = (version: number): { version: number; sit: Record<string, unknown> } =>
  JSON.parse(readFileSync(new URL(`./fixtures/version-${version}.json`, import.meta.url), 'utf8'))

it('brings a document of version 1 to today’s: its three layers become those of its items, and what follows them goes on', () => {
  const old = fixture(1)
  const shot = parseShot(old)
  expect(shot.version).toBe(SHOT_VERSION)
  const [id = ''] = Object.keys(shot.items).filter((one) => shot.items[one]?.kind === 'gas')
  // Smoke was graded, fire laid at 0.7, its light on the set hidden.
  expect(shot.sit.layers[id]).toMatchObject({ softness: 0.8, black: 0.04, glow: 0.7, light: 0, amount: 1 })
  const gases = Object.keys(shot.items).filter((one) => shot.items[one]?.kind === 'gas')
  const followed = ['glow', 'tint.0'].flatMap((key) => gases.map((gas) => `layers.${gas}.${key}`))
  expect(Object.keys(shot.sit.follows ?? {})).toEqual([...followed, 'grainAmount'])
  expect(old.sit).toHaveProperty('smoke')
})

it('gives every drawn item of version 3 a layer, and takes hidden smoke as none of it', () => {
  const three = fixture(3)
  const shot = parseShot(three)
  expect(Object.keys(shot.sit.layers).sort()).toEqual(['again', 'fire'])
  expect(shot.sit.layers.again).toMatchObject({ amount: 0, glow: 2, light: 1, tint: [1, 0.9, 0.8] })
})

it('makes the movie’s curve the camera’s: plain stays cut at white, soft becomes the sensor', () => {
  const old = fixture(1)
  const curve = (movieCurve?: string): string =>
    parseShot({ ...old, version: 1, sit: { ...old.sit, ...(movieCurve ? { movieCurve } : {}) } }).sit.curve
  expect(curve('plain')).toBe('clip')
  expect(curve('soft')).toBe('sensor')
  expect(curve()).toBe('sensor')
})

it('leaves a document of today as it is, and what is none for the schema to refuse', () => {
  const shot = parseShot(fixture(1))
  expect(upgradeShot(shot)).toEqual(shot)
  for (const none of [null, 7, 'shot', [], {}, { version: '1' }]) expect(upgradeShot(none)).toEqual(none)
  expect(() => parseShot({ ...shot, version: SHOT_VERSION + 1 })).toThrow(/version/)
})
