// Caps of the kernels, which the linter does not read: files of 400 lines, functions of 120. What the build makes has none.
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import ts from 'typescript'

const FOLDER = 'kernels/assembly'
const [FILE, FUNCTION] = [400, 120]
/** Longer than the caps for now; this list only shrinks. */
const LONGER = new Set([])

const wrong = []
let files = 0
for (const entry of readdirSync(FOLDER, { recursive: true, withFileTypes: true })) {
  if (!entry.isFile() || !entry.name.endsWith('.ts') || entry.name.endsWith('.generated.ts')) continue
  const path = join(entry.parentPath ?? entry.path, entry.name)
  files++
  if (LONGER.has(path)) continue
  const text = readFileSync(path, 'utf8')
  const source = ts.createSourceFile(path, text, ts.ScriptTarget.Latest, true)
  const lines = text.trimEnd().split('\n').length
  if (lines > FILE) wrong.push(`${path}: ${lines} lines, ${FILE} at most`)
  const look = (node) => {
    if (ts.isFunctionLike(node) && node.body) {
      const at = (place) => source.getLineAndCharacterOfPosition(place).line
      const long = at(node.end) - at(node.getStart()) + 1
      if (long > FUNCTION)
        wrong.push(`${path}:${at(node.getStart()) + 1}: a function of ${long} lines, ${FUNCTION} at most`)
    }
    ts.forEachChild(node, look)
  }
  look(source)
}
if (files === 0) wrong.push(`no file in ${FOLDER}`)
for (const one of wrong) console.error(one)
console.log(`kernels: ${files} files, ${wrong.length} over the caps`)
process.exit(wrong.length > 0 ? 1 : 0)
