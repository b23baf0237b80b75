'use client'
import { COLOURS } from '@/ui/theme.ts'
import { useShotParts } from '../shot/shotStore.ts'

/** The lines by which the sun was found, where they were drawn on the shown frame: upright, then along the shadow. */
export function SunLines({ unit }: { unit: number }) {
  const { shot, frame } = useShotParts('shot', 'frame')
  const lines = shot?.document.light.sunLines.filter((line) => line.frame === frame) ?? []
  return lines.map(({ foot, top, tip }) => (
    <path
      key={[...foot, ...top, ...tip].join()}
      data-sun-line
      d={`M${foot.join(' ')}L${top.join(' ')}L${tip.join(' ')}Z`}
      fill="none"
      stroke={COLOURS.fact}
      strokeWidth={1.4 * unit}
    />
  ))
}
