'use client'
import { Flex } from '@chakra-ui/react'
import { GAS_SETTINGS, type GasItem, type SourceItem } from '@lantern/core/effects/gas'
import { FilePick } from '@/ui/FilePick.tsx'
import { Press } from '@/ui/Press.tsx'
import { call, shotPath } from '../../api.ts'
import { SchemaBench } from '../../bench/SchemaBench.tsx'
import { useShotParts } from '../../shot/shotStore.ts'

/** What is drawn or taken in for a source, by its shape. */
export function SourceTools({ id, item }: { id: string; item: GasItem | SourceItem }) {
  const { shot, frame, set, edit, tool, say, moveTo } = useShotParts(
    'shot',
    'frame',
    'set',
    'edit',
    'tool',
    'say',
    'moveTo',
  )
  if (!shot) return null
  const take = async (chosen: File): Promise<void> => {
    try {
      const { points } = await call<{ points: object }>(
        `${shotPath(shot.name)}/points?file=${encodeURIComponent(chosen.name.slice(0, 200))}`,
        { method: 'POST', body: chosen },
      )
      edit({ items: { [id]: { points } } })
    } catch (error) {
      say(error)
    }
  }
  const draws = item.shape === 'area' || (item.shape === 'piece' && item.pattern === 'painted')
  if (item.shape !== 'line' && item.shape !== 'points' && !draws) return null
  return (
    <Flex padding="6px 14px 0" gap="6px" wrap="wrap" align="center">
      {item.shape === 'line' && (
        <Press aria-pressed={tool === 'line'} onClick={() => set({ tool: tool === 'line' ? 'choose' : 'line' })}>
          {item.line ? 'Draw the line anew' : 'Draw the line'}
        </Press>
      )}
      {draws && (
        <Press aria-pressed={tool === 'area'} onClick={() => set({ tool: tool === 'area' ? 'choose' : 'area' })}>
          {item.drawn?.frame === frame ? 'Draw one more' : item.drawn ? 'Draw anew here' : 'Draw on the plate'}
        </Press>
      )}
      {draws && item.drawn && <Press onClick={() => edit({ items: { [id]: { drawn: null } } })}>Clear</Press>}
      {draws && item.drawn && item.drawn.frame !== frame && (
        <Press plain onClick={() => item.drawn && moveTo(item.drawn.frame)}>
          drawn on {item.drawn.frame}
        </Press>
      )}
      {item.shape === 'points' && (
        <FilePick label="Points file" accept=".csv" onFile={(chosen) => void take(chosen)}>
          Take in points
        </FilePick>
      )}
      {item.shape === 'points' && item.points && (
        <span className="num" style={{ color: '#9a9a9a' }}>
          {item.points.count} in {item.points.file}
        </span>
      )}
    </Flex>
  )
}

/** How the files of a gas from elsewhere are read. */
export function TakenForm({ id, item }: { id: string; item: GasItem }) {
  return (
    item.taken && (
      <SchemaBench
        settings={GAS_SETTINGS.taken}
        values={item.taken}
        path={['items', id, 'taken']}
        disabled={item.locked}
      />
    )
  )
}
