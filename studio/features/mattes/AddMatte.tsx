'use client'
import { Press } from '@/ui/Press.tsx'
import { useShotParts } from '../shot/shotStore.ts'

/** Begins a new matte, drawn, by strokes, or painted on a surface. */
export function AddMatte() {
  const { tool, chosen, set } = useShotParts('tool', 'chosen', 'set')
  const stroking = tool === 'stroke-inside' && chosen === ''
  const painting = tool === 'paint' && chosen === ''
  return (
    <>
      <Press
        aria-pressed={tool === 'matte-shape'}
        onClick={() =>
          set(tool === 'matte-shape' ? { tool: 'choose' } : { tool: 'matte-shape', chosen: '', shape: '' })
        }
      >
        Matte
      </Press>
      <Press
        aria-pressed={stroking}
        onClick={() => set(stroking ? { tool: 'choose' } : { tool: 'stroke-inside', chosen: '', shape: '' })}
      >
        Matte by strokes
      </Press>
      <Press
        aria-pressed={painting}
        onClick={() => set(painting ? { tool: 'choose' } : { tool: 'paint', chosen: '', shape: '' })}
      >
        Paint
      </Press>
    </>
  )
}
