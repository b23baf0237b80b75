// Types, and ESLint's rules that ask for types, over one programme: making it is most of the work.
import { fileURLToPath } from 'node:url'
import { ESLint } from 'eslint'
import ts from 'typescript'

const top = fileURLToPath(new URL('..', import.meta.url))
const host = {
  ...ts.sys,
  onUnRecoverableConfigFileDiagnostic: ({ messageText }) => {
    throw new Error(ts.flattenDiagnosticMessageText(messageText, '\n'))
  },
}
const { fileNames, options } = ts.getParsedCommandLineOfConfigFile(`${top}tsconfig.check.json`, {}, host)
const program = ts.createProgram(fileNames, { ...options, incremental: false, tsBuildInfoFile: undefined })
const diagnostics = ts.getPreEmitDiagnostics(program)
if (diagnostics.length > 0) {
  const shown = { getCanonicalFileName: (name) => name, getCurrentDirectory: () => top, getNewLine: () => '\n' }
  console.error(ts.formatDiagnostics(diagnostics, shown))
}
const own = fileNames.filter((name) => /(?<!\.d)\.tsx?$/.test(name))
console.log(`types: ${own.length} files`)

const parserOptions = { programs: [program], project: null }
const eslint = new ESLint({
  cwd: top,
  overrideConfig: [{ files: ['**/*.ts', '**/*.tsx'], languageOptions: { parserOptions } }],
})
const ignored = await Promise.all(own.map((name) => eslint.isPathIgnored(name)))
const results = await eslint.lintFiles(own.filter((_, n) => !ignored[n]))
const found = results.reduce((sum, { errorCount, warningCount }) => sum + errorCount + warningCount, 0)
if (found > 0) console.error(await (await eslint.loadFormatter('stylish')).format(results))
console.log(`rules over types: ${results.length} files`)
process.exit(diagnostics.length + found > 0 || own.length === 0 || results.length === 0 ? 1 : 0)
