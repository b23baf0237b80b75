'use client'
import { Box, Text } from '@chakra-ui/react'
import { fallOf, isParticles, type ParticlesItem, particleInstances } from '@lantern/core/effects/particles'
import { farFor, seenVolume } from '@lantern/core/particles'
import { Sparkles } from 'lucide-react'
import { COLOURS } from '@/ui/theme.ts'
import { Keeping } from '../../items/Keeping.tsx'
import { keptRows } from '../../items/keptRows.ts'
import type { ItemView } from '../../items/view.ts'
import { chainPath, circlePoints } from '../../picture/lines.ts'
import { cameraNow, useShot } from '../../shot/shotStore.ts'
import { inputsNow } from '../../shot/world.ts'

/** What of a kept frame is told: how many there are, how fast, and against the gas that they come from. */
function Figures({ id, item }: { id: string; item: ParticlesItem }) {
  const { status, frame } = useShot()
  const run = status?.items[id]
  const figures = run?.figures[run.kept.indexOf(frame)]
  if (!figures) return null
  const value = (name: string): number => Number(figures[name] ?? 0)
  const [count, hits, bornSpeed] = [value('count'), value('hits'), value('bornSpeed')]
  return (
    <Box marginTop="4px">
      <Text className="num" color="fact" data-particles={count}>
        {count.toLocaleString('en')} here, {value('meanSpeed').toFixed(1)} m/s, up to {value('highest').toFixed(1)} m
        high
        {hits > 0 ? `, ${hits} met the set` : ''}
      </Text>
      {bornSpeed > 0 && (
        <Text className="num" color="fact" data-born-speed={bornSpeed}>
          born at {bornSpeed.toFixed(1)} m/s
          {item.gas ? (
            <span style={{ color: COLOURS.soft }}>, the fire’s own {value('flowSpeed').toFixed(1)} m/s</span>
          ) : (
            ''
          )}
        </Text>
      )}
    </Box>
  )
}

/** How many drops are seen, and how far. */
function Seen({ id }: { id: string }) {
  const state = useShot()
  const { shot, frame } = state
  const camera = cameraNow(state, frame)
  const look = shot && particleInstances(shot.document, id, frame, inputsNow(state))[0]?.look
  if (!camera || !look?.fall) return null
  const { classes, near, far, most } = fallOf(look, look.fall, false)
  const density = classes.reduce((sum, { number }) => sum + number, 0)
  const reach = farFor(camera, density, near, far, most)
  const seen = density * seenVolume(camera, near, reach)
  return (
    <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair">
      <Text className="num" color="fact" data-drops={Math.round(seen)}>
        about {Number(seen.toPrecision(2)).toLocaleString('en')} {look.fall.snow ? 'flakes' : 'drops'} seen,{' '}
        {Number(density.toPrecision(2)).toLocaleString('en')} a cubic metre
      </Text>
      {reach < far - 0.01 && (
        <Text color="soft">
          Only to {reach.toFixed(1)} m: farther there would be more than {most.toLocaleString('en')}.
        </Text>
      )}
    </Box>
  )
}

/** How particles are shown. */
export const PARTICLES_VIEW: ItemView<ParticlesItem> = {
  icon: Sparkles,
  kindName: 'particles',
  describe: (item) => (item.way === 'computed' ? 'particles' : item.way),
  panel: ({ id, item }) =>
    item.way === 'computed' ? (
      <Keeping id={id}>
        <Figures id={id} item={item} />
      </Keeping>
    ) : (
      <Seen id={id} />
    ),
  stripRows: (state, id, item) => (item.way === 'computed' ? keptRows(state, id, item) : []),
  outline: (camera, item) =>
    isParticles(item) && item.way === 'computed' && item.source !== 'gas'
      ? chainPath(camera, circlePoints(item.position, Math.max(0.05, item.diameter / 2)))
      : '',
  radius: (item) => Math.max(0.2, item.diameter / 2),
}
