import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { createServer, type Server } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { afterAll, describe, expect, it } from 'vitest'
import { running } from '../../scripts/running.mjs'

// What npm start starts must end with it, however it ends.
const TOP = fileURLToPath(new URL('../..', import.meta.url))
const data = mkdtempSync(join(tmpdir(), 'lantern-supervisor-'))
afterAll(() => rmSync(data, { recursive: true, force: true }))

const occupied = async (): Promise<{ server: Server; port: number }> => {
  const server = createServer().listen(0, '127.0.0.1')
  await once(server, 'listening')
  const address = server.address()
  return { server, port: typeof address === 'object' && address ? address.port : 0 }
}
const free = async (): Promise<number> => {
  const { server, port } = await occupied()
  server.close()
  await once(server, 'close')
  return port
}

function start(
  port: number,
  databasePort: number,
  command: readonly [string, ...string[]] = [process.execPath, 'scripts/start.mjs'],
) {
  const child = spawn(command[0], command.slice(1), {
    cwd: TOP,
    // A group of its own, as a shell gives every command that it starts.
    detached: true,
    stdio: ['ignore', 'pipe', 'pipe'],
    env: {
      ...process.env,
      LANTERN_DATA: data,
      LANTERN_PORT: String(port),
      LANTERN_DATABASE_PORT: String(databasePort),
      LANTERN_DEMO: 'no',
      LANTERN_LOG: 'error',
    },
  })
  let said = ''
  const ready = new Promise<void>((resolve) => {
    for (const stream of [child.stdout, child.stderr])
      stream.on('data', (part: Buffer) => {
        said += part.toString()
        if (said.includes('Coal Lantern is at')) resolve()
      })
  })
  return { child, ready, said: () => said }
}

const left = (): number[] => running(data)

describe('the supervisor', () => {
  it('says plainly that a port is in use, and leaves nothing running', async () => {
    const { server, port } = await occupied()
    for (const [studio, database] of [
      [port, await free()],
      [await free(), port],
    ] as const) {
      const { child, said } = start(studio, database)
      const [code] = (await once(child, 'exit')) as [number]
      expect(code).toBe(1)
      expect(said()).toContain(`Port ${port} is in use by another program; set LANTERN_`)
    }
    await expect.poll(left, { timeout: 20_000 }).toEqual([])
    server.close()
  })
  it('ends with npm, whatever ends that', async () => {
    const { child, ready } = start(await free(), await free(), ['npm', 'start'])
    await ready
    child.kill('SIGKILL')
    await expect.poll(left, { timeout: 30_000 }).toEqual([])
  })
  it('takes all with it when it is killed, and starts over what is left; puts down what it does when Ctrl-C reaches all of it, says no error, and goes on at once', async () => {
    const [port, databasePort] = [await free(), await free()]
    const address = `http://127.0.0.1:${port}`
    const killed = start(port, databasePort)
    await killed.ready
    expect(left().length).toBeGreaterThanOrEqual(4)
    killed.child.kill('SIGKILL')
    await expect.poll(left, { timeout: 30_000 }).toEqual([])
    const first = start(port, databasePort)
    await first.ready
    const bytes = readFileSync(join(TOP, 'demo/plates/yard-walk-dim.mp4'))
    const send = (path: string, method: string, body: BodyInit): Promise<Response> =>
      fetch(`${address}${path}`, { method, body, headers: { origin: address } })
    const files = [{ name: 'pan.mp4', bytes: bytes.length }]
    const announced = await send('/api/plates', 'POST', JSON.stringify({ files, makes: 'Pan' }))
    const { asset } = (await announced.json()) as { asset: string }
    await send(`/api/plates/${asset}/pan.mp4`, 'PUT', new Uint8Array(bytes))
    const read = async (): Promise<{ state: string; done: number }> =>
      (await (await fetch(`${address}/api/assets/${asset}`)).json()) as { state: string; done: number }
    await expect.poll(async () => (await read()).done, { timeout: 30_000, interval: 50 }).toBeGreaterThan(3)
    process.kill(-(first.child.pid ?? 0), 'SIGINT')
    expect(await once(first.child, 'exit')).toEqual([0, null])
    await expect.poll(left, { timeout: 20_000 }).toEqual([])
    expect(first.said()).not.toMatch(/error|"level":(4|5|6)0/i)
    const second = start(port, databasePort)
    await second.ready
    const begun = performance.now()
    await expect.poll(async () => (await read()).state, { timeout: 30_000, interval: 50 }).toMatch(/^(reading|ready)$/)
    // Of a machine that fell silent the job would be had after 15 s only.
    expect(performance.now() - begun).toBeLessThan(14_000)
    await expect.poll(async () => await read(), { timeout: 90_000 }).toMatchObject({ state: 'ready', done: 30 })
    second.child.kill('SIGTERM')
    await once(second.child, 'exit')
    expect(second.said()).not.toMatch(/error|"level":(4|5|6)0/i)
  }, 240_000)
})
