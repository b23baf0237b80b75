import { matchLayers, saidOfMatch, WHOLE } from '@lantern/core/pipeline'
import { LAYER_MATCHES, type LineName } from '@lantern/core/sit'
import { useShot } from '../shot/shotStore.ts'
import { checkNow, useCheck } from './checkStore.ts'

// Bringing layers' lines to the plate's at the shown frame, kept as one edit.

/** Matches lines of layers at the shown frame, and keeps the result as one step. */
export async function matchLines(ids: readonly string[], asked: readonly LineName[] = LAYER_MATCHES): Promise<void> {
  const { frame, shot, preview, edit, set, say } = useShot.getState()
  if (!shot) return
  const { document } = shot
  useCheck.setState({ busy: true })
  try {
    const match = await matchLayers(
      document,
      ids,
      async (tried) => {
        const { layers, halation } = tried.sit
        const changed = Object.fromEntries(ids.flatMap((id) => (layers[id] ? [[id, layers[id]]] : [])))
        preview({ sit: { halation, layers: changed } }, true)
        return [await checkNow(useShot.getState(), frame)]
      },
      asked,
    )
    const { changed, before, halation } = match
    // What was tried and given up goes back.
    if (Object.keys(changed).length === 0 && halation === undefined) {
      preview({ sit: { layers: before } }, true)
      const tried = Object.keys(before).length > 0
      const text = tried ? 'Nothing brings it nearer.' : 'Every line that a press can change is within.'
      return set({ message: { text, good: true } })
    }
    edit({
      sit: {
        layers: Object.fromEntries(Object.entries(before).map(([id, was]) => [id, { ...was, ...changed[id] }])),
        ...(halation === undefined ? {} : { halation }),
      },
    })
    set({ message: { text: `Matched: ${saidOfMatch(document, match)}.`, good: true } })
  } catch (error) {
    say(error)
  } finally {
    useCheck.setState({ busy: false })
  }
}

/** Whether a press can match a line of a layer, or of the whole picture. */
export const canMatch = (id: string, name: LineName): boolean =>
  id === WHOLE ? name === 'halo' : name !== 'halo' && LAYER_MATCHES.includes(name)
