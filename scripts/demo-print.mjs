// A print of what demo's tests hang on, and the one that they last passed with: they take over a minute, and need not run where nothing of demo has changed.  node scripts/demo-print.mjs [--keep]
import { createHash } from 'node:crypto'
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'

const top = fileURLToPath(new URL('..', import.meta.url))
const KEPT = join(top, 'demo/tested')
/** Folders whose files count: the generator, what ships of it, and the kernels that it draws with. */
const FOLDERS = ['demo/src', 'demo/plates', 'demo/exact', 'kernels/assembly/yard']

export function demoPrint() {
  const hash = createHash('sha256')
  for (const folder of FOLDERS)
    for (const name of readdirSync(join(top, folder), { recursive: true, encoding: 'utf8' }).sort())
      if (/\.[a-z0-9]+$/.test(name)) hash.update(name).update(readFileSync(join(top, folder, name)))
  return hash.digest('hex').slice(0, 16)
}
export const demoTested = () => {
  try {
    return readFileSync(KEPT, 'utf8').trim() === demoPrint()
  } catch {
    return false
  }
}
export const keepDemoPrint = () => writeFileSync(KEPT, `${demoPrint()}\n`)
if (process.argv[1] === fileURLToPath(import.meta.url) && process.argv.includes('--keep')) keepDemoPrint()
