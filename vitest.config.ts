import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vitest/config'

const e2e = process.env.LANTERN_E2E === 'yes'
export default defineConfig({
  resolve: { alias: { '@': fileURLToPath(new URL('./studio', import.meta.url)) } },
  test: {
    include: e2e ? ['studio/e2e/**/*.e2e.ts'] : ['{core,store,farm,studio,demo,kernels,scripts}/**/*.test.ts'],
    exclude: ['**/node_modules/**', '**/.next/**'],
    globalSetup: e2e ? ['scripts/test-application.mjs'] : ['scripts/test-database.mjs'],
    testTimeout: e2e ? 90_000 : 60_000, hookTimeout: 120_000,
    expect: { poll: { timeout: 10_000 } }, fileParallelism: !e2e, maxWorkers: 2, pool: 'forks',
  },
})
