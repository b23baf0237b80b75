import { fileURLToPath } from 'node:url'
import type { NextConfig } from 'next'

const isolation = [
  { key: 'Cross-Origin-Opener-Policy', value: 'same-origin' },
  { key: 'Cross-Origin-Embedder-Policy', value: 'require-corp' },
  { key: 'Cross-Origin-Resource-Policy', value: 'same-origin' },
  { key: 'X-Content-Type-Options', value: 'nosniff' },
  { key: 'Referrer-Policy', value: 'same-origin' },
]

const config: NextConfig = {
  transpilePackages: ['@lantern/core', '@lantern/kernels', '@lantern/store'],
  serverExternalPackages: ['pg', 'kysely', 'graphile-worker'],
  turbopack: { root: fileURLToPath(new URL('..', import.meta.url)) },
  // scripts/check.sh checks the types of all parts at once.
  typescript: { ignoreBuildErrors: true },
  // It is served from this machine: smaller files would come no sooner, and the first start would take twice as long.
  experimental: { turbopackMinify: false },
  poweredByHeader: false,
  devIndicators: false,
  headers: async () => [{ source: '/:path*', headers: isolation }],
}
export default config
