import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { inject } from 'vitest'
import { migrate, openStore, type Store } from '../src/index.ts'

declare module 'vitest' {
  export interface ProvidedContext {
    /** A server of the tests' own: as its owner, and as the application comes to it. */
    database: { owner: string; url: string }
  }
}

export interface FreshStore extends Store {
  url: string
  /** Closes it and takes its database and folder away. */
  remove(): Promise<void>
}

/** A store over a new, migrated database and an empty folder. */
export async function freshStore(): Promise<FreshStore> {
  const name = `test_${crypto.randomUUID().slice(0, 8)}`
  const { owner, url: server } = inject('database')
  const over = openStore(`${owner}/postgres`, tmpdir())
  await over.pool.query(`create database ${name} owner lantern`)
  const store = openStore(`${server}/${name}`, await mkdtemp(join(tmpdir(), 'lantern-test-')))
  await migrate(store)
  return {
    ...store,
    url: `${server}/${name}`,
    async remove() {
      await store.close()
      await over.pool.query(`drop database if exists ${name} with (force)`)
      await over.close()
      await rm(store.data, { recursive: true, force: true })
    },
  }
}
