// Runs a command and ends it when its own standard input closes, so that a supervisor that dies leaves nothing behind.  node keeper.mjs SIGNAL COMMAND [ARGUMENTS]
import { spawn } from 'node:child_process'

const [signal, command, ...args] = process.argv.slice(2)
const child = spawn(command, args, { stdio: ['ignore', 'inherit', 'inherit'], detached: false })
let ending = false
const end = () => {
  if (ending) return
  ending = true
  child.kill(signal)
  setTimeout(() => child.kill('SIGKILL'), 12000).unref()
}
process.stdin.resume()
process.stdin.on('end', end)
process.stdin.on('close', end)
for (const name of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(name, end)
child.on('error', (error) => {
  console.error(`${command}: ${error.message}`)
  process.exit(1)
})
child.on('exit', (code, by) => process.exit(by ? 1 : (code ?? 1)))
