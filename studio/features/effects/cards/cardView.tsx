'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { Camera } from '@lantern/core/data'
import { type CardItem, cardFrames, cardSpeed, facing } from '@lantern/core/effects/cards'
import { add, panTiltRoll, radians, rotate, type Vec3 } from '@lantern/core/math'
import { frameRate } from '@lantern/core/settings'
import { Film } from 'lucide-react'
import { useRef, useState } from 'react'
import { FileInput } from '@/ui/FileInput.tsx'
import { Press } from '@/ui/Press.tsx'
import type { ItemView } from '../../items/view.ts'
import { chainPath } from '../../picture/lines.ts'
import { makeReading } from '../../plate/readings.ts'
import { OtherShots } from '../../set/OtherShots.tsx'
import { useShot } from '../../shot/shotStore.ts'
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
  const { say } = useShot()
  const files = useRef<HTMLInputElement>(null)
  const [doing, setDoing] = useState('')
  const take = async (chosen: readonly File[]): Promise<void> => {
    try {
      await takeClip(id, chosen, setDoing)
    } catch (error) {
      say(error)
    } finally {
      setDoing('')
    }
  }
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
          onFiles={(chosen) => void take(chosen)}
        />
        {item.clip && <ReadLight id={id} item={item} />}
        <OtherShots disabled={item.locked} onShot={(one) => void takeShotAsClip(id, one).catch(say)} />
      </Flex>
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
  tools: (props) => <Clip {...props} />,
  outline,
  radius: ({ height }) => height,
  // Nothing of it is kept.
  stripRows: () => [],
}
