'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { type CardItem, cardFrames, cardSpeed, plateClip } from '@lantern/core/effects/cards'
import { frameRate } from '@lantern/core/settings'
import { useRef } from 'react'
import { Choice } from '@/ui/Choice.tsx'
import { FileInput } from '@/ui/FileInput.tsx'
import { Press } from '@/ui/Press.tsx'
import { makeReading } from '../../plate/readings.ts'
import { OtherShots } from '../../set/OtherShots.tsx'
import { useShotParts } from '../../shot/shotStore.ts'
import { useTaking } from '../taking.ts'
import { Borders } from './Borders.tsx'
import { CutBy } from './CutBy.tsx'
import { putClip, takeClip, takeShotAsClip } from './clips.ts'

const rounded = (value: number): string => Number(value.toPrecision(3)).toLocaleString('en')

/** Which of its frames are shown now, and how fast it runs. */
function Speed({ item }: { item: CardItem }) {
  const { shot, frame } = useShotParts('shot', 'frame')
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
  const { shot, set } = useShotParts('shot', 'set')
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
export function Clip({ id, item }: { id: string; item: CardItem }) {
  const { shot, edit, say } = useShotParts('shot', 'edit', 'say')
  const own = shot && plateClip(shot.document)
  const files = useRef<HTMLInputElement>(null)
  const { doing, take } = useTaking()
  return (
    <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair">
      {item.clip ? (
        <Text className="num" color="soft" truncate>
          {item.clip.asset === own?.asset ? 'This plate' : item.clip.shot || item.clip.file},{' '}
          {item.clip.last - item.clip.first + 1} frames at {rounded(item.clip.rate)}
        </Text>
      ) : (
        <Text color="soft">No clip yet: take one in, or take another shot’s plate.</Text>
      )}
      <Speed item={item} />
      <Borders id={id} item={item} />
      <CutBy id={id} item={item} />
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
        <Press disabled={item.locked || !own} onClick={() => own && putClip(id, own)}>
          This plate
        </Press>
        <OtherShots disabled={item.locked} onShot={(one) => void takeShotAsClip(id, one).catch(say)} />
      </Flex>
    </Box>
  )
}
