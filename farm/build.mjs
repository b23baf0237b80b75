// Bundles what runs in plain Node: the crew's thread, the farm worker and the command line. Packages stay outside, our own workspaces come in.

import { existsSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { build } from 'esbuild'

const here = dirname(fileURLToPath(import.meta.url))
/** Every bare import that is not ours stays a package import. */
export const outside = {
  name: 'outside',
  setup(build) {
    build.onResolve({ filter: /^[^./]/ }, ({ path, kind }) =>
      kind === 'entry-point' || path.startsWith('@lantern/') ? undefined : { path, external: true },
    )
  },
}
const entries = {
  thread: 'src/crew/thread.ts',
  worker: 'src/worker.ts',
  heartbeat: 'src/heartbeat.ts',
  lantern: 'src/lantern.ts',
  reader: 'src/reader.ts',
}
const entryPoints = Object.fromEntries(
  Object.entries(entries)
    .map(([name, path]) => [name, join(here, path)])
    .filter(([, path]) => existsSync(path)),
)
await build({
  entryPoints,
  outdir: join(here, 'dist'),
  outExtension: { '.js': '.mjs' },
  bundle: true,
  format: 'esm',
  platform: 'node',
  target: 'node20',
  sourcemap: 'linked',
  logLevel: 'warning',
  plugins: [outside],
})
