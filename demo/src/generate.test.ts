import { spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, readFileSync, rmSync, statSync, utimesSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { readCameraGltf } from '@lantern/core/formats'
import { afterAll, describe, expect, it } from 'vitest'
import { momentOf, PLATES, project } from './plates.ts'

// The generator as it is called, on a coarse yard: what it writes, that it goes on where it stopped, and that it refuses what it can't do.
const folder = mkdtempSync(join(tmpdir(), 'yard-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))
const run = (...args: string[]) =>
  spawnSync(
    process.execPath,
    [
      'scripts/run-ts.mjs',
      'demo/src/generate.ts',
      '--detail',
      '0.02',
      '--rays',
      '1',
      '--burn',
      '1',
      '--width',
      '96',
      '--cache',
      join(folder, 'made'),
      '--exact',
      join(folder, 'exact'),
      ...args,
    ],
    { encoding: 'utf8' },
  )

describe('the generator', () => {
  it('makes a movie and its exact files', () => {
    const out = join(folder, 'one')
    const first = run('--plate', 'yard-walk', '--frames', '2', '--out', out)
    expect(first.stderr).toBe('')
    expect(first.status).toBe(0)
    expect(first.stdout).toMatch(/left/)
    const probe = spawnSync(
      'ffprobe',
      [
        '-v',
        'error',
        '-count_frames',
        '-show_entries',
        'stream=width,height,nb_read_frames,r_frame_rate,color_transfer,pix_fmt',
        '-of',
        'default=nw=1',
        join(out, 'yard-walk.mp4'),
      ],
      { encoding: 'utf8' },
    ).stdout
    for (const line of [
      'width=96',
      'height=54',
      'nb_read_frames=2',
      'r_frame_rate=24/1',
      'pix_fmt=yuv420p',
      'color_transfer=iec61966-2-1',
    ])
      expect(probe).toContain(line)
    const spec = { ...(PLATES[0] as (typeof PLATES)[number]), width: 96, height: 54 }
    const { frames } = readCameraGltf(readFileSync(join(folder, 'exact/yard-walk-camera.gltf')), 'c', {
      width: 96,
      height: 54,
      first: 1001,
      last: 1002,
      rate: 24,
    })
    expect(frames.length).toBe(2)
    expect(frames[1]?.camera.position[0]).toBeCloseTo(momentOf(spec, 1 / 24).position[0], 5)
    const exact = JSON.parse(readFileSync(join(folder, 'exact/yard-walk.json'), 'utf8')) as {
      lens: { focalPx: number }
      geometry: { ground: [number, number, number][] }
    }
    expect(exact.lens.focalPx).toBeCloseTo((24 / 28) * 96, 6)
    expect(exact.geometry.ground.filter((p) => project(spec, momentOf(spec, 0), p)).length).toBeGreaterThan(20)
  }, 240_000)
  it('goes on where it stopped, to the same bytes: frames that are kept are not drawn again', () => {
    const made = join(folder, 'made')
    const linear = spawnSync('sh', ['-c', `ls -d ${made}/linear-*`], { encoding: 'utf8' }).stdout.trim()
    const [kept, lost] = [join(linear, '1001.half'), join(linear, '1002.half')]
    const before = readFileSync(lost)
    utimesSync(kept, 1, 1)
    rmSync(lost)
    const again = run('--plate', 'yard-walk', '--frames', '2', '--out', join(folder, 'two'))
    expect(again.stdout).toMatch(/taken from before/)
    expect(statSync(kept).mtimeMs).toBe(1000)
    expect(readFileSync(lost).equals(before)).toBe(true)
    const movie = readFileSync(join(folder, 'one/yard-walk.mp4'))
    expect(readFileSync(join(folder, 'two/yard-walk.mp4')).equals(movie)).toBe(true)
  }, 120_000)
  it('writes the first frames as 16-bit stills or half-float OpenEXR where asked', () => {
    const out = join(folder, 'stills')
    expect(run('--plate', 'yard-walk', '--frames', '1', '--stills', 'png', '--out', out).status).toBe(0)
    expect(run('--plate', 'yard-walk', '--frames', '1', '--stills', 'exr', '--out', out).status).toBe(0)
    expect(readFileSync(join(out, 'yard-walk.1001.png')).subarray(24, 26)).toEqual(Buffer.from([16, 2]))
    expect(readFileSync(join(out, 'yard-walk.1001.exr')).readUInt32LE(0)).toBe(20000630)
  }, 240_000)
  it('refuses what it does not know, naming it', () => {
    const wrong = run('--plate', 'yard-moon')
    expect(wrong.status).toBe(2)
    expect(wrong.stderr).toMatch(/--plate/)
    expect(run('--threads', 'many').stderr).toMatch(/--threads/)
    expect(existsSync(join(folder, 'moon'))).toBe(false)
  })
})
