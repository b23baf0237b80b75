import { canonicalJson, textKey } from '@lantern/core/base'
import { MATTE_VERSIONS } from '@lantern/core/effects'
import { type HelpedMatte, isMatte } from '@lantern/core/mattes'
import {
  ensureResult,
  insertFrame,
  itemIn,
  putBlob,
  resolveShot,
  type Shot,
  type Store,
  setResultState,
  shownRun,
} from '@lantern/store'
import { unzipSync } from 'fflate'
import { z } from 'zod'

// Carried mattes that ship with the demo: a zip of their frames, and what they were made from.

const manifest = z.object({
  version: z.int(),
  mattes: z.record(
    z.string(),
    z.object({
      settings: z.string(),
      frames: z.array(z.object({ frame: z.int(), figures: z.record(z.string(), z.unknown()) })),
    }),
  ),
})

/** All of a matte that decides its frames, but the plate. */
export const matteSettingsKey = (helped: HelpedMatte): string => textKey(canonicalJson(helped))

export const keptMattesManifest = (mattes: z.infer<typeof manifest>['mattes']): z.infer<typeof manifest> => ({
  version: MATTE_VERSIONS.helped,
  mattes,
})

/** Keeps a shot's mattes as the file has them; those that have changed since are left to be carried. */
export async function takeKeptMattes(store: Store, shot: Shot, bytes: Uint8Array): Promise<void> {
  const files = unzipSync(bytes)
  const { version, mattes } = manifest.parse(JSON.parse(new TextDecoder().decode(files['mattes.json'])))
  if (version !== MATTE_VERSIONS.helped) return
  const resolved = await resolveShot(store, shot)
  for (const [id, { settings, frames }] of Object.entries(mattes)) {
    const item = shot.document.items[id]
    if (!isMatte(item) || !item.helped || matteSettingsKey(item.helped) !== settings) continue
    const run = shownRun(itemIn(resolved, id))
    if (!run) continue
    const { key, output, recipe, first, last } = run
    const row = { key, kind: output, settings: recipe.settings as object, shot: shot.id, item: id, first, last }
    await ensureResult(store, row, { asked: null })
    for (const { frame, figures } of frames) {
      const blob = await putBlob(
        store,
        files[`${id}/${frame}.matte`] ?? new Uint8Array(),
        'application/x-lantern-matte',
      )
      await insertFrame(store, { key, frame, blob, figures, chain: run.frameKeys.get(frame) }, undefined, 0)
    }
    await setResultState(store, key, 'done')
  }
}
