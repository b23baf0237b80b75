// The studio behind its gate.  node scripts/serve.mjs PORT
import { randomBytes } from 'node:crypto'
import { createServer } from 'node:http'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import next from 'next'
import { gate, policy } from './gate.mjs'

const HOST = '127.0.0.1'
const port = Number(process.argv[2])
const hosts = (process.env.LANTERN_HOSTS ?? '').toLowerCase().split(',').filter(Boolean)
const dir = join(dirname(dirname(fileURLToPath(import.meta.url))), 'studio')
const app = next({ dev: false, dir, hostname: HOST, port })
const handle = app.getRequestHandler()
await app.prepare()
createServer((request, response) => {
  const refused = gate(request, hosts)
  const allowed = policy(randomBytes(16).toString('base64'))
  response.setHeader('content-security-policy', allowed)
  // What renders the page gives its own scripts the nonce that it finds here.
  request.headers['content-security-policy'] = allowed
  if (!refused) return void handle(request, response)
  // What it still sends is not read.
  response.writeHead(refused.status, { 'content-type': 'application/json', connection: 'close' })
  response.end(JSON.stringify(refused.body))
}).listen(port, HOST)
