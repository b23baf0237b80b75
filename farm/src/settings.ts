import { cpus } from 'node:os'
import { resolve } from 'node:path'
import { databaseUrl } from '@lantern/store'
import { z } from 'zod'

const port = z.coerce.number().int().min(1).max(65535)
const environment = z.object({
  LANTERN_DATA: z.string().default('.data'),
  LANTERN_DATABASE_URL: z.string().optional(),
  LANTERN_DATABASE_PORT: port.default(54329),
  LANTERN_THREADS: z.coerce.number().int().min(1).max(64).optional(),
  /** Kept results beyond this many GB go, oldest use first. */
  LANTERN_KEEP_GB: z.coerce.number().positive().default(40),
  /** Which jobs it takes: all; the reading of plates; what else a person waits for; the rest. */
  LANTERN_TAKES: z.enum(['all', 'plates', 'now', 'rest']).default('all'),
  LANTERN_LOG: z.enum(['trace', 'debug', 'info', 'warn', 'error', 'silent']).default('info'),
})

/** The process's settings from its environment, with everything defaulted. */
export function readSettings() {
  const env = environment.parse(process.env)
  return {
    data: resolve(env.LANTERN_DATA),
    databaseUrl: env.LANTERN_DATABASE_URL ?? databaseUrl(resolve(env.LANTERN_DATA), env.LANTERN_DATABASE_PORT),
    threads: env.LANTERN_THREADS ?? Math.max(1, Math.min(8, cpus().length)),
    keepBytes: env.LANTERN_KEEP_GB * 1e9,
    takes: env.LANTERN_TAKES,
    log: env.LANTERN_LOG,
  }
}
