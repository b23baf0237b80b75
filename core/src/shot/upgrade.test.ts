import { readFileSync } from 'node:fs'
import { expect, it } from 'vitest'
import { parseShot } from './patch.ts'
import { SHOT_VERSION, upgradeShot } from './upgrade.ts'

const fixture = (version: number): { version: number; sit: Record<string, unknown> } =>
  JSON.parse(readFileSync(new URL(`./fixtures/version-${version}.json`, import.meta.url), 'utf8'))

it('brings a document of version 1 to today’s: its three layers by id, and what follows them', () => {
  const old = fixture(1)
  const shot = parseShot(old)
  expect(shot.version).toBe(SHOT_VERSION)
  expect(shot.sit.layers.smoke).toMatchObject({ kind: 'smoke', order: 2, softness: 0.8, black: 0.04 })
  expect(shot.sit.layers.fire).toMatchObject({ kind: 'fire', order: 1, amount: 0.7 })
  expect(shot.sit.layers.light).toMatchObject({ kind: 'light', order: 3, shown: false })
  expect(Object.keys(shot.sit.follows ?? {})).toEqual(['layers.fire.amount', 'layers.smoke.tint.0', 'grainAmount'])
  expect(old.sit).toHaveProperty('smoke')
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

it('refuses a stack that lacks a layer', () => {
  const shot = parseShot(fixture(1))
  const { smoke: _, ...layers } = shot.sit.layers
  expect(() => parseShot({ ...shot, sit: { ...shot.sit, layers } })).toThrow(/sit\.layers: Fire light, smoke and fire/)
})
