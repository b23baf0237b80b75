'use client'
import { chakra } from '@chakra-ui/react'
import { memo } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import { useShared } from '../shot/sharing.ts'
import { useShot } from '../shot/shotStore.ts'
import { type Lantern, STATIONS, type Station, stationStates } from '../shot/stations.ts'

const STEP = 96
const LIT: Record<Lantern, { fill: string; stroke: string }> = {
  lit: { fill: COLOURS.lamp, stroke: COLOURS.lamp },
  glowing: { fill: '#4a3d22', stroke: COLOURS.ember },
  unlit: { fill: 'none', stroke: COLOURS.faint },
}
const toEnd = ' Q848 13 864 6'
const wire = STATIONS.reduce(
  (path, _, n) => path + (n ? ` Q${STEP * n} 15 ${48 + n * STEP} 9` : ' Q24 12 48 9'),
  'M0 6',
)

const Stop = chakra('button', {
  base: {
    position: 'absolute',
    top: '9px',
    width: '92px',
    height: '56px',
    display: 'flex',
    flexDirection: 'column',
    alignItems: 'center',
    justifyContent: 'flex-start',
    color: 'soft',
    _current: { color: 'text', fontWeight: '700' },
    _hover: { color: 'text' },
  },
})

/** The line: the nine stations as lanterns on a wire. */
export function Line() {
  const document = useShot((state) => state.shot?.document)
  const status = useShot((state) => state.status)
  const station = useShot((state) => state.station)
  const go = useShot((state) => state.go)
  const states = useShared(document && stationStates(document, status))
  return states ? <Lanterns station={station} states={states} go={go} /> : null
}

interface LanternsProps {
  station: Station
  states: ReturnType<typeof stationStates>
  go(station: Station): void
}
/** How all stations stand. */
const Lanterns = memo(function Lanterns({ station, states, go }: LanternsProps) {
  return (
    <nav aria-label="Stations" style={{ position: 'relative', width: 866, height: 65 }}>
      <svg width="866" height="24" aria-hidden style={{ position: 'absolute' }}>
        <path d={`${wire}${toEnd}`} fill="none" stroke={COLOURS.line} strokeWidth="1.2" />
      </svg>
      {STATIONS.map((name, n) => {
        const { lantern, figure } = states[name]
        const on = name === station
        return (
          <Stop
            key={name}
            left={`${n * STEP + 2}px`}
            aria-current={on ? 'step' : undefined}
            aria-label={`${name}, ${lantern}${figure ? `, ${figure}` : ''}`}
            onClick={() => go(name)}
            title={`${name} (${n + 1})`}
          >
            <svg width="36" height="28" viewBox="-18 0 36 28" aria-hidden style={{ flex: 'none', marginBottom: -3 }}>
              {lantern === 'lit' && <circle cx="0" cy="13" r="13" fill={COLOURS.lamp} opacity="0.1" />}
              <path
                d="M0 0v3M-3.500 7a3.500 3.500 0 0 1 7 0M-5 7.500h10M-4.500 9.500L-6 20h12L4.500 9.500zM-5 22h10"
                fill={LIT[lantern].fill}
                stroke={LIT[lantern].stroke}
                strokeWidth="1.1"
                strokeLinejoin="round"
              />
              {lantern === 'glowing' && <path d="M-5.200 16h10.400L6 20h-12z" fill={COLOURS.ember} />}
            </svg>
            <span style={{ position: 'relative', padding: '0 8px' }}>
              {name}
              {on && (
                <svg
                  width="62"
                  height="22"
                  aria-hidden
                  style={{ position: 'absolute', left: '50%', top: -3, marginLeft: -31 }}
                >
                  <path
                    d="M1 5v-4h5M1 16v4h5M61 5v-4h-5M61 16v4h-5"
                    fill="none"
                    stroke={COLOURS.text}
                    strokeWidth="1.3"
                  />
                </svg>
              )}
            </span>
            <span
              className="num"
              style={{ fontSize: 10.5, color: figure === 'stale' ? COLOURS.soft : COLOURS.fact, fontWeight: 400 }}
            >
              {figure}
            </span>
          </Stop>
        )
      })}
    </nav>
  )
})
