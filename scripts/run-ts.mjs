// Runs a TypeScript file of this project: bundles it with our workspaces and imports the result.  node scripts/run-ts.mjs FILE [ARGUMENTS]
import { spawn } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import { basename, dirname, join, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { build } from 'esbuild'
import { outside } from '../farm/build.mjs'

const top = dirname(dirname(fileURLToPath(import.meta.url)))
const [file, ...rest] = process.argv.slice(2)
if (!file) {
  console.error('use: node scripts/run-ts.mjs FILE [ARGUMENTS]')
  process.exit(2)
}
const out = join(top, 'farm/dist/run', `${basename(file, '.ts')}.mjs`)
mkdirSync(dirname(out), { recursive: true })
await build({
  entryPoints: [resolve(file)],
  outfile: out,
  bundle: true,
  format: 'esm',
  platform: 'node',
  target: 'node20',
  sourcemap: 'inline',
  logLevel: 'warning',
  plugins: [outside],
})
const child = spawn(process.execPath, ['--enable-source-maps', out, ...rest], {
  stdio: 'inherit',
  env: { ...process.env, LANTERN_THREAD_ENTRY: join(top, 'farm/dist/thread.mjs') },
})
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child.kill(signal))
child.on('exit', (code, signal) => process.exit(signal ? 1 : (code ?? 1)))
