'use client'
import { Box, Text } from '@chakra-ui/react'
import { type SyntheticEvent, useEffect, useState } from 'react'
import { SignalBench } from '../effects/SignalBench.tsx'
import { LightBench } from '../light/LightBench.tsx'
import { MatchBench } from '../match/MatchBench.tsx'
import { PlateBench } from '../plate/PlateBench.tsx'
import { useShotParts } from '../shot/shotStore.ts'
import type { Station } from '../shot/stations.ts'
import { HandOffBench } from './HandOffBench.tsx'
import { ItemBench } from './ItemBench.tsx'
import { PictureBench } from './PictureBench.tsx'
import { SitBench } from './SitBench.tsx'

/** Where things that are no items have their bench. */
const CHOSEN_AT: Readonly<Record<string, Station>> = { camera: 'Match', plateLight: 'Light', layer: 'Sit' }
/** The bench: the chosen thing's settings, or the station's own. */
export function Bench() {
  const { shot, station, chosen } = useShotParts('shot', 'station', 'chosen')
  const [hint, setHint] = useState('')
  // biome-ignore lint/correctness/useExhaustiveDependencies: another bench has other hints
  useEffect(() => setHint(''), [station, chosen])
  if (!shot) return null
  const item = shot.document.items[chosen]
  const point = (event: SyntheticEvent): void => {
    const told =
      event.target instanceof Element ? event.target.closest<HTMLElement>('[data-hint]')?.dataset.hint : undefined
    if (told && told !== hint) setHint(told)
  }
  const own = (): React.ReactNode => {
    if (item) return <ItemBench key={chosen} id={chosen} item={item} />
    if (chosen.startsWith('signal.') && shot.document.signals[chosen.slice(7)])
      return <SignalBench key={chosen} id={chosen.slice(7)} />
    const at = chosen.startsWith('reading.')
      ? 'Plate'
      : (CHOSEN_AT[
          chosen.replace(/^layers?\..*/, 'layer').replace(/^(keepout|hand|thing|proof|track)\..*/, 'camera')
        ] ?? station)
    if (at === 'Match') return <MatchBench />
    if (at === 'Picture') return <PictureBench />
    if (at === 'Sit') return <SitBench />
    if (at === 'Hand-off') return <HandOffBench />
    if (at === 'Light') return <LightBench />
    if (at === 'Plate') return <PlateBench />
    return (
      <Text padding="14px" color="soft">
        {station === 'Set'
          ? 'Choose a piece in the roster, or add the ground and drag walls on the plate.'
          : station === 'Mattes'
            ? 'Press Matte and click round what stands before the effects; drag as you click for a curve. The first point or Enter closes it.'
            : 'Choose an effect in the roster, press Fire and click where it burns, or add another kind.'}
      </Text>
    )
  }
  return (
    <Box
      as="section"
      aria-label="Bench"
      background="panel"
      borderLeftWidth="1px"
      borderColor="line"
      minHeight="0"
      display="grid"
      gridTemplateRows="minmax(0, 1fr) auto"
    >
      <Box overflowY="auto" minHeight="0" onPointerOver={point} onFocus={point}>
        {own()}
      </Box>
      <Box
        className="num"
        role="note"
        aria-label="What it does"
        minHeight="44px"
        padding="6px 14px"
        borderTopWidth="1px"
        borderColor="hair"
        color="soft"
      >
        {hint}
      </Box>
    </Box>
  )
}
