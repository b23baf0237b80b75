import { spawnSync } from 'node:child_process'
import { copyFile, readdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { recipeKey } from '@lantern/core/base'
import { gasRecipe } from '@lantern/core/effects/gas'
import { makeItem, type ShotDocument } from '@lantern/core/shot'
import type * as lantern from '@lantern/store'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { type Bench, H, makeBench, movie, W } from '../testing/bench.ts'
import { probeMovie } from './io/movie.ts'

const TOP = fileURLToPath(new URL('../..', import.meta.url))

let bench: Bench
let folder: string
beforeAll(async () => {
  bench = await makeBench()
  folder = bench.folder
  // The command line's session reads these when it is loaded.
  vi.stubEnv('LANTERN_DATABASE_URL', bench.store.url)
  vi.stubEnv('LANTERN_DATA', bench.store.data)
})
afterAll(async () => {
  await (await import('./cli/session.ts')).store.close()
  await bench.remove()
})

describe('the command line', () => {
  interface Said {
    code: number | null
    text: string
  }
  /** In this process, which spares a start each time. */
  const run = async (...args: string[]): Promise<Said> => {
    const { runCommand } = await import('./cli/program.ts')
    const said = vi.spyOn(console, 'log').mockImplementation(() => undefined)
    const failed = vi.spyOn(console, 'error').mockImplementation(() => undefined)
    try {
      const code = await runCommand(args)
      return { code, text: [...said.mock.calls, ...failed.mock.calls].flat().join('\n') }
    } finally {
      said.mockRestore()
      failed.mockRestore()
    }
  }
  /** As a person calls it. */
  const call = (...args: string[]): Said => {
    const { status, stdout, stderr } = spawnSync(process.execPath, ['scripts/lantern.mjs', ...args], {
      cwd: TOP,
      env: process.env,
    })
    return { code: status, text: stdout.toString() + stderr.toString() }
  }
  it('takes a plate the whole way, and says what is wrong on the way', async () => {
    movie(join(folder, 'cli.mp4'), 3)
    await copyFile(join(TOP, 'demo/exact/yard-walk-camera.gltf'), join(folder, 'yard.gltf'))
    const report = join(folder, 'report.json')
    expect(call('new', 'Command', '--plate', join(folder, 'cli.mp4'), '--rate', '24', '--json', report)).toMatchObject({
      code: 0,
    })
    expect(JSON.parse(await readFile(report, 'utf8'))).toMatchObject({
      shot: 'Command',
      plate: { width: W, height: H, rate: [24, 1] },
    })
    expect((await run('new', 'Command', '--plate', join(folder, 'cli.mp4'))).text).toMatch(/called “Command” already/)
    expect((await run('new', 'a/b', '--plate', join(folder, 'cli.mp4'))).text).toMatch(/slash/)
    expect((await run('new', 'x'.repeat(300), '--plate', join(folder, 'cli.mp4'))).text).toMatch(/80 characters/)
    expect((await run('new', 'Text', '--plate', join(folder, 'no.mp4'))).text).toMatch(/no\.mp4 is not a movie/)
    expect(await run('camera', 'Command', '--from', join(folder, 'yard.gltf'))).toMatchObject({ code: 0 })
    await writeFile(join(folder, 'empty.gltf'), '{"asset":{"version":"2.0"}}')
    expect((await run('camera', 'Command', '--from', join(folder, 'empty.gltf'))).text).toMatch(
      /empty\.gltf holds no perspective camera/,
    )
    await writeFile(
      join(folder, 'fire.json'),
      JSON.stringify({
        items: {
          fire: makeItem('gas', { name: 'Fire', order: 1, position: [1.7, 0, 1], cell: 120, runUp: 2, reach: 2 }),
        },
      }),
    )
    expect(await run('edit', 'Command', '--merge', join(folder, 'fire.json'))).toMatchObject({ code: 0 })
    await writeFile(join(folder, 'bad.json'), '{"items":{"fire":{"heat":-4}}}')
    expect((await run('edit', 'Command', '--merge', join(folder, 'bad.json'))).text).toMatch(/items\.fire\.heat/)
    await writeFile(join(folder, 'nan.json'), '{"items":{"fire":{"heat":NaN}}}')
    expect((await run('edit', 'Command', '--merge', join(folder, 'nan.json'))).text).toMatch(/nan\.json is not JSON/)
    expect(await run('bake', 'Command')).toMatchObject({
      code: 0,
      text: expect.stringContaining('fire: 3 frames kept'),
    })
    expect(await run('picture', 'Command', '--frames', '1002-1003', '--json', report)).toMatchObject({ code: 0 })
    expect(
      await run(
        'out',
        'Command',
        '--movie',
        join(folder, 'cli-out.mp4'),
        '--exr',
        join(folder, 'cli-exr'),
        '--camera',
        join(folder, 'cli.gltf'),
        '--quality',
        'look',
      ),
    ).toMatchObject({ code: 0 })
    expect(await probeMovie(join(folder, 'cli-out.mp4'))).toMatchObject({ frames: 3, rate: [24, 1] })
    expect(await readdir(join(folder, 'cli-exr'))).toEqual(['Command.1001.exr', 'Command.1002.exr', 'Command.1003.exr'])
    expect(await run('show', 'Command', '--json', report)).toMatchObject({ code: 0 })
    const shown = JSON.parse(await readFile(report, 'utf8')) as { document: ShotDocument; status: lantern.ShotStatus }
    expect(shown.status.look.kept).toEqual([1001, 1002, 1003])
    expect(Object.keys(shown.status.items)).toEqual(['fire'])
    expect(shown.status.items.fire?.key).toBe(recipeKey(gasRecipe(shown.document, 'fire', 'full')))
    expect(call('show', 'Nobody').text).toMatch(/no shot called “Nobody”/)
    expect((await run('picture', 'Command', '--frames', '5-9')).text).toMatch(/frames 1001 to 1003 only/)
  }, 300_000)
})
