import { LanternError } from '@lantern/core/base'
import { migrate } from '@lantern/store'
import { Command } from 'commander'
import { handOffCommands } from './handOff.ts'
import { matchCommands } from './match.ts'
import { resultsCommands } from './results.ts'
import { store } from './session.ts'
import { shotsCommands } from './shots.ts'
import { sitCommands } from './sit.ts'

/** Runs one command line, without the program's name. Returns what the process is to exit with; errors are printed. */
export async function runCommand(args: readonly string[]): Promise<number> {
  const program = new Command('lantern').description('Headless hand for the same store that the studio works on.')
  for (const add of [shotsCommands, matchCommands, resultsCommands, handOffCommands, sitCommands]) add(program)
  try {
    await migrate(store)
    await program.parseAsync(args, { from: 'user' })
    return 0
  } catch (error) {
    if (error instanceof LanternError) console.error(`${error.message} ${error.remedy}`)
    else
      console.error(
        error instanceof Error && 'code' in error && error.code === 'ECONNREFUSED'
          ? 'The database can’t be reached. Start it with npm start, or set LANTERN_DATABASE_URL.'
          : error,
      )
    return 1
  }
}
