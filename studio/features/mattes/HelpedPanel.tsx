'use client'
import { Box, Flex, Grid, Text } from '@chakra-ui/react'
import { matteFrameKey } from '@lantern/core/effects'
import type { HelpedMatte, MatteItem } from '@lantern/core/mattes'
import { NumberField } from '@/ui/NumberField.tsx'
import { Press } from '@/ui/Press.tsx'
import { useShot, useShotParts } from '../shot/shotStore.ts'
import { mattePlaces } from './matteFrames.ts'
import { canCut, openOf } from './strokeTool.ts'

const TOOLS = [
  ['stroke-inside', 'Stroke inside'],
  ['stroke-outside', 'Stroke outside'],
] as const

/** Draws strokes, or chooses what they are. */
function StrokeTools({ locked }: { locked: boolean }) {
  const { tool, strokeWidth, set } = useShotParts('tool', 'strokeWidth', 'set')
  return (
    <Flex gap="6px" align="center" wrap="wrap">
      {TOOLS.map(([one, name]) => (
        <Press
          key={one}
          aria-pressed={tool === one}
          disabled={locked}
          onClick={() => set({ tool: tool === one ? 'choose' : one })}
        >
          {name}
        </Press>
      ))}
      <Box width="92px">
        <NumberField
          label="Stroke width"
          value={strokeWidth}
          unit="px"
          step={1}
          span={[1, 40]}
          minimum={1}
          maximum={200}
          initial={4}
          onValue={(value) => set({ strokeWidth: value })}
        />
      </Box>
    </Flex>
  )
}

/** What is carried, what is being carried, and what a press does next. */
function CarryRow({ id, helped, locked }: { id: string; helped: HelpedMatte; locked: boolean }) {
  const { status, edit, ask } = useShotParts('status', 'edit', 'ask')
  const run = status?.items[id]
  const open = openOf(helped)
  const frames = [...new Set(open.map(([, one]) => one.frame))].sort((a, b) => a - b)
  const running = run?.state === 'running' || run?.state === 'waiting'
  const ready = frames.length > 0 && frames.every((frame) => canCut(helped, frame))
  const carry = async (): Promise<void> => {
    if (frames.length > 0) edit({ items: { [id]: { helped: { carried: helped.carried + 1 } } } })
    await ask({ what: 'bake', item: id })
  }
  const whole = run ? run.last - run.first + 1 : 0
  return (
    <>
      <Flex gap="6px" align="center" wrap="wrap">
        <Press
          main={ready}
          disabled={locked || running || (frames.length > 0 ? !ready : helped.carried === 0)}
          onClick={() => void carry()}
        >
          {helped.carried === 0 || frames.length === 0 ? 'Carry' : 'Carry the correction'}
        </Press>
        {running && <Press onClick={() => void ask({ what: 'stop-bake', item: id })}>Stop</Press>}
        <Text className="num" color="fact" data-carried>
          {running
            ? `${run?.doing ?? 'carrying'}${run && run.kept.length > 0 ? `, ${run.kept.length} of ${whole}` : ''}`
            : helped.carried > 0 && run
              ? `${run.kept.length} of ${whole} frames carried`
              : 'not carried yet'}
        </Text>
      </Flex>
      {run?.error && (
        <Text color="wrong">
          {run.error.message} {run.error.remedy}
        </Text>
      )}
      {frames.length > 0 && (
        <Text color="soft" data-open>
          New strokes on {frames.join(', ')}
          {ready ? '.' : ': one inside and one round it outside, on each.'}
        </Text>
      )}
    </>
  )
}

/** The frame that is shown: how sure its rim is, whether it is accepted, its new strokes. */
function FrameRow({ id, helped, locked }: { id: string; helped: HelpedMatte; locked: boolean }) {
  const state = useShot()
  const { shot, status, frame, edit, ask } = state
  const plate = shot?.document.plate
  const run = status?.items[id]
  const place = run ? run.kept.indexOf(frame) : -1
  const uncertain = place >= 0 ? run?.figures[place]?.uncertain : undefined
  const accepted = helped.accepted[frame]
  const open = openOf(helped, frame)
  const cut = status?.mattes[id]?.[frame]
  const accept = async (): Promise<void> => {
    const [blob] = await ask({ what: 'matte-file', item: id, frame })
    const key = plate && matteFrameKey(helped, plate, frame)
    if (blob && key)
      edit({ items: { [id]: { helped: { accepted: { [frame]: { round: helped.carried, blob, key } } } } } })
  }
  return (
    <>
      <Flex gap="6px" align="center" wrap="wrap">
        {accepted ? (
          <Press
            disabled={locked}
            onClick={() => edit({ items: { [id]: { helped: { accepted: { [frame]: null } } } } })}
          >
            Open it again
          </Press>
        ) : (
          <Press
            disabled={locked || !mattePlaces(state, id, frame).carried || open.length > 0}
            onClick={() => void accept()}
          >
            Accept this frame
          </Press>
        )}
        {open.length > 0 && (
          <Press
            disabled={locked}
            onClick={() =>
              edit({ items: { [id]: { helped: { strokes: Object.fromEntries(open.map(([one]) => [one, null])) } } } })
            }
          >
            Remove its new strokes
          </Press>
        )}
      </Flex>
      <Text className="num" color="fact" data-frame-state>
        {accepted
          ? `${frame} is accepted: it stays as it is.`
          : cut && cut.state !== 'done' && cut.state !== 'missing'
            ? cut.state === 'failed'
              ? (cut.error?.message ?? 'It could not be cut.')
              : `cutting ${frame}`
            : cut?.state === 'done'
              ? mattePlaces(state, id, frame).carried
                ? `${frame} is cut anew; what changed is grained. Carry it to the others.`
                : `${frame} is cut. Carry it to the others.`
              : typeof uncertain === 'number'
                ? `${Math.round(100 * uncertain)} % of its rim is uncertain`
                : ''}
      </Text>
    </>
  )
}

/** The first or the last frame that the matte is wanted on. */
function FrameField({
  id,
  end,
  frame,
  span,
}: {
  id: string
  end: 'from' | 'to'
  frame: number
  span: readonly [number, number]
}) {
  const { edit } = useShotParts('edit')
  return (
    <NumberField
      label={end === 'from' ? 'From frame' : 'To frame'}
      value={frame}
      step={1}
      span={[...span]}
      minimum={span[0]}
      maximum={span[1]}
      initial={end === 'from' ? span[0] : span[1]}
      onValue={(value, final) => final && edit({ items: { [id]: { helped: { [end]: Math.round(value) } } } })}
    />
  )
}

/** A matte that strokes on a few frames tell, carried to the others. */
export function HelpedPanel({ id, item }: { id: string; item: MatteItem }) {
  const { shot } = useShotParts('shot')
  const { helped, locked } = item
  if (!shot) return null
  const { first, last } = shot.document.plate
  return (
    <Flex direction="column" gap="6px" data-helped>
      <StrokeTools locked={locked} />
      {helped && (
        <>
          <Grid templateColumns="40px 1fr 20px 1fr" alignItems="center" columnGap="6px">
            <Text color="soft">Frames</Text>
            <FrameField id={id} end="from" frame={helped.from} span={[first, last]} />
            <Text color="soft">to</Text>
            <FrameField id={id} end="to" frame={helped.to} span={[first, last]} />
          </Grid>
          <CarryRow id={id} helped={helped} locked={locked} />
          <FrameRow id={id} helped={helped} locked={locked} />
        </>
      )}
      <details>
        <summary style={{ cursor: 'pointer', color: '#8f8f8f' }}>What strokes can do</summary>
        <Text color="faint" marginTop="4px">
          A line inside along the body and each limb, one round it outside. Somebody who moves before a scene that
          stands still takes one to three stroked frames for every 40 to 60, a handful of corrections, and has rims that
          are uncertain by 2 px. Feet that blur into what is like them: by hand every 5 to 10 frames. One who never
          leaves where he stands: many stroked frames.
        </Text>
      </details>
    </Flex>
  )
}
