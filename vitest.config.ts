import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vitest/config'
import { BaseSequencer, type TestSpecification } from 'vitest/node'

const e2e = process.env.LANTERN_E2E === 'yes'
/** The walk begins with an application that holds nothing yet, so it comes first. */
class WalkFirst extends BaseSequencer {
  override async sort(files: TestSpecification[]): Promise<TestSpecification[]> {
    const name = ({ moduleId }: TestSpecification): string => (moduleId.includes('walk.e2e') ? '' : moduleId)
    return [...files].sort((a, b) => (name(a) < name(b) ? -1 : 1))
  }
}
const resolve = { alias: { '@': fileURLToPath(new URL('./studio', import.meta.url)) } }
const common = {
  exclude: ['**/node_modules/**', '**/.next/**'],
  hookTimeout: 120_000,
  expect: { poll: { timeout: 10_000 } },
  maxWorkers: 2,
}
/** Tests that neither mock modules nor change anything global: files share a thread, so that modules are loaded once. */
const pure = ['core/**/*.test.ts', 'demo/**/*.test.ts', 'kernels/**/*.test.ts']
const units = [
  { resolve, test: { ...common, name: 'pure', include: pure, testTimeout: 120_000, pool: 'threads', isolate: false } },
  {
    resolve,
    test: {
      ...common,
      name: 'server',
      include: ['{store,farm,studio,scripts}/**/*.test.ts'],
      globalSetup: ['scripts/test-database.mjs'],
      testTimeout: 120_000,
      pool: 'forks',
    },
  },
] as const
const browser = {
  ...common,
  include: ['studio/e2e/**/*.e2e.ts'],
  globalSetup: ['scripts/test-application.mjs'],
  testTimeout: 90_000,
  fileParallelism: false,
  pool: 'forks',
  sequence: { sequencer: WalkFirst },
} as const

export default defineConfig({ resolve, test: e2e ? browser : { maxWorkers: 2, projects: [...units] } })
