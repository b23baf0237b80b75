import { mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, expect, it } from 'vitest'
import { keep, keepFloats, keyOf, readFloats } from './made.ts'

const folder = mkdtempSync(join(tmpdir(), 'made-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))

it('keeps floats as halves with their head, and leaves no part behind', () => {
  const values = Float32Array.from({ length: 1000 }, (_, n) => (n - 300) * 0.013)
  const path = join(folder, 'deep/er/1.half')
  keepFloats(path, { frame: 7, note: 'a\nb' }, values)
  const read = readFloats<{ frame: number; note: string }>(path)
  expect(read.head).toEqual({ frame: 7, note: 'a\nb' })
  expect(read.values.length).toBe(1000)
  for (let n = 0; n < 1000; n++)
    expect(Math.abs((read.values[n] ?? 0) - (values[n] ?? 0))).toBeLessThanOrEqual(
      Math.abs(values[n] ?? 0) / 2048 + 1e-7,
    )
  keep(path, 'again')
  expect(readdirSync(join(folder, 'deep/er'))).toEqual(['1.half'])
})

it('keys by settings and by what the sources say, tests left out, and says when it is called from elsewhere', () => {
  const source = join(folder, 'src')
  keep(join(source, 'a.ts'), 'one')
  keep(join(source, 'b.ts'), 'two')
  const key = keyOf([source], { x: 1 })
  expect(key).toMatch(/^[0-9a-f]{16}$/)
  expect(keyOf([source], { x: 1 })).toBe(key)
  expect(keyOf([source], { x: 2 })).not.toBe(key)
  writeFileSync(join(source, 'a.test.ts'), 'a test')
  expect(keyOf([source], { x: 1 })).toBe(key)
  writeFileSync(join(source, 'b.ts'), 'three')
  expect(keyOf([source], { x: 1 })).not.toBe(key)
  expect(() => keyOf([join(folder, 'gone.ts')], 1)).toThrow(/project's root/)
})
