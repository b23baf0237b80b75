import { LanternError } from '@lantern/core/base'
import { makeShot, shotNameSchema } from '@lantern/core/shot'
import { assetStates, createShot, getAsset, listShots } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { jsonOf } from '@/server/body.ts'
import { store } from '@/server/store.ts'

export const dynamic = 'force-dynamic'

export const GET = () =>
  answer(async () => {
    const opened = await store()
    const shots = await listShots(opened)
    const plates = await assetStates(
      opened,
      shots.map(({ document }) => document.plate.asset),
    )
    return shots.map(({ id, name, touched, document }) => ({
      id,
      name,
      touched,
      plate: document.plate,
      items: Object.keys(document.items).length,
      reading: plates.get(document.plate.asset) ?? null,
    }))
  })

const newShot = z
  .object({ name: shotNameSchema, asset: z.uuid(), encoding: z.enum(['srgb', 'rec709', 'linear']).default('srgb') })
  .strict()

export const POST = (request: Request) =>
  answer(async () => {
    const opened = await store()
    const { name, asset, encoding } = newShot.parse(await jsonOf(request))
    const plate = await getAsset(opened, asset)
    const { info } = plate
    if (
      plate.state === 'failed' ||
      !info.width ||
      !info.height ||
      info.first === undefined ||
      info.last === undefined ||
      !info.rate
    )
      throw new LanternError(
        'plate',
        plate.error?.message ?? 'The plate has not been read yet.',
        plate.error?.remedy ?? 'Wait until its first frames are there.',
        { file: plate.file },
      )
    return createShot(
      opened,
      makeShot(name, {
        asset,
        file: plate.file,
        width: info.width,
        height: info.height,
        first: info.first,
        last: info.last,
        rate: info.rate,
        encoding,
      }),
    )
  })
