'use client'
import { Box, Flex } from '@chakra-ui/react'
import { SETTINGS, type ShotLayer, shotLayers } from '@lantern/core/shot'
import { Choice } from '@/ui/Choice.tsx'
import { Press } from '@/ui/Press.tsx'
import { useShotParts } from '../shot/shotStore.ts'
import { SitCheck } from '../sit/SitCheck.tsx'
import { CurveGraph } from './CurveGraph.tsx'
import { Head } from './Head.tsx'
import { SchemaBench } from './SchemaBench.tsx'

const newId = (what: string): string => `${what}-${crypto.randomUUID().slice(0, 6)}`
const NEW = 'new'

/** Lays a layer once more; its shadow and light are on the set already. */
function useLayAgain({ of, name, settings }: ShotLayer): () => void {
  const { shot, edit, set } = useShotParts('shot', 'edit', 'set')
  return () => {
    if (!shot) return
    const id = newId('lay')
    const layers = shotLayers(shot.document)
    const order = Object.fromEntries(
      layers.flatMap((layer, n) => (layer.settings.order ? [] : [[layer.id, { order: n + 1 }]])),
    )
    const again = {
      ...settings,
      of,
      name: `${name} again`.slice(0, 80),
      order: layers.length + 1,
      shadow: 0,
      contact: 0,
      light: 0,
    }
    edit({ sit: { layers: { ...order, [id]: again } } })
    set({ chosen: `layer.${id}` })
  }
}

/** The group that a layer is in. */
function GroupChoice({ layer }: { layer: ShotLayer }) {
  const { shot, edit } = useShotParts('shot', 'edit')
  if (!shot) return null
  const { groups } = shot.document.sit
  const join = (to: string): void => {
    const within = to === NEW ? newId('group') : to
    const made = to === NEW ? { groups: { [within]: { name: `Group ${Object.keys(groups).length + 1}` } } } : {}
    edit({ sit: { ...made, layers: { [layer.id]: { within } } } })
  }
  return (
    <Box
      display="grid"
      gridTemplateColumns="1fr 94px"
      gap="6px"
      alignItems="center"
      padding="1px 14px"
      data-hint="Layers of one group are faded, hidden and cut by a matte together."
    >
      <span>Group</span>
      <Choice
        aria-label="Group of layers"
        value={groups[layer.settings.within] ? layer.settings.within : ''}
        onChange={(event) => join(event.target.value)}
      >
        <option value="">none</option>
        {Object.entries(groups).map(([id, { name }]) => (
          <option key={id} value={id}>
            {name}
          </option>
        ))}
        <option value={NEW}>a new one</option>
      </Choice>
    </Box>
  )
}

/** How a layer is laid: blend, amount, matte, grade, curves, edges, where in the picture, what it does to the set. */
export function LayerBench({ layer }: { layer: ShotLayer }) {
  const { shot, edit, set, soloLayer } = useShotParts('shot', 'edit', 'set', 'soloLayer')
  const again = useLayAgain(layer)
  if (!shot) return null
  const { id, settings } = layer
  const groups = [...new Set(SETTINGS.layer.map(({ group }) => group))]
  const parts = (names: readonly string[]) => (
    <SchemaBench
      settings={SETTINGS.layer.filter(({ group }) => names.includes(group))}
      values={settings}
      disabled={settings.locked}
      path={['sit', 'layers', id]}
      follows={{ at: ['sit'], now: shot.document.sit.follows, prefix: `layers.${id}.` }}
    />
  )
  const after = groups.indexOf('Grade') + 1
  return (
    <>
      <Head
        title={layer.name}
        kind={settings.blend === 'proposed' ? `layer, ${layer.proposed}` : `layer, ${settings.blend}`}
      />
      <Flex gap="6px" padding="8px 14px 2px" wrap="wrap">
        <Press
          onClick={() => set({ chosen: '' })}
          data-hint="What goes for all layers: exposure, halation, air, haze, grain."
        >
          All layers
        </Press>
        <Press aria-pressed={soloLayer === id} onClick={() => set({ soloLayer: soloLayer === id ? '' : id })}>
          Alone
        </Press>
        <Press
          onClick={again}
          data-hint="The same picture once more, with its own grade, blend and matte; nothing is computed anew."
        >
          Lay once more
        </Press>
        {settings.of !== undefined && (
          <Press onClick={() => (edit({ sit: { layers: { [id]: null } } }), set({ chosen: `layer.${layer.of}` }))}>
            Take away
          </Press>
        )}
        <Press
          aria-pressed={settings.locked}
          onClick={() => edit({ sit: { layers: { [id]: { locked: !settings.locked } } } })}
        >
          {settings.locked ? 'Locked' : 'Lock'}
        </Press>
      </Flex>
      <SitCheck id={id} />
      <GroupChoice layer={layer} />
      {parts(groups.slice(0, after))}
      <CurveGraph curves={settings.curves} path={['sit', 'layers', id]} locked={settings.locked} />
      {parts(groups.slice(after))}
    </>
  )
}

/** A group of layers. */
export function LayerGroupBench({ id }: { id: string }) {
  const { shot, edit, set } = useShotParts('shot', 'edit', 'set')
  const group = shot?.document.sit.groups[id]
  if (!shot || !group) return null
  const inside = Object.entries(shot.document.sit.layers).filter(([, { within }]) => within === id)
  const leave = Object.fromEntries(inside.map(([layer]) => [layer, { within: '' }]))
  return (
    <>
      <Head title={group.name} kind={`${inside.length} layer${inside.length === 1 ? '' : 's'}`} />
      <SchemaBench
        settings={SETTINGS.layerGroup}
        values={group}
        path={['sit', 'groups', id]}
        follows={{ at: ['sit'], now: shot.document.sit.follows, prefix: `groups.${id}.` }}
      />
      <Flex padding="8px 14px">
        <Press onClick={() => (edit({ sit: { groups: { [id]: null }, layers: leave } }), set({ chosen: '' }))}>
          Ungroup
        </Press>
      </Flex>
    </>
  )
}
