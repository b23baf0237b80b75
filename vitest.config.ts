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
export default defineConfig({
  resolve: { alias: { '@': fileURLToPath(new URL('./studio', import.meta.url)) } },
  test: {
    include: e2e ? ['studio/e2e/**/*.e2e.ts'] : ['{core,store,farm,studio,demo,kernels,scripts}/**/*.test.ts'],
    exclude: ['**/node_modules/**', '**/.next/**'],
    globalSetup: e2e ? ['scripts/test-application.mjs'] : ['scripts/test-database.mjs'],
    testTimeout: e2e ? 90_000 : 60_000,
    hookTimeout: 120_000,
    expect: { poll: { timeout: 10_000 } },
    fileParallelism: !e2e,
    maxWorkers: 2,
    pool: 'forks',
    ...(e2e ? { sequence: { sequencer: WalkFirst } } : {}),
  },
})
