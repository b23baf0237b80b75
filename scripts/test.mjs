// Runs the checks, the unit and server tests, builds the studio, runs the browser tests, and adds up.  node scripts/test.mjs [--no-check] [--no-browser]
import { spawn } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync } from 'node:fs'

const given = new Set(process.argv.slice(2))
const run = (command, args, env = {}) =>
  new Promise((done) =>
    spawn(command, args, { stdio: 'inherit', env: { ...process.env, ...env } }).on('exit', (code) => done(code ?? 1)),
  )
const total = { passed: 0, failed: 0 }

async function suite(name, env) {
  const file = `.test/${name}.json`
  rmSync(file, { force: true })
  const code = await run(
    process.execPath,
    ['node_modules/vitest/vitest.mjs', 'run', '--reporter=default', '--reporter=json', `--outputFile.json=${file}`],
    env,
  )
  try {
    const { numPassedTests, numFailedTests } = JSON.parse(readFileSync(file, 'utf8'))
    total.passed += numPassedTests
    total.failed += Math.max(numFailedTests, code === 0 ? 0 : 1)
    if (numPassedTests + numFailedTests === 0) total.failed++
  } catch {
    total.failed++
  }
}
async function step(name, command, args) {
  if ((await run(command, args)) === 0) total.passed++
  else {
    total.failed++
    console.error(`${name} failed`)
  }
}

mkdirSync('.test', { recursive: true })
if (!given.has('--no-check')) await step('checks', 'bash', ['scripts/check.sh'])
await suite('unit', {})
if (!given.has('--no-browser')) {
  await step('build', 'bash', ['scripts/build-studio.sh'])
  await suite('browser', { LANTERN_E2E: 'yes' })
}
console.log(`${total.passed} passed, ${total.failed} failed`)
process.exit(total.failed === 0 && total.passed > 0 ? 0 : 1)
