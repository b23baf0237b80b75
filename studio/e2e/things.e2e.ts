import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { Document, WebIO } from '@gltf-transform/core'
import { boxMesh } from '@lantern/core/data'
import type { ThingItem } from '@lantern/core/set'
import type { Browser, Page } from 'playwright-core'
import sharp from 'sharp'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { application, dropOnPicture, folder, openYard, over, pixel, saved, shotTools, type } from './application.ts'

// Meshes that stand in the plate as things: dropped, placed, sized, lit, with their shadow, hidden by what stands before them.
const NAME = 'things'
let browser: Browser
let page: Page
const faults: string[] = []
const { bench, shot } = shotTools(NAME, () => page)
const things = async (): Promise<ThingItem[]> =>
  Object.values((await shot()).document.items).filter((item): item is ThingItem => item.kind === 'thing')

/** A white box, its edges so long, as a GLB. */
async function writeBox(file: string, edge: number): Promise<string> {
  const document = new Document()
  const buffer = document.createBuffer()
  const { positions, indices } = boxMesh([0, edge / 2, 0], [edge / 2, edge / 2, edge / 2], [0, 0, 0, 1])
  const primitive = document
    .createPrimitive()
    .setMaterial(document.createMaterial('white').setRoughnessFactor(1).setMetallicFactor(0))
    .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(positions).setBuffer(buffer))
    .setIndices(document.createAccessor().setType('SCALAR').setArray(indices).setBuffer(buffer))
  document.createScene().addChild(document.createNode().setMesh(document.createMesh().addPrimitive(primitive)))
  const path = join(folder, file)
  writeFileSync(path, await new WebIO().writeBinary(document))
  return path
}

const dropOn = (paths: readonly string[], at: readonly [number, number]) => dropOnPicture(page, paths, at)
const green = async (x: number, y: number): Promise<number> => (await pixel(page, x, y))[1]
/** Where the plate lies bare, for what is added to be told from it. */
const bare = async (x: number, y: number): Promise<number> => {
  await page.keyboard.press('b')
  const value = await green(x, y)
  await page.keyboard.press('b')
  return value
}

beforeAll(async () => {
  ;({ browser, page } = await openYard(
    NAME,
    {
      camera: { tilt: -12 },
      light: { sunShare: 0.7, sunFrom: 90, sunHeight: 40 },
      items: { ground: { kind: 'ground', name: 'Ground', order: 1 } },
    },
    'Set',
    faults,
  ))
}, 120_000)
afterAll(() => browser.close())

describe('a mesh that is dropped on the plate', () => {
  it('that can’t be read is refused by name, with the open form to export it as', async () => {
    const path = join(folder, 'cart.xyz')
    writeFileSync(path, 'none')
    await dropOn([path], [0.5, 0.7])
    await page.getByText('cart.xyz is a form that is not read').waitFor()
    await page.getByText('Export it as glTF').waitFor()
    expect(await things()).toEqual([])
  })

  it('stands where it was dropped, in the size that its units mean, lit from the sun’s side, with its shadow on the ground', async () => {
    await dropOn([await writeBox('crate.glb', 100)], [0.5, 0.7])
    await bench().getByRole('heading', { name: 'crate' }).waitFor()
    await saved(page)
    const [crate] = await things()
    expect(crate).toMatchObject({ name: 'crate', scale: 0.01 })
    expect(await bench().locator('[data-size]').innerText()).toBe('1.00 × 1.00 × 1.00 m')
    await type(page, 'Turn', '45')
    await saved(page)
    // Its two faces meet in the middle; the sun is on the right.
    await expect
      .poll(async () => (await green(0.53, 0.62)) - (await green(0.47, 0.62)), { timeout: 30_000 })
      .toBeGreaterThan(30)
    // The shadow falls to the left, on ground that is as bright elsewhere.
    const [shadow, beside] = [await green(0.36, 0.72), await green(0.64, 0.74)]
    expect(shadow).toBeLessThan(0.8 * (await bare(0.36, 0.72)))
    expect(Math.abs(beside - (await bare(0.64, 0.74)))).toBeLessThan(6)
  }, 120_000)

  it('is trimmed from above, and all of it again by one press', async () => {
    const before = await green(0.53, 0.62)
    await bench().getByText('Trim', { exact: true }).click()
    await type(page, 'Off above', '90')
    await saved(page)
    expect(await bench().locator('[data-size]').innerText()).toBe('1.00 × 0.10 × 1.00 m')
    const plate = await bare(0.53, 0.62)
    await expect.poll(async () => Math.abs((await green(0.53, 0.62)) - plate), { timeout: 30_000 }).toBeLessThan(8)
    await bench().getByRole('button', { name: 'All of it again' }).click()
    await expect.poll(async () => Math.abs((await green(0.53, 0.62)) - before), { timeout: 30_000 }).toBeLessThan(8)
    await saved(page)
    expect((await things())[0]).not.toHaveProperty('trim')
  }, 120_000)

  it('is cut along a line over the picture: the side that its middle is on stays, or the other one', async () => {
    const lit = await green(0.53, 0.62)
    await bench().getByText('Trim', { exact: true }).click()
    await bench().getByRole('button', { name: 'Cut along a line' }).click()
    // Upright, through its left part.
    await over(page, [0.48, 0.2])
    await over(page, [0.48, 0.95])
    await bench().getByText('Cut 1').waitFor()
    await saved(page)
    const plate = await bare(0.47, 0.62)
    await expect.poll(async () => Math.abs((await green(0.47, 0.62)) - plate), { timeout: 30_000 }).toBeLessThan(8)
    expect(Math.abs((await green(0.53, 0.62)) - lit)).toBeLessThan(8)
    await bench().getByRole('button', { name: 'Other side' }).click()
    const right = await bare(0.53, 0.62)
    await expect.poll(async () => Math.abs((await green(0.53, 0.62)) - right), { timeout: 30_000 }).toBeLessThan(8)
    await bench().getByRole('button', { name: 'Take back' }).click()
    await expect.poll(async () => Math.abs((await green(0.53, 0.62)) - lit), { timeout: 30_000 }).toBeLessThan(8)
    await saved(page)
  }, 120_000)

  it('is made smaller and larger by numbers and units, hidden by what stands before it, and comes back by undo', async () => {
    const before = await green(0.53, 0.62)
    await type(page, 'Scale', '0.002')
    await saved(page)
    expect(await bench().locator('[data-size]').innerText()).toBe('0.20 × 0.20 × 0.20 m')
    await expect.poll(async () => Math.abs((await green(0.5, 0.58)) - before), { timeout: 30_000 }).toBeGreaterThan(20)
    await page.keyboard.press('Control+z')
    await expect.poll(async () => Math.abs((await green(0.53, 0.62)) - before), { timeout: 30_000 }).toBeLessThan(8)
    await saved(page)
    const [thing] = await things()
    const [x = 0, , z = 0] = thing?.position ?? []
    const head = (await shot()).head
    const wall = { kind: 'box', name: 'Wall', order: 9, position: [x, 0, z + 0.9], width: 3, height: 1.6, depth: 0.1 }
    const answer = await fetch(`${application.address}/api/shots/${NAME}`, {
      method: 'PATCH',
      headers: { origin: application.address },
      body: JSON.stringify({ base: head, patch: { items: { wall } } }),
    })
    expect(answer.ok).toBe(true)
    await page.getByText('Wall', { exact: true }).first().waitFor()
    const plate = await bare(0.53, 0.62)
    await expect.poll(async () => Math.abs((await green(0.53, 0.62)) - plate), { timeout: 30_000 }).toBeLessThan(8)
  }, 120_000)

  it('is swapped for another mesh: place, turn and height stay', async () => {
    const [before] = await things()
    await page.getByLabel('Another mesh').setInputFiles([await writeBox('better.glb', 0.25)])
    await expect.poll(async () => (await things())[0]?.mesh.file, { timeout: 30_000 }).toBe('better.glb')
    const [after] = await things()
    expect(after).toMatchObject({ name: 'crate', position: before?.position, turn: 45, scale: 4 })
  }, 60_000)
})

describe('the surface of a piece', () => {
  it('is pictures that are taken in, or a pattern; what is no picture is refused by name', async () => {
    await page.getByRole('option', { name: /^Wall/ }).click()
    const [broken, file] = [join(folder, 'broken.png'), join(folder, 'red-colour.png')]
    writeFileSync(broken, 'none')
    await page.getByLabel('Pictures of a surface').setInputFiles(broken)
    await page.getByText('broken.png can’t be read as a picture').waitFor()
    const red = { create: { width: 32, height: 16, channels: 3 as const, background: '#d01010' } }
    await sharp(red).png().toFile(file)
    await page.getByLabel('Pictures of a surface').setInputFiles(file)
    await page.getByText('red-colour.png is its surface').waitFor()
    const redness = async (): Promise<number> => {
      const [r, g] = await pixel(page, 0.53, 0.62)
      return r - g
    }
    await expect.poll(redness, { timeout: 30_000 }).toBeGreaterThan(50)
    const wall = (await shot()).document.items.wall
    expect(wall).toMatchObject({ carries: 'surface', pattern: 'pictures', surfacePictures: { aspect: 0.5 } })
    await bench().getByLabel('Pattern', { exact: true }).selectOption('cells')
    await expect.poll(redness, { timeout: 30_000 }).toBeLessThan(20)
    await saved(page)
    expect(faults).toEqual([])
  }, 120_000)
})
