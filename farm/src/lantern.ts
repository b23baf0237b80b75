import { LanternError } from '@lantern/core/base'
import { migrate } from '@lantern/store'
import { Command } from 'commander'
import { handOffCommands } from './cli/handOff.ts'
import { matchCommands } from './cli/match.ts'
import { resultsCommands } from './cli/results.ts'
import { stopping, store } from './cli/session.ts'
import { shotsCommands } from './cli/shots.ts'

const program = new Command('lantern').description('Headless hand for the same store that the studio works on.')
for (const add of [shotsCommands, matchCommands, resultsCommands, handOffCommands]) add(program)

for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => (stopping.now = true))

try {
  await migrate(store)
  await program.parseAsync()
} catch (error) {
  if (error instanceof LanternError) console.error(`${error.message} ${error.remedy}`)
  else
    console.error(
      error instanceof Error && 'code' in error && error.code === 'ECONNREFUSED'
        ? 'The database can’t be reached. Start it with npm start, or set LANTERN_DATABASE_URL.'
        : error,
    )
  process.exitCode = 1
} finally {
  await store.close()
}
