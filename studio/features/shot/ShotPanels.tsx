'use client'
import { Box } from '@chakra-ui/react'
import { type ReactNode, type RefObject, useEffect } from 'react'
import {
  Group,
  Panel,
  type PanelImperativeHandle,
  Separator,
  useDefaultLayout,
  usePanelRef,
} from 'react-resizable-panels'
import { COLOURS } from '@/ui/theme.ts'
import { useShot } from './shotStore.ts'

/** Sizes at first: beside them the picture keeps 860 px of 1280. */
const FIRST = { roster: '11.4%', bench: '18.2%', strip: '186px' } as const
const LEAST = { roster: '120px', bench: '200px', strip: '60px', picture: '320px' } as const

/** A line between two panels: drag it, or move it by arrow keys; Enter folds. */
const Line = ({ upright, name, hidden }: { upright: boolean; name: string; hidden: boolean }) => (
  <Separator
    aria-label={name}
    title="Drag; a double press brings back the first size"
    style={{
      display: hidden ? 'none' : 'block',
      [upright ? 'width' : 'height']: 2,
      background: COLOURS.line,
      flex: 'none',
    }}
  />
)

/** Folds the panels away while the picture has the whole window. */
function useWhole(panels: readonly RefObject<PanelImperativeHandle | null>[], whole: boolean): void {
  // biome-ignore lint/correctness/useExhaustiveDependencies: only the turn to whole and back counts
  useEffect(() => {
    for (const { current } of panels)
      if (whole) current?.collapse()
      else if (current?.isCollapsed()) current.expand()
  }, [whole])
}

/** Where the parts of a shot's screen stand: dragged wider, folded, remembered. */
export function ShotPanels({
  roster,
  picture,
  bench,
  strip,
}: {
  roster: ReactNode
  picture: ReactNode
  bench: ReactNode
  strip: ReactNode
}) {
  const whole = useShot((state) => state.whole)
  const [rosterPanel, benchPanel, stripPanel] = [usePanelRef(), usePanelRef(), usePanelRef()]
  useWhole([rosterPanel, benchPanel, stripPanel], whole)
  const across = useDefaultLayout({ id: 'lantern.across', panelIds: ['roster', 'picture', 'bench'] })
  const down = useDefaultLayout({ id: 'lantern.down', panelIds: ['upper', 'strip'] })
  const fold = { collapsible: true, collapsedSize: 0 } as const
  const filled = {
    containerType: 'inline-size',
    height: '100%',
    minHeight: 0,
    minWidth: 0,
    display: 'grid',
    gridTemplateColumns: 'minmax(0, 1fr)',
    overflow: 'hidden',
  } as const
  return (
    <Group
      orientation="vertical"
      defaultLayout={down.defaultLayout}
      onLayoutChanged={whole ? undefined : down.onLayoutChanged}
      style={{ minHeight: 0 }}
    >
      <Panel id="upper" minSize="30%">
        <Group
          orientation="horizontal"
          defaultLayout={across.defaultLayout}
          onLayoutChanged={whole ? undefined : across.onLayoutChanged}
        >
          <Panel id="roster" panelRef={rosterPanel} defaultSize={FIRST.roster} minSize={LEAST.roster} {...fold}>
            <Box style={filled}>{roster}</Box>
          </Panel>
          <Line upright name="Left edge" hidden={whole} />
          <Panel id="picture" minSize={LEAST.picture}>
            <Box style={filled}>{picture}</Box>
          </Panel>
          <Line upright name="Right edge" hidden={whole} />
          <Panel id="bench" panelRef={benchPanel} defaultSize={FIRST.bench} minSize={LEAST.bench} {...fold}>
            <Box style={filled}>{bench}</Box>
          </Panel>
        </Group>
      </Panel>
      <Line upright={false} name="Lower edge" hidden={whole} />
      <Panel id="strip" panelRef={stripPanel} defaultSize={FIRST.strip} minSize={LEAST.strip} {...fold}>
        <Box style={filled}>{strip}</Box>
      </Panel>
    </Group>
  )
}
