import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { Document, WebIO } from '@gltf-transform/core'
import type { Browser, Page } from 'playwright-core'
import sharp from 'sharp'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { scanMesh } from '../../core/testing/scans.ts'
import { dropOnPicture, folder, openYard, over, pixel, saved, shotTools, station, type } from './application.ts'

// A wall that is cut, struck and scrubbed through; a crater, a grey picture, and a mark.
const NAME = 'breaking'
let browser: Browser
let page: Page
const faults: string[] = []
const { bench, shot } = shotTools(NAME, () => page)
const add = (what: string) => page.getByLabel('Add', { exact: true }).selectOption(what)
/** Light of a place of the picture, r g b in all. */
const light = async (x: number, y: number): Promise<number> => {
  const [r, g, b] = await pixel(page, x, y)
  return r + g + b
}
const item = async (kind: string): Promise<Record<string, unknown>> =>
  (Object.values((await shot()).document.items).find((one) => one.kind === kind) ?? {}) as Record<string, unknown>

beforeAll(async () => {
  ;({ browser, page } = await openYard(
    NAME,
    {
      items: {
        ground: { kind: 'ground', name: 'Ground', order: 1 },
        wall: { kind: 'box', name: 'Wall', order: 2, position: [0, 0, -5], width: 3, height: 2.2, depth: 0.3 },
      },
    },
    'Effects',
    faults,
  ))
}, 120_000)
afterAll(() => browser.close())

describe('something that breaks', () => {
  const [X, Y] = [0.5, 0.45]
  it('is cut where it is clicked, seen on the plate at once, with as many pieces as are asked for', async () => {
    for (let n = 0; n < 2; n++) await page.keyboard.press('ArrowRight')
    await add('preset-stone')
    await over(page, [X, Y])
    await bench().getByRole('heading', { name: 'Stone, concrete' }).waitFor()
    // Before its strike its cut is drawn over the plate.
    await page.keyboard.press('Home')
    const pieces = bench().locator('[data-pieces]')
    await expect.poll(() => pieces.getAttribute('data-pieces')).toBe('180')
    await page.locator('path[data-cut="180"]').first().waitFor({ state: 'attached' })
    await type(page, 'Pieces', '60')
    await expect.poll(() => pieces.getAttribute('data-pieces')).toBe('60')
    await saved(page)
    const strikes = Object.values((await item('breaking')).strikes as Record<string, { frame: number }>)
    expect(strikes.map(({ frame }) => frame)).toEqual([1003])
    // A cut by hand adds pieces.
    await bench().getByRole('button', { name: 'Cut by hand' }).click()
    await over(page, [0.3, 0.42])
    await over(page, [0.7, 0.5])
    await bench().getByText('1 by hand').waitFor()
    await expect.poll(async () => Number(await pieces.getAttribute('data-pieces'))).toBeGreaterThan(62)
  })
  it('drafts here, is kept, and is the plate itself until it is struck', async () => {
    await bench()
      .getByText(/draft: 8 of 8/)
      .waitFor({ timeout: 30_000 })
    await saved(page)
    const before = await light(X, Y)
    await bench().getByRole('button', { name: 'Keep', exact: true }).click()
    await bench()
      .getByText(/^8 of 8/)
      .waitFor({ timeout: 60_000 })
    await page.keyboard.press('End')
    await bench()
      .getByText(/[1-9]\d* on their way/)
      .waitFor()
    await expect.poll(async () => Math.abs((await light(X, Y)) - before), { timeout: 30_000 }).toBeGreaterThan(12)
    await page.keyboard.press('Home')
    await expect.poll(async () => Math.abs((await light(X, Y)) - before), { timeout: 30_000 }).toBeLessThan(4)
  })
  it('is stale where its strike moved, kept anew, and says where a strike hits nothing', async () => {
    await type(page, 'Frame', '1005')
    await saved(page)
    await bench()
      .getByText(/8 stale/)
      .waitFor()
    await bench().getByRole('button', { name: 'Keep', exact: true }).click()
    await bench()
      .getByText(/^8 of 8/)
      .waitFor({ timeout: 60_000 })
    await bench().getByRole('button', { name: 'Add a strike' }).click()
    await over(page, [0.5, 0.95])
    await type(page, 'Radius', '0.02')
    await saved(page)
    await bench().getByText('hits nothing').waitFor({ timeout: 30_000 })
    expect(faults).toEqual([])
  })
  it('gives its rubble, which is kept after it', async () => {
    await bench().getByRole('button', { name: 'Remove Strike 2' }).click()
    await add('preset-rubble')
    await over(page, [0.4, 0.85])
    await bench().getByRole('heading', { name: 'Rubble' }).waitFor()
    await saved(page)
    expect(await item('particles')).toMatchObject({ source: 'break', bits: 'mixed' })
    await bench().getByRole('button', { name: 'Keep', exact: true }).click()
    await bench()
      .getByText(/^8 of 8/)
      .waitFor({ timeout: 90_000 })
    await page.keyboard.press('End')
    await bench()
      .getByText(/[1-9]\d* here/)
      .waitFor()
    // Its bits are discs with a picture, or the wall's own pieces.
    const lid = join(folder, 'lid.png')
    await sharp({ create: { width: 8, height: 8, channels: 4, background: '#e8e0d0' } })
      .png()
      .toFile(lid)
    await page.getByLabel('Drawn as', { exact: true }).selectOption('discs')
    await page.getByLabel('Picture on discs').setInputFiles(lid)
    await bench().getByText('lid.png').waitFor()
    await page.getByLabel('Drawn as', { exact: true }).selectOption('pieces')
    await page.getByLabel('Pieces of', { exact: true }).selectOption({ label: 'Stone, concrete' })
    await saved(page)
    expect(await item('particles')).toMatchObject({ bits: 'pieces', bitPicture: { width: 8, height: 8 } })
    expect(faults).toEqual([])
  })
})

describe('the ground', () => {
  it('opens in a crater, whose curve is dragged, and in a grey picture; one of one grey is refused', async () => {
    const [x, y] = [0.5, 0.88]
    await page.keyboard.press('Home')
    const before = await light(x, y)
    await add('preset-crater')
    await over(page, [x, y])
    const hole = bench().locator('[data-hole]')
    const dug = Number(await hole.getAttribute('data-hole'))
    expect(dug).toBeGreaterThan(0.1)
    await expect.poll(async () => Math.abs((await light(x, y)) - before), { timeout: 30_000 }).toBeGreaterThan(8)
    await bench().getByRole('slider', { name: 'Stop 2' }).press('ArrowUp')
    await expect.poll(async () => Number(await hole.getAttribute('data-hole'))).toBeLessThan(dug)
    await bench().getByRole('button', { name: 'Remove', exact: true }).click()
    await expect.poll(async () => Math.abs((await light(x, y)) - before), { timeout: 30_000 }).toBeLessThan(4)
    const [good, even] = [join(folder, 'relief.png'), join(folder, 'even.png')]
    const grey = (make: (n: number) => number) =>
      sharp(
        Uint16Array.from({ length: 64 * 64 }, (_, n) => make(n)),
        {
          raw: { width: 64, height: 64, channels: 1 },
        },
      )
        .toColourspace('grey16')
        .png()
    await grey((n) => 65_535 * Number(Math.hypot((n % 64) - 32, Math.floor(n / 64) - 32) < 22)).toFile(good)
    await grey(() => 30_000).toFile(even)
    await add('preset-dug-picture')
    await over(page, [x, y])
    await page.getByLabel('Grey picture', { exact: true }).setInputFiles(even)
    await page.getByText(/even\.png is all of one grey/).waitFor()
    await page.getByLabel('Grey picture', { exact: true }).setInputFiles(good)
    await page.getByText('relief.png is its heights.').waitFor()
    await expect.poll(async () => Math.abs((await light(x, y)) - before), { timeout: 30_000 }).toBeGreaterThan(8)
    await saved(page)
    expect((await item('crater')).picture).toMatchObject({ file: 'relief.png', width: 64, height: 64 })
    await bench().getByRole('button', { name: 'Remove', exact: true }).click()
  })
})

describe('a mark', () => {
  it('is stamped on what was clicked, darkens it, and is taken back', async () => {
    const [x, y] = [0.42, 0.4]
    await page.keyboard.press('Home')
    const before = await light(x, y)
    await add('preset-scorch')
    await over(page, [x, y])
    await bench()
      .getByText(/^on Wall/)
      .waitFor()
    await expect.poll(async () => before - (await light(x, y)), { timeout: 30_000 }).toBeGreaterThan(30)
    await page.keyboard.press('Control+z')
    await expect.poll(async () => Math.abs(before - (await light(x, y))), { timeout: 30_000 }).toBeLessThan(4)
    expect(faults).toEqual([])
  })
})

/** A bumpy ball as a GLB; open: without one of its triangles. */
async function writeScan(file: string, open = false): Promise<string> {
  const document = new Document()
  const buffer = document.createBuffer()
  const { positions, uvs = new Float32Array(), indices } = scanMesh(24, 24)
  const accessor = (type: 'VEC3' | 'VEC2' | 'SCALAR', array: Float32Array | Uint32Array) =>
    document
      .createAccessor()
      .setType(type)
      .setArray(array as Float32Array<ArrayBuffer>)
      .setBuffer(buffer)
  const primitive = document
    .createPrimitive()
    .setMaterial(document.createMaterial('white').setRoughnessFactor(1).setMetallicFactor(0))
    .setAttribute('POSITION', accessor('VEC3', positions))
    .setAttribute('TEXCOORD_0', accessor('VEC2', uvs))
    .setIndices(accessor('SCALAR', indices.slice(open ? 3 : 0)))
  document.createScene().addChild(document.createNode().setMesh(document.createMesh().addPrimitive(primitive)))
  const path = join(folder, file)
  writeFileSync(path, await new WebIO().writeBinary(document))
  return path
}

describe('a taken-in mesh', () => {
  const [x, y] = [0.22, 0.62]
  const dropped = async (path: string, name: string): Promise<void> => {
    await page.keyboard.press('Home')
    await station(page, 'Set')
    await dropOnPicture(page, [path], [x, 0.82])
    await bench().getByRole('heading', { name }).waitFor()
    await type(page, 'Scale', '0.5')
    await saved(page)
    await station(page, 'Effects')
  }
  it('that is open is refused with where, and breaks nothing', async () => {
    await dropped(await writeScan('open.glb', true), 'open')
    await add('preset-stone')
    await over(page, [x, y])
    await bench()
      .getByText(/The mesh is open: 3 edges .* the first at/)
      .waitFor()
    await page.keyboard.press('Control+z')
    await station(page, 'Set')
    await page.getByLabel('In the shot').getByText('open', { exact: true }).click()
    await bench().getByRole('button', { name: 'Remove', exact: true }).click()
  })
  it('is cut where it is seen, keeps a part whole, drafts and is kept as pieces', async () => {
    await dropped(await writeScan('boulder.glb'), 'boulder')
    for (let n = 0; n < 2; n++) await page.keyboard.press('ArrowRight')
    const before = await light(x, y)
    await add('preset-stone')
    await over(page, [x, y])
    await type(page, 'Pieces', '40')
    const pieces = bench().locator('[data-pieces]')
    const count = async (): Promise<number> => Number(await pieces.getAttribute('data-pieces'))
    await page.keyboard.press('Home')
    await expect.poll(count, { timeout: 30_000 }).toBeGreaterThan(25)
    await expect.poll(count, { timeout: 30_000 }).toBeLessThan(60)
    await page.locator('path[data-cut]').first().waitFor({ state: 'attached' })
    const told = await pieces.innerText()
    await bench().getByRole('button', { name: 'Keep a part whole' }).click()
    for (const at of [
      [0.16, 0.5],
      [0.23, 0.5],
      [0.23, 0.62],
      [0.16, 0.62],
    ] as const)
      await over(page, at)
    await page.keyboard.press('Enter')
    await bench().getByText('1 outline, 1 kept whole').waitFor()
    await expect.poll(() => pieces.innerText(), { timeout: 30_000 }).not.toBe(told)
    await saved(page)
    await bench()
      .getByText(/draft: 8 of 8/)
      .waitFor({ timeout: 60_000 })
    await bench().getByRole('button', { name: 'Keep', exact: true }).click()
    await bench()
      .getByText(/^8 of 8/)
      .waitFor({ timeout: 90_000 })
    await page.keyboard.press('End')
    await bench()
      .getByText(/[1-9]\d* on their way/)
      .waitFor()
    await expect.poll(async () => Math.abs((await light(x, y)) - before), { timeout: 30_000 }).toBeGreaterThan(8)
    expect(faults).toEqual([])
  })
})
