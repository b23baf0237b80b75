import { runCommand } from './cli/program.ts'
import { stopping, store } from './cli/session.ts'

for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => (stopping.now = true))

process.exitCode = await runCommand(process.argv.slice(2))
await store.close()
