import { jobSchemas } from '@lantern/store'
import { expect, it } from 'vitest'
import type { JobContext } from './jobs/context.ts'
import { type Takes, tasksOf } from './tasks.ts'

const taken = (takes: Takes): string[] =>
  Object.keys(
    tasksOf(
      takes,
      () => ({}) as JobContext,
      async () => undefined,
    ),
  )

it('every job has a machine where the work is shared, and no job has two', () => {
  const shared = (['plates', 'now', 'rest'] as const).flatMap(taken)
  expect(shared.toSorted()).toEqual(Object.keys(jobSchemas).toSorted())
  expect(taken('all').toSorted()).toEqual(shared.toSorted())
})
it('what a person waits for is not taken by the machine that bakes', () => {
  expect(taken('rest').toSorted()).toEqual(['bake', 'estimate', 'handOff', 'picture'])
  expect(taken('plates')).toEqual(['plate'])
})
