'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import {
  fallOf,
  isKept,
  isParticles,
  type ParticlesItem,
  particleInstances,
  TAKEN_SETTINGS,
} from '@lantern/core/effects/particles'
import { farFor, seenVolume } from '@lantern/core/particles'
import { Sparkles } from 'lucide-react'
import { TakenPicture } from '@/ui/TakenPicture.tsx'
import { COLOURS } from '@/ui/theme.ts'
import { shotPath } from '../../api.ts'
import { SchemaBench } from '../../bench/SchemaBench.tsx'
import { Keeping } from '../../items/Keeping.tsx'
import { keptRows } from '../../items/keptRows.ts'
import type { ItemView } from '../../items/view.ts'
import { chainPath, circlePoints } from '../../picture/lines.ts'
import { cameraNow, useShot, useShotParts } from '../../shot/shotStore.ts'
import { inputsNow } from '../../shot/world.ts'
import { takeStamp } from '../stamps.ts'

/** What of a kept frame is told: how many there are, how fast, and against the gas that they come from. */
function Figures({ id, item }: { id: string; item: ParticlesItem }) {
  const { status, frame } = useShotParts('status', 'frame')
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

/** Kept frames as files that other programs read. */
function Out({ id }: { id: string }) {
  const { shot, status } = useShotParts('shot', 'status')
  if (!shot || !status?.items[id]?.kept.length) return null
  const path = `${shotPath(shot.name)}/particles?item=${encodeURIComponent(id)}`
  return (
    <Flex gap="10px" marginTop="6px">
      <Text color="soft">Kept frames as</Text>
      <a href={`${path}&form=csv`} download title="One table of all kept frames">
        CSV
      </a>
      <a href={`${path}&form=ply`} download title="An archive of point clouds, one a frame">
        PLY
      </a>
    </Flex>
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

/** The picture on discs. */
function DiscPicture({ id, item }: { id: string; item: ParticlesItem }) {
  const { shot, edit, say } = useShotParts('shot', 'edit', 'say')
  if (!shot) return null
  return (
    <TakenPicture
      label="Picture on discs"
      accept=".png,.jpg,.jpeg,.webp"
      file={item.bitPicture?.file}
      onFile={(chosen) =>
        void takeStamp(shot.name, chosen).then((bitPicture) => edit({ items: { [id]: { bitPicture } } }), say)
      }
    />
  )
}

/** How particles are shown. */
export const PARTICLES_VIEW: ItemView<ParticlesItem> = {
  icon: Sparkles,
  kindName: 'particles',
  describe: (item) =>
    item.way === 'computed' ? 'particles' : item.way === 'taken in' ? 'particles from files' : item.way,
  panel: ({ id, item }) =>
    isKept(item) ? (
      <Keeping id={id}>
        <Figures id={id} item={item} />
        <Out id={id} />
      </Keeping>
    ) : (
      <Seen id={id} />
    ),
  stripRows: (state, id, item) => (isKept(item) ? keptRows(state, id, item) : []),
  tools: ({ id, item }) => (
    <>
      {item.bits === 'discs' && <DiscPicture id={id} item={item} />}
      {item.taken && item.way === 'taken in' && (
        <SchemaBench
          settings={TAKEN_SETTINGS}
          values={item.taken}
          path={['items', id, 'taken']}
          disabled={item.locked}
        />
      )}
    </>
  ),
  outline: (camera, item) =>
    isParticles(item) && item.way === 'computed' && item.source !== 'gas'
      ? chainPath(camera, circlePoints(item.position, Math.max(0.05, item.diameter / 2)))
      : '',
  radius: (item) => Math.max(0.2, item.diameter / 2),
}
