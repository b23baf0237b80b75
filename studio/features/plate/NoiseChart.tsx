'use client'
import type { PlateReport } from '@lantern/core/data'
import { CartesianGrid, Line, LineChart, ResponsiveContainer, XAxis, YAxis } from 'recharts'
import { COLOURS } from '@/ui/theme.ts'

const POINTS = 24
const CHANNELS = [
  ['red', undefined],
  ['green', '5 3'],
  ['blue', '1.5 2.5'],
] as const

/** Noise (standard deviation, in hundredths) against brightness, a line a channel, told apart by their dashes. */
export function NoiseChart({ grain: { floor, slope } }: { grain: PlateReport['grain'] }) {
  const data = Array.from({ length: POINTS }, (_, n) => {
    const level = (n + 0.5) / POINTS
    return {
      level,
      ...Object.fromEntries(
        CHANNELS.map(([name], c) => [name, 100 * Math.sqrt(Math.max(0, (floor[c] ?? 0) + (slope[c] ?? 0) * level))]),
      ),
    }
  })
  const axis = {
    stroke: COLOURS.faint,
    tick: { fill: COLOURS.faint, fontSize: 10 },
    tickLine: false,
    axisLine: { stroke: COLOURS.line },
  }
  return (
    <div
      data-chart="noise"
      role="img"
      aria-label={`Noise by brightness; at 0.18: ${CHANNELS.map(([name], c) => `${name} ${(100 * Math.sqrt((floor[c] ?? 0) + 0.18 * (slope[c] ?? 0))).toFixed(2)}`).join(', ')} hundredths`}
    >
      <ResponsiveContainer width="100%" height={112}>
        <LineChart data={data} margin={{ top: 6, right: 4, bottom: 0, left: -30 }}>
          <CartesianGrid stroke={COLOURS.hair} vertical={false} />
          <XAxis dataKey="level" type="number" domain={[0, 1]} ticks={[0, 0.18, 0.5, 1]} {...axis} />
          <YAxis domain={[0, 'auto']} tickCount={4} {...axis} />
          {CHANNELS.map(([name, dash]) => (
            <Line
              key={name}
              dataKey={name}
              name={name}
              stroke={COLOURS.fact}
              strokeWidth={1.4}
              strokeDasharray={dash}
              dot={false}
              isAnimationActive={false}
            />
          ))}
        </LineChart>
      </ResponsiveContainer>
      <p className="num" style={{ color: COLOURS.faint, margin: 0 }}>
        red —&nbsp; green - -&nbsp; blue · ·
      </p>
    </div>
  )
}
