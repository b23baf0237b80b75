import { expect, it } from 'vitest'
import { type Asked, gate, policy } from './gate.mjs'

const HOST = '127.0.0.1:4100'
const asked = (over: Partial<Asked>, headers: Asked['headers'] = {}): number =>
  gate({ method: 'GET', url: '/', ...over, headers: { host: HOST, ...headers } }, ['kiln.example'])?.status ?? 200

it('lets the studio’s own pages read and change', () => {
  expect(asked({})).toBe(200)
  expect(asked({ method: 'POST' }, { origin: `http://${HOST}` })).toBe(200)
  expect(asked({ method: 'PATCH' }, { host: 'localhost:4100', origin: 'http://localhost:4100' })).toBe(200)
  expect(asked({ method: 'PUT' }, { host: 'kiln.example', origin: 'https://kiln.example' })).toBe(200)
})
it.each(['POST', 'PUT', 'PATCH', 'DELETE'])('lets no other page %s anything', (method) => {
  for (const origin of ['http://evil.example', 'null', 'http://127.0.0.1:4101', 'http://localhost:4100', undefined])
    expect(asked({ method }, { origin })).toBe(403)
})
it('answers to no name that somebody bound to its address', () => {
  for (const host of ['evil.example', 'evil.example:4100', '127.0.0.1.evil.example', 'xkiln.example', ''])
    expect(asked({}, { host })).toBe(403)
  expect(asked({ method: 'POST' }, { host: 'evil.example:4100', origin: 'http://evil.example:4100' })).toBe(403)
})
it('refuses addresses that can’t be read', () => {
  for (const url of ['/api/shots/%', '/api/shots/%E0%A4%A/status', '/shot/a%zz']) expect(asked({ url })).toBe(400)
  expect(asked({ url: '/shot/50%25%20smoke' })).toBe(200)
})

it('lets a page run no script but its own, and nobody frame it', () => {
  const allowed = policy('abc')
  expect(allowed).toMatch(/script-src [^;]*'nonce-abc'/)
  expect(allowed).not.toMatch(/script-src [^;]*'unsafe-(inline|eval)'/)
  expect(allowed).toMatch(/frame-ancestors 'none'/)
})
