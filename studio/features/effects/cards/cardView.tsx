'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { Camera } from '@lantern/core/data'
import { type CardItem, cardFrames, cardSpeed, facing } from '@lantern/core/effects/cards'
import { add, panTiltRoll, radians, rotate, type Vec3 } from '@lantern/core/math'
import { frameRate } from '@lantern/core/settings'
import { Film } from 'lucide-react'
import { useRef } from 'react'
import { Choice } from '@/ui/Choice.tsx'
import { FileInput } from '@/ui/FileInput.tsx'
import { Press } from '@/ui/Press.tsx'
import type { ItemView } from '../../items/view.ts'
import { chainPath } from '../../picture/lines.ts'
import { makeReading } from '../../plate/readings.ts'
import { OtherShots } from '../../set/OtherShots.tsx'
import { useShot } from '../../shot/shotStore.ts'
import { useTaking } from '../taking.ts'
import { Borders } from './Borders.tsx'
import { takeClip, takeShotAsClip } from './clips.ts'

const rounded = (value: number): string => Number(value.toPrecision(3)).toLocaleString('en')

/** Which of its frames are shown now, and how fast it runs. */
function Speed({ item }: { item: CardItem }) {
  const { shot, frame } = useShot()
  const speed = shot && cardSpeed(item, frameRate(shot.document.plate))
  if (!shot || !speed) return null
  const frames = cardFrames(shot.document, item, frame)
  const first = item.clip?.first ?? 1
  const named = [...frames].sort((a, b) => a.frame - b.frame).map((one) => one.frame - first + 1)
  return (
    <Text className="num" color="fact" data-clip-frame={named.join()}>
      {frames.length > 0 ? `its frame ${named.join(' and ')}` : 'nothing of it at this frame'}, {rounded(speed.step)} a
      frame
      {Math.abs(speed.delivered - 1) > 1e-3 && `; delivered ${rounded(speed.delivered)} × slow`}
    </Text>
  )
}

/** Reads how bright its clip is frame by frame, so that lights and settings can follow it. */
function ReadLight({ id, item }: { id: string; item: CardItem }) {
  const { shot, set } = useShot()
  const there = Object.entries(shot?.document.readings ?? {}).find(
    ([, { area }]) => area.kind === 'clip' && area.card === id,
  )
  return (
    <Press
      onClick={() =>
        there
          ? set({ station: 'Plate', chosen: `reading.${there[0]}` })
          : makeReading({ kind: 'clip', card: id }, `Light of ${item.name}`.slice(0, 80))
      }
    >
      {there ? 'Its light’s reading' : 'Read its light'}
    </Press>
  )
}

/** Takes a clip in, or another shot's plate. */
function Clip({ id, item }: { id: string; item: CardItem }) {
  const { edit, say } = useShot()
  const files = useRef<HTMLInputElement>(null)
  const { doing, take } = useTaking()
  return (
    <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair">
      {item.clip ? (
        <Text className="num" color="soft" truncate>
          {item.clip.shot || item.clip.file}, {item.clip.last - item.clip.first + 1} frames at {rounded(item.clip.rate)}
        </Text>
      ) : (
        <Text color="soft">No clip yet: take one in, or take another shot’s plate.</Text>
      )}
      <Speed item={item} />
      <Borders id={id} item={item} />
      {item.clip?.alpha && (
        <Box display="grid" gridTemplateColumns="62px 1fr" gap="6px" alignItems="center">
          <span>Its alpha</span>
          <Choice
            aria-label="Its alpha"
            value={item.clip.alpha}
            disabled={item.locked}
            onChange={({ target }) => edit({ items: { [id]: { clip: { alpha: target.value } } } })}
          >
            <option value="straight">straight</option>
            <option value="premultiplied">premultiplied</option>
          </Choice>
        </Box>
      )}
      {doing && (
        <Text className="num" color="soft" role="status" aria-label="Clip, progress">
          {doing}
        </Text>
      )}
      <Flex gap="6px" marginTop="4px" align="center" wrap="wrap">
        <Press disabled={item.locked || doing !== ''} onClick={() => files.current?.click()}>
          {item.clip ? 'Another clip' : 'Take in a clip'}
        </Press>
        <FileInput
          ref={files}
          label="Clip files"
          accept="video/*,image/*,.exr"
          onFiles={(chosen) => take((tell) => takeClip(id, chosen, tell))}
        />
        {item.clip && <ReadLight id={id} item={item} />}
        <OtherShots disabled={item.locked} onShot={(one) => void takeShotAsClip(id, one).catch(say)} />
      </Flex>
    </Box>
  )
}

const WAYS = [
  ['place', 'its place alone'],
  ['turn', 'turned, and as large'],
  ['perspective', 'in perspective'],
] as const
const TAKES = [
  ['travel', 'all of its way'],
  ['jitter', 'its jitter alone'],
] as const

/** The flat track by hand that a card goes with. */
function Stuck({ id, item }: { id: string; item: CardItem }) {
  const { shot, status, frame, edit } = useShot()
  const hands = Object.entries(shot?.document.match.hands ?? {}).filter(([, { keys }]) => keys[0]?.places.length === 4)
  const { stuck } = item
  if (hands.length === 0 && !stuck) return null
  const put = (change: Partial<NonNullable<CardItem['stuck']>> | null): void =>
    edit({ items: { [id]: { stuck: change } } })
  const followed = stuck && status?.match.hands[stuck.track]?.state === 'done'
  return (
    <Box padding="6px 14px" borderBottomWidth="1px" borderColor="hair" display="grid" gap="3px">
      <Box display="grid" gridTemplateColumns="62px 1fr" gap="6px" alignItems="center">
        <span>Stuck to</span>
        <Choice
          aria-label="Stuck to"
          value={stuck?.track ?? ''}
          disabled={item.locked}
          onChange={({ target }) => put(target.value ? { track: target.value, frame } : null)}
        >
          <option value="">nothing</option>
          {hands.map(([hand, { name }]) => (
            <option key={hand} value={hand}>
              {name}
            </option>
          ))}
        </Choice>
      </Box>
      {stuck && (
        <Box display="grid" gridTemplateColumns="1fr 1fr" gap="6px">
          <Choice
            aria-label="Goes"
            value={stuck.way}
            onChange={({ target }) => put({ way: target.value as (typeof WAYS)[number][0] })}
          >
            {WAYS.map(([way, name]) => (
              <option key={way} value={way}>
                {name}
              </option>
            ))}
          </Choice>
          <Choice
            aria-label="Takes"
            value={stuck.takes}
            onChange={({ target }) => put({ takes: target.value as (typeof TAKES)[number][0] })}
          >
            {TAKES.map(([takes, name]) => (
              <option key={takes} value={takes}>
                {name}
              </option>
            ))}
          </Choice>
        </Box>
      )}
      {stuck && (
        <Text color={followed ? 'fact' : 'wrong'}>
          {followed
            ? `Stands as it is seen at ${stuck.frame}, and goes with the track from there.`
            : 'That track is not followed yet: follow it at Match.'}
        </Text>
      )}
    </Box>
  )
}

/** The frame of the card in the set, and its foot. */
function outline(camera: Camera, item: CardItem): string {
  const { position, height, foot, clip, turn, faces, far } = item
  if (far === 'in the sky') return ''
  const half = (height * (clip ? clip.width / clip.height : 16 / 9)) / 2
  const [low, high] = [(-height * foot) / 100, height * (1 - foot / 100)]
  const way = facing({ faces, turn: panTiltRoll(radians(turn), 0, 0), place: position }, camera.position)
  const at = (x: number, y: number): Vec3 => add(position, rotate(way, [x, y, 0]))
  const [a, b, c, d] = [at(-half, low), at(half, low), at(half, high), at(-half, high)]
  return chainPath(camera, [a, b, c, d, a]) + chainPath(camera, [at(-half, 0), at(half, 0)])
}

/** How cards are shown. */
export const CARD_VIEW: ItemView<CardItem> = {
  icon: Film,
  kindName: 'card',
  describe: ({ there }) =>
    there === 'on black' ? 'filmed on black' : there === 'keyed' ? 'filmed on a colour' : 'filmed',
  tools: (props) => (
    <>
      <Clip {...props} />
      <Stuck {...props} />
    </>
  ),
  outline,
  radius: ({ height }) => height,
  // Nothing of it is kept.
  stripRows: () => [],
}
