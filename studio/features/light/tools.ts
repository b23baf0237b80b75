import { type Camera, normalAt } from '@lantern/core/data'
import {
  lightOfPatches,
  pickSurface,
  plateLight,
  plateTable,
  sensorOf,
  skySeen,
  sunAngles,
  sunOfLine,
  sunOfLines,
} from '@lantern/core/pipeline'
import { isPiece, solidOf } from '@lantern/core/set'
import { itemAt, type ShotDocument, type SunLine } from '@lantern/core/shot'
import { fromSensor } from '@lantern/core/sit'
import { call, shotPath } from '../api.ts'
import { cameraNow, type Tool, useShot } from '../shot/shotStore.ts'
import { aimLamp, placeLamp } from './lamps.ts'

type Point = readonly [number, number]
const tell = (text: string, good = false): void => useShot.getState().set({ message: { text, good } })
const rounded = ([x, y]: Point): [number, number] => [Math.round(x * 10) / 10, Math.round(y * 10) / 10]

/** How large a patch is read round a click, px of the half-size plate. */
const PATCH = 4

/** The sun's angles by all of a shot's lines, rounded; undefined without a line that holds. */
export function sunNow(
  document: ShotDocument,
): { sunFrom: number; sunHeight: number; apart: number; used: number } | undefined {
  const state = useShot.getState()
  const found = sunOfLines(document, (frame) => cameraNow(state, frame))
  if (!found) return undefined
  const { sunFrom, sunHeight } = sunAngles(found.direction)
  const round = (value: number): number => Math.round(value * 10) / 10
  return {
    sunFrom: round(sunFrom),
    sunHeight: Math.max(1, Math.min(90, round(sunHeight))),
    apart: found.apart,
    used: found.used,
  }
}

/** Adds a line from an upright thing's foot to its top and its shadow's tip, and turns the sun to where all lines say. */
function addSunLine(camera: Camera, [foot, top, tip]: readonly Point[]): void {
  const { shot, frame, edit, set } = useShot.getState()
  if (!shot || !foot || !top || !tip) return
  const line: SunLine = { frame, foot: rounded(foot), top: rounded(top), tip: rounded(tip) }
  if (!sunOfLine(shot.document, camera, line))
    return tell(
      'That line says nothing of the sun: its foot and the shadow’s tip lie on the set, below the horizon, its top above the tip.',
    )
  const sunLines = [...shot.document.light.sunLines, line].slice(-8)
  const light = { ...shot.document.light, sunLines }
  const sun = sunNow({ ...shot.document, light })
  edit({ light: { sunLines, ...(sun ? { sunFrom: sun.sunFrom, sunHeight: sun.sunHeight } : {}) } })
  set({ tool: 'choose' })
}

/** Forgets the lines; the sun stays where it is. */
export const clearSunLines = (): void => useShot.getState().edit({ light: { sunLines: [] } })

/** Mean light of the plate round places, as its scene had it. Throws where the plate can't be had. */
export async function plateLightAt(
  document: ShotDocument,
  frame: number,
  places: readonly Point[],
): Promise<[number, number, number][]> {
  const { asset, encoding, width } = document.plate
  const answer = await fetch(`/api/assets/${asset}/${frame}?size=half`)
  if (!answer.ok) throw new Error('The plate’s frame can’t be had.')
  const bitmap = await createImageBitmap(await answer.blob(), { colorSpaceConversion: 'none' })
  const context = new OffscreenCanvas(bitmap.width, bitmap.height).getContext('2d', { willReadFrequently: true })
  if (!context) throw new Error('The browser gives no canvas.')
  context.drawImage(bitmap, 0, 0)
  const table = plateTable(encoding)
  const scale = bitmap.width / width
  return places.map(([x, y]) => {
    const [u, v] = [Math.round(x * scale), Math.round(y * scale)]
    const side = 2 * PATCH + 1
    const { data } = context.getImageData(Math.max(0, u - PATCH), Math.max(0, v - PATCH), side, side)
    const sum: [number, number, number] = [0, 0, 0]
    for (let n = 0; n < data.length; n += 4)
      for (let c = 0; c < 3; c++) sum[c] = (sum[c] ?? 0) + (table[(data[n + c] ?? 0) * 257] ?? 0) / (data.length / 4)
    return document.sit.curve === 'sensor' && encoding !== 'linear'
      ? ([...fromSensor(sum, sensorOf(document.sit))] as [number, number, number])
      : sum
  })
}

/** Sun share and hues from a lit and a shaded patch of one surface. */
async function takePatches(camera: Camera, [lit, shaded]: readonly Point[]): Promise<void> {
  const { shot, frame, edit, set } = useShot.getState()
  if (!shot || !lit || !shaded) return
  const { document } = shot
  const hit = pickSurface(document, camera, lit[0], lit[1], frame)
  if (!hit) return tell('The lit patch lies above the horizon: click on the set.')
  const item = hit.item ? document.items[hit.item] : undefined
  const piece = item && itemAt(document, item, frame, {})
  const normal = piece && isPiece(piece) ? normalAt(solidOf(piece), hit.point) : ([0, 1, 0] as const)
  const dark = pickSurface(document, camera, shaded[0], shaded[1], frame)
  if (!dark) return tell('The shaded patch lies above the horizon: click on the set.')
  const [a, b] = await plateLightAt(document, frame, [lit, shaded])
  const direction = plateLight(document.light).sunDirection
  const open = [hit, dark].map(({ point }) => skySeen(document, point, normal, frame)) as [number, number]
  const found = a && b && lightOfPatches(a, b, normal, direction, open)
  if (!found)
    return tell(
      'Those two do not tell sun from sky: click a patch in the sun first, then one of the same surface in shadow; the surface must face the sun.',
    )
  edit({ light: found })
  set({ tool: 'choose' })
  tell(`${Math.round(found.sunShare * 100)} % of the light on level ground comes from the sun.`, true)
}

/** Takes a picture of the surroundings in, turned so that its brightest spot stands where the sun does. Throws LanternError naming the file. */
export async function takeSurroundings(file: File): Promise<void> {
  const { shot, edit, set } = useShot.getState()
  if (!shot) return
  set({ message: { text: `Taking in ${file.name}.`, good: true } })
  const path = `${shotPath(shot.name)}/surroundings?file=${encodeURIComponent(file.name.slice(0, 200))}`
  const { surroundings } = await call<{ surroundings: { blob: string; file: string; from: number; height: number } }>(
    path,
    { method: 'POST', body: file },
  )
  const { sunFrom } = useShot.getState().shot?.document.light ?? { sunFrom: 0 }
  const skyTurn = Math.round(((((sunFrom - surroundings.from) % 360) + 540) % 360) - 180)
  edit({ light: { sky: 'picture', surroundings, skyTurn } }, true)
  tell(
    `${file.name} is brightest ${Math.round(surroundings.height)}° above the horizon: it is turned to the sun.`,
    true,
  )
}

/** A light tool whose points are all there. */
export function finishLightTool(camera: Camera, tool: Tool, points: readonly Point[]): void {
  if (tool === 'sun-line') addSunLine(camera, points)
  else if (tool === 'lamp') placeLamp(camera, points)
  else if (tool === 'aim') aimLamp(camera, points)
  else if (tool === 'patches') void takePatches(camera, points).catch(useShot.getState().say)
}
