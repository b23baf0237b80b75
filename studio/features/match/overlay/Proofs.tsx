'use client'
import type { Camera } from '@lantern/core/data'
import { farCamera } from '@lantern/core/pipeline'
import { COLOURS } from '@/ui/theme.ts'
import { cameraNow, useShot } from '../../shot/shotStore.ts'
import { farStands, standsAt, useShownMatch } from '../matchData.ts'
import { proofPicture, WORDS } from '../proofLines.ts'

/** Test objects on their points, through a camera; far ones through the shot's own turn at `frame`, and not at all where none is given (seen from outside). */
export function Proofs({ camera, unit, frame }: { camera: Camera; unit: number; frame?: number }) {
  const state = useShot()
  const { shot, chosen } = state
  const own = frame === undefined ? undefined : cameraNow(state, frame)
  const shown = useShownMatch()
  return (
    <>
      {Object.entries(shot?.document.match.proofs ?? {}).map(([id, proof]) => {
        const foot = proof.far ? farStands(state, proof) : standsAt(shown, proof.at)
        const through = proof.far ? own && farCamera(own) : camera
        if (!foot || !through) return null
        const { lines, fill, words } = proofPicture(through, proof, foot)
        const on = chosen === `proof.${id}`
        return (
          <g key={id} data-proof={id}>
            <path d={fill} fill={COLOURS.lamp} fillOpacity={0.5} />
            <path
              d={lines}
              fill="none"
              stroke={on ? COLOURS.text : COLOURS.lamp}
              strokeWidth={(on ? 1.9 : 1.3) * unit}
            />
            {words && (
              <text
                transform={words.matrix}
                textAnchor="middle"
                fill={on ? COLOURS.text : COLOURS.lamp}
                style={{ fontSize: `${WORDS}px`, fontFamily: 'var(--font-label)', fontWeight: 700 }}
              >
                {words.text}
              </text>
            )}
          </g>
        )
      })}
    </>
  )
}
