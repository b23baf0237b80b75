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
/** Tests of plain functions: files share a thread, so that modules are loaded once. */
const demo = process.env.LANTERN_DEMO_TESTS === 'no' ? [] : ['demo/**/*.test.ts']
const pure = ['core/**/*.test.ts', ...demo, 'kernels/**/*.test.ts']
const others = ['{store,farm,studio,scripts}/**/*.test.ts']
/** Tests that put another module, global or environment in place of the real one: each has a process of its own. */
const apart = [
  'studio/features/{effects,shots}/**/*.test.ts',
  'studio/features/match/shapes.test.ts',
  'studio/features/picture/{drafts,looks}.test.ts',
  'studio/features/shot/shotStore.test.ts',
  'studio/server/newEffect.test.ts',
  'studio/server/{arrivals,fuzz,routes}.test.ts',
  'farm/src/lantern.test.ts',
  'farm/src/bake/bakeJob.test.ts',
  'store/src/store.test.ts',
]
const server = { ...common, globalSetup: ['scripts/test-database.mjs'], testTimeout: 120_000, pool: 'forks' } as const
const units = [
  { resolve, test: { ...common, name: 'pure', include: pure, testTimeout: 120_000, pool: 'threads', isolate: false } },
  {
    resolve,
    test: {
      ...server,
      name: 'server',
      include: others,
      exclude: [...common.exclude, ...apart],
      isolate: false,
    },
  },
  { resolve, test: { ...server, name: 'apart', include: apart } },
] as const
/** Browser tests in three parts, each over an application of its own, so that both processors are at work to the end: the early ones beside the unit tests, then others after them, and others after the unit tests. */
const named = (...names: string[]): string[] => names.map((name) => `studio/e2e/${name}.e2e.ts`)
const parts: Readonly<Record<string, string[]>> = {
  after: named('breaking', 'supervisor', 'things'),
  late: named('cards', 'parts', 'relight', 'screen', 'shots', 'sit'),
}
const part = process.env.LANTERN_E2E_PART ?? ''
const browser = {
  ...common,
  include: parts[part] ?? ['studio/e2e/**/*.e2e.ts'],
  exclude: part === 'early' ? [...common.exclude, ...Object.values(parts).flat()] : common.exclude,
  globalSetup: ['scripts/test-application.mjs'],
  testTimeout: 90_000,
  fileParallelism: false,
  pool: 'forks',
  sequence: { sequencer: WalkFirst },
} as const

export default defineConfig({ resolve, test: e2e ? browser : { maxWorkers: 2, projects: [...units] } })
