// Runs the checks and the unit and server tests beside the studio's build and the browser tests, and adds up.  node scripts/test.mjs [--no-check] [--no-browser] [--demo]
import { spawn } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync } from 'node:fs'
import { relative } from 'node:path'
import { demoTested, keepDemoPrint } from './demo-print.mjs'

/** What all of it may take, seconds: beyond that a run fails, so that it does not grow unnoticed. The same tests took 600 to 1100 s on one machine, hour by hour. */
const MOST_SECONDS = 1200
const SLOWEST = 10

const given = new Set(process.argv.slice(2))
const run = (command, args, env = {}) =>
  new Promise((done) =>
    spawn(command, args, { stdio: 'inherit', env: { ...process.env, ...env } }).on('exit', (code) => done(code ?? 1)),
  )
const total = { passed: 0, failed: 0 }
/** Seconds by test file. */
const files = []

/** The demo's generator is tested where something of it has changed since its tests last passed, or where it is asked for. */
const withDemo = given.has('--demo') || !demoTested()

async function suite(name, env) {
  const file = `.test/${name}.json`
  rmSync(file, { force: true })
  const code = await run(
    process.execPath,
    ['node_modules/vitest/vitest.mjs', 'run', '--reporter=default', '--reporter=json', `--outputFile.json=${file}`],
    env,
  )
  try {
    const { numPassedTests, numFailedTests, testResults } = JSON.parse(readFileSync(file, 'utf8'))
    total.passed += numPassedTests
    total.failed += Math.max(numFailedTests, code === 0 ? 0 : 1)
    if (numPassedTests + numFailedTests === 0) total.failed++
    for (const { name: path, startTime, endTime } of testResults)
      files.push({ path: relative('.', path), seconds: (endTime - startTime) / 1000 })
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
const begun = performance.now()
const units = async () => {
  if (!given.has('--no-check')) await step('checks', 'bash', ['scripts/check.sh'])
  if (!withDemo) console.log('demo: unchanged since its tests passed (npm test -- --demo runs them)')
  await suite('unit', withDemo ? {} : { LANTERN_DEMO_TESTS: 'no' })
}
const browsing = (part) => suite(`browser-${part}`, { LANTERN_E2E: 'yes', LANTERN_E2E_PART: part })
const built = given.has('--no-browser') ? undefined : step('build', 'bash', ['scripts/build-studio.sh'])
const browser = async () => {
  if (!built) return
  await built
  await browsing('early')
  await browsing('after')
}
const unitsFirst = async () => {
  await units()
  if (!built) return
  await built
  await browsing('late')
}
await Promise.all([unitsFirst(), browser()])

const seconds = (performance.now() - begun) / 1000
console.log(`slowest files, of ${seconds.toFixed(0)} s in all:`)
for (const { path, seconds: took } of files.sort((a, b) => b.seconds - a.seconds).slice(0, SLOWEST))
  console.log(`  ${took.toFixed(1).padStart(6)} s  ${path}`)
if (seconds > MOST_SECONDS) {
  total.failed++
  console.error(`the tests took ${seconds.toFixed(0)} s, more than ${MOST_SECONDS}: shorten the slowest`)
}
console.log(`${total.passed} passed, ${total.failed} failed`)
if (withDemo && total.failed === 0) keepDemoPrint()
process.exit(total.failed === 0 && total.passed > 0 ? 0 : 1)
