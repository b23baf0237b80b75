'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { PlateReport } from '@lantern/core/data'
import { readingValues } from '@lantern/core/pipeline'
import { type Reading, SETTINGS } from '@lantern/core/shot'
import type { MatchStage } from '@lantern/store'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { SchemaBench } from '../bench/SchemaBench.tsx'
import { Settings } from '../bench/Settings.tsx'
import { Figure, Part } from '../match/bench/parts.tsx'
import { type Tool, useShot, useShotParts } from '../shot/shotStore.ts'
import { BlurDisc } from './BlurDisc.tsx'
import { NoiseChart } from './NoiseChart.tsx'
import { usePlateFiles } from './plateFiles.ts'
import { setArea } from './readings.ts'

const WAYS: readonly (readonly [Tool, string, string])[] = [
  ['read-point', 'Point', 'Click the spot.'],
  ['read-box', 'Box', 'Drag over the area.'],
  ['read-shape', 'Shape', 'Click its corners; Enter or the first corner closes it.'],
  ['read-pin', 'Pin', 'Click a place on the set or the ground: it is read there wherever the camera goes.'],
]

/** What is known of the camera that filmed it. */
const NOTES = SETTINGS.camera.filter(({ group, key }) => group === 'Notes' || key === 'shutter')

const Busy = ({ stage, what }: { stage: MatchStage | undefined; what: string }) => {
  const ask = useShot((state) => state.ask)
  const busy = stage?.state === 'running' || stage?.state === 'waiting'
  return (
    <>
      <Flex gap="8px" align="center">
        {busy && <Press onClick={() => void ask({ what: 'stop-plate' })}>Stop</Press>}
        <Text className="num" color="soft" role="status" aria-label={`${what}, progress`}>
          {busy
            ? stage.state === 'waiting'
              ? 'waiting for the farm'
              : `${Math.round(stage.share * 100)} %`
            : stage?.state === 'stopped'
              ? 'stopped'
              : ''}
        </Text>
      </Flex>
      {stage?.state === 'failed' && stage.error && (
        <Text role="alert" color="wrong" marginTop="5px">
          {stage.error.message} {stage.error.remedy}
        </Text>
      )}
    </>
  )
}

const three = (values: readonly number[]): string => values.map((v) => v.toFixed(3)).join(' ')
const NO_CLOCK = 'too little moves'

/** A plate's measured figures, for people. */
function Report({ report }: { report: PlateReport }) {
  const drift = report.drift.filter((v) => v !== null)
  return (
    <>
      <Figure
        label="Sharp edges rise in"
        value={report.risePx === null ? 'too few edges' : `${report.risePx.toFixed(2)} px`}
      />
      <Figure label="Black, r g b" value={three(report.black)} />
      <Figure label="White, r g b" value={three(report.white)} />
      <Figure
        label="Shutter, from moving edges"
        value={report.shutter === null ? NO_CLOCK : `${Math.round(report.shutter * 360)}°`}
      />
      {drift.length > 0 && (
        <Figure label="Exposure drifts by" value={`${(Math.max(...drift) - Math.min(...drift)).toFixed(2)} st`} />
      )}
      {report.driftFrom === 'grid' && (
        <Text color="faint">
          Drift and shutter are told from areas that stay in place: track the plate first where the camera moves.
        </Text>
      )}
      <Text color="soft" marginTop="6px">
        Noise by brightness, 1/100
      </Text>
      <NoiseChart grain={report.grain} />
    </>
  )
}

function ReadingDetail({ id, reading }: { id: string; reading: Reading }) {
  const { shot, status, frame, edit, set, ask } = useShotParts('shot', 'status', 'frame', 'edit', 'set', 'ask')
  const { readings, reports } = usePlateFiles()
  const stages = status?.readings.areas[id]
  const taken = readings[stages?.reading.key ?? '']
  const report = reports[stages?.report?.key ?? '']
  const here = taken?.frames[frame - taken.first]
  const all = taken && shot ? [...readingValues(shot.document, taken, reading).values()] : []
  const { area } = reading
  const done = stages?.reading.state === 'done'
  return (
    <Part title={reading.name} note={area.kind}>
      {here && (
        <>
          <Figure label="Mean, r g b" value={three(here.mean.slice(0, 3))} />
          <Figure label="Peak, r g b" value={three(here.peak.slice(0, 3))} />
          <Figure label={`${reading.percentile} % below, r g b`} value={three(here.percentile.slice(0, 3))} />
        </>
      )}
      {done && taken && !here && <Text color="soft">Not in the picture at this frame.</Text>}
      {all.length > 0 && (
        <Figure label="Over all frames" value={`${Math.min(...all).toFixed(3)}–${Math.max(...all).toFixed(3)}`} />
      )}
      {area.kind === 'point' && (
        <Flex justify="space-between" align="center" minHeight="26px">
          <span>Radius</span>
          <Box width="108px">
            <NumberField
              label="Radius"
              value={area.radius}
              unit="px"
              step={0.5}
              minimum={0.6}
              onValue={(radius, final) => final && setArea(id, { ...area, radius })}
            />
          </Box>
        </Flex>
      )}
      {area.kind === 'pin' && (
        <Flex justify="space-between" align="center" minHeight="26px">
          <span>Radius</span>
          <Box width="108px">
            <NumberField
              label="Radius"
              value={area.radius}
              unit="m"
              step={0.01}
              minimum={0.001}
              onValue={(radius, final) => final && setArea(id, { ...area, radius })}
            />
          </Box>
        </Flex>
      )}
      <Box marginX="-14px">
        <Settings
          settings={SETTINGS.reading}
          values={reading}
          onChange={(key, value, final) => {
            if (!final) return
            edit({ readings: { [id]: { [key]: value } } })
            if (key === 'percentile') void ask({ what: 'reading', reading: id })
          }}
        />
      </Box>
      <Flex gap="6px" marginTop="6px" wrap="wrap">
        {!done && (
          <Press main onClick={() => void ask({ what: 'reading', reading: id })}>
            Take it
          </Press>
        )}
        {area.kind === 'shape' && (
          <Press disabled={stages?.report?.state === 'done'} onClick={() => void ask({ what: 'report', reading: id })}>
            Measure this area
          </Press>
        )}
        <Press aria-pressed={reading.shown} onClick={() => edit({ readings: { [id]: { shown: !reading.shown } } })}>
          {reading.shown ? 'Shown' : 'Hidden'}
        </Press>
        <Press onClick={() => (edit({ readings: { [id]: null } }), set({ chosen: '' }))}>Remove</Press>
      </Flex>
      <Busy stage={stages?.reading} what="Reading" />
      <Busy stage={stages?.report} what="Area’s report" />
      {report && <Report report={report} />}
    </Part>
  )
}

const rangeText = ([first, last]: readonly [number, number]): string =>
  first === last ? `${first}` : `${first}–${last}`

/** The Plate station's bench: the file, what it measures, and areas of it that are read. */
export function PlateBench() {
  const { shot, status, edit, tool, set, chosen, ask } = useShotParts(
    'shot',
    'status',
    'edit',
    'tool',
    'set',
    'chosen',
    'ask',
  )
  const { reports } = usePlateFiles()
  const plate = shot?.document.plate
  if (!shot || !plate) return null
  const info = status?.asset.info
  const rows: [string, string][] = [
    ['File', plate.file],
    ['Frames', `${plate.first}–${plate.last}`],
    ['Rate', `${plate.rate[0]}/${plate.rate[1]} per s`],
    ['Size', `${plate.width} × ${plate.height} px`],
    ['Depth', `${info?.bits ?? '–'} bit`],
    ['Gaps', info?.gaps?.length ? info.gaps.slice(0, 8).map(rangeText).join(', ') : 'none'],
  ]
  const stage = status?.readings.report
  const report = reports[stage?.key ?? '']
  const id = chosen.startsWith('reading.') ? chosen.slice(8) : ''
  const reading = shot.document.readings[id]
  const busy = stage?.state === 'running' || stage?.state === 'waiting'
  const way = WAYS.find(([name]) => name === tool)
  return (
    <>
      <Flex
        justify="space-between"
        align="baseline"
        padding="10px 14px 8px"
        borderBottomWidth="1px"
        borderColor="hair"
        gap="8px"
      >
        <Text as="h2" fontWeight="650" fontSize="14px">
          Plate
        </Text>
        <Text color="faint" whiteSpace="nowrap">
          {status?.asset.state === 'ready'
            ? 'read'
            : status?.asset.state === 'stopped'
              ? `stopped at ${status.asset.done} of ${status.asset.total}`
              : `reading ${status?.asset.done ?? 0} of ${status?.asset.total ?? 0}`}
        </Text>
      </Flex>
      {info?.notes?.map((line) => (
        <Text key={line} role="note" color="soft" padding="8px 14px 0">
          {line}
        </Text>
      ))}
      {status?.asset.error && (
        <Text role="alert" color="wrong" padding="8px 14px">
          {status.asset.error.message} {status.asset.error.remedy}
        </Text>
      )}
      {reading && <ReadingDetail id={id} reading={reading} />}
      <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair">
        {rows.map(([label, text]) => (
          <Flex key={label} justify="space-between" minHeight="24px" gap="10px">
            <span>{label}</span>
            <span className="num" style={{ color: '#b4b4b4', overflow: 'hidden', textOverflow: 'ellipsis' }}>
              {text}
            </span>
          </Flex>
        ))}
        <label style={{ display: 'flex', justifyContent: 'space-between', alignItems: 'center' }}>
          Encoding
          <select
            value={plate.encoding}
            onChange={(event) => edit({ plate: { encoding: event.target.value } })}
            style={{ background: '#1b1b1b', border: '1px solid #313131', padding: '2px 6px' }}
          >
            <option value="srgb">sRGB</option>
            <option value="rec709">Rec. 709</option>
            <option value="linear">linear</option>
          </select>
        </label>
      </Box>
      <Part title="Camera notes" note={shot.document.camera.fNumber > 0 ? 'known' : 'not known'}>
        <Box marginX="-14px">
          <SchemaBench settings={NOTES} values={shot.document.camera} path={['camera']} />
        </Box>
        <BlurDisc />
      </Part>
      <Part title="Readings" note={String(Object.keys(shot.document.readings).length)}>
        <Text color="soft">An area’s light, frame by frame: a signal on the strip.</Text>
        <Flex gap="6px" marginTop="6px" wrap="wrap">
          {WAYS.map(([name, label]) => (
            <Press
              key={name}
              aria-pressed={tool === name}
              disabled={name === 'read-pin' && shot.document.camera.kind === 'none'}
              onClick={() => set({ tool: tool === name ? 'choose' : name })}
            >
              {label}
            </Press>
          ))}
        </Flex>
        {way && (
          <Text color="faint" marginTop="4px">
            {way[2]}
          </Text>
        )}
      </Part>
      <Part title="Report" note={report ? 'of the frame' : undefined}>
        {!report && (
          <Text color="soft">
            Noise, sharpness, black and white, shutter and drift: what added parts must be matched to.
          </Text>
        )}
        {!report && !busy && (
          <Flex marginTop="6px">
            <Press main disabled={status?.asset.state !== 'ready'} onClick={() => void ask({ what: 'report' })}>
              Measure
            </Press>
          </Flex>
        )}
        <Busy stage={stage} what="Report" />
        {report && <Report report={report} />}
      </Part>
    </>
  )
}
