import { pickSurface } from '@lantern/core/pipeline'
import { hazeThickness } from '@lantern/core/sit'
import { plateLightAt } from '../light/tools.ts'
import { cameraNow, useShot } from '../shot/shotStore.ts'

// Haze measured in the plate: its colour by a click far away, its thickness by two patches of one material.

type Place = readonly [number, number]
type Rgb = [number, number, number]
const HUNDRED_M = 100
const MOST = 4
const tidy = (value: number): number => Math.round(1000 * value) / 1000

/** The near patch, while the far one is awaited. */
let near: { colour: Rgb; distance: number } | undefined

const tell = (text: string, good = false): void => useShot.getState().set({ message: { text, good } })

/** Takes a click of the haze's tools. */
export async function takeHaze(place: Place): Promise<void> {
  const state = useShot.getState()
  const { shot, frame, tool, edit, set, say } = state
  if (!shot) return
  try {
    const [colour] = await plateLightAt(shot.document, frame, [place])
    if (!colour) return
    if (tool === 'haze-colour') {
      edit({ sit: { hazeColour: colour.map((v) => tidy(Math.min(MOST, v))) } })
      return set({ tool: 'choose' })
    }
    const camera = cameraNow(state, frame)
    const hit = camera && pickSurface(shot.document, camera, place[0], place[1], frame)
    if (!hit) return tell('Nothing of the set is known there, so its distance is not: click a piece or the ground.')
    if (tool === 'haze-near') {
      near = { colour, distance: hit.distance }
      set({ tool: 'haze-far' })
      return tell(`Near patch at ${hit.distance.toFixed(1)} m. Now click the same material far away.`, true)
    }
    if (!near) return set({ tool: 'haze-near' })
    const thickness = hazeThickness(near.colour, colour, shot.document.sit.hazeColour, near.distance, hit.distance)
    edit({ sit: { haze: 1, thicknessColour: thickness.map((v) => tidy(Math.min(MOST, HUNDRED_M * v))) } })
    near = undefined
    set({ tool: 'choose' })
    tell(`Haze of ${thickness.map((v) => (HUNDRED_M * v).toFixed(2)).join(' ')} a hundred metres.`, true)
  } catch (error) {
    say(error)
  }
}
