'use client'
import { LanternError } from '@lantern/core/base'
import { type Camera, projectPoint } from '@lantern/core/data'
import { type BreakingItem, breakingPiece, firstBlow, pieceAt, poseOf } from '@lantern/core/effects/breaking'
import { add, rotate, type Vec3 } from '@lantern/core/math'
import { COLOURS } from '@/ui/theme.ts'
import { useShot } from '../../shot/shotStore.ts'
import { inputsNow } from '../../shot/world.ts'
import { useCuts } from './cuts.ts'

/** Lines of a cut that face the camera, as one path. */
function pathOf(camera: Camera, lines: Float32Array, inWorld: (at: Vec3) => Vec3, turned: (way: Vec3) => Vec3): string {
  const parts: string[] = []
  for (let n = 0; n + 8 < lines.length; n += 9) {
    const at = (k: number): Vec3 => [lines[n + k] ?? 0, lines[n + k + 1] ?? 0, lines[n + k + 2] ?? 0]
    const [from, to, normal] = [inWorld(at(0)), inWorld(at(3)), turned(at(6))]
    const facing =
      normal[0] * (camera.position[0] - from[0]) +
      normal[1] * (camera.position[1] - from[1]) +
      normal[2] * (camera.position[2] - from[2])
    if (facing <= 0) continue
    const [p, q] = [projectPoint(camera, from), projectPoint(camera, to)]
    if (p && q) parts.push(`M${p.x.toFixed(1)} ${p.y.toFixed(1)}L${q.x.toFixed(1)} ${q.y.toFixed(1)}`)
  }
  return parts.join('')
}

/** Where something will break, over the picture; once it has, it is seen itself. */
export function CutLines({ camera, id, item, unit }: { camera: Camera; id: string; item: BreakingItem; unit: number }) {
  const state = useShot()
  const own = useCuts(({ cuts }) => cuts[id])
  const document = state.shot?.document
  if (!document || !own?.cut) return null
  const inputs = inputsNow(state)
  const begins = firstBlow(document, item, inputs)
  if (begins !== undefined && state.frame >= begins) return null
  try {
    const { turn, place } = poseOf(pieceAt(document, breakingPiece(document, item), state.frame, inputs))
    const d = pathOf(
      camera,
      own.cut.lines,
      (at) => add(place, rotate(turn, at)),
      (way) => rotate(turn, way),
    )
    return (
      <path
        data-cut={own.cut.pieces}
        d={d}
        stroke={COLOURS.text}
        strokeOpacity={0.55}
        strokeWidth={0.8 * unit}
        fill="none"
      />
    )
  } catch (error) {
    // What it lacks is said on its bench.
    if (error instanceof LanternError) return null
    throw error
  }
}
