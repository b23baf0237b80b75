'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { SETTINGS, shotLayers } from '@lantern/core/shot'
import { exposureForFire } from '@lantern/core/sit'
import { Press } from '@/ui/Press.tsx'
import { grainNow } from '../picture/laidFrom.ts'
import { useShot, useShotParts } from '../shot/shotStore.ts'
import { HazeFromPlate } from '../sit/HazeFromPlate.tsx'
import { Highlights } from '../sit/Highlights.tsx'
import { SitCheck } from '../sit/SitCheck.tsx'
import { Head } from './Head.tsx'
import { LayerBench, LayerGroupBench } from './LayerBench.tsx'
import { SchemaBench } from './SchemaBench.tsx'

/** Where the shown frame's flame stands, and the two exposures that a camera could have had. */
function FireExposure() {
  const { shot, flame, edit } = useShotParts('shot', 'flame', 'edit')
  if (!shot || flame === undefined) return null
  const now = shot.document.sit.fireExposure
  const marks = [
    ['Exposed for the fire', exposureForFire(flame)],
    ['Exposed for the subject', 0],
  ] as const
  return (
    <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair">
      <Text color="soft">
        The flame’s brightest parts stand at <span className="num">{(flame * 2 ** now).toPrecision(2)}</span> × white.
      </Text>
      <Flex gap="8px" marginTop="6px" wrap="wrap">
        {marks.map(([name, stops]) => (
          <Press
            key={name}
            aria-pressed={Math.abs(now - stops) < 0.05}
            onClick={() => edit({ sit: { fireExposure: stops } })}
          >
            {name} {stops.toFixed(1)} st
          </Press>
        ))}
      </Flex>
    </Box>
  )
}

/** The chosen layer's grade, and what goes for all layers. */
export function SitBench() {
  const state = useShot()
  const { shot, chosen } = state
  if (!shot) return null
  const { sit } = shot.document
  const layer = shotLayers(shot.document).find(({ id }) => chosen === `layer.${id}`)
  if (layer) return <LayerBench key={layer.id} layer={layer} />
  const group = chosen.startsWith('layers.') ? chosen.slice(7) : ''
  if (sit.groups[group]) return <LayerGroupBench key={group} id={group} />
  const { floor, slope } = grainNow(state)
  const level = (value: number): string =>
    floor[1] + slope[1] > 0 ? (Math.sqrt(floor[1] + slope[1] * value) * 100).toFixed(2) : '–'
  return (
    <>
      <Head title="Sit" kind="all layers" />
      <SitCheck />
      <SchemaBench settings={SETTINGS.sit} values={sit} path={['sit']} follows={{ at: ['sit'], now: sit.follows }} />
      <FireExposure />
      <Highlights />
      <HazeFromPlate />
      <Box padding="8px 14px">
        <Text color="soft" fontWeight="600">
          Plate’s grain, measured
        </Text>
        <Text className="num" color="fact">
          {level(0.02)} at 0.02 · {level(0.18)} at 0.18 · {level(0.6)} at 0.6 (in 1/100)
        </Text>
        <Text color="faint" marginTop="6px">
          Choose a layer in the roster to grade it; drag layers there to reorder them.
        </Text>
      </Box>
    </>
  )
}
