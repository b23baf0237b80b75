'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { type ChannelGroup, channelGroups, type RenderItem, renderFrame } from '@lantern/core/effects/renders'
import { Layers } from 'lucide-react'
import { useRef } from 'react'
import { Choice } from '@/ui/Choice.tsx'
import { FileInput } from '@/ui/FileInput.tsx'
import { Press } from '@/ui/Press.tsx'
import type { ItemView } from '../../items/view.ts'
import { useShotParts } from '../../shot/shotStore.ts'
import { useTaking } from '../taking.ts'
import { takeRender } from './takeIn.ts'

type Pass = keyof RenderItem['passes']
const PASSES: readonly [Pass, string, 1 | 3][] = [
  ['colour', 'Colour', 3],
  ['alpha', 'Alpha', 1],
  ['depth', 'Depth', 1],
  ['normal', 'Normals', 3],
  ['position', 'Places', 3],
  ['albedo', 'Albedo', 3],
]

/** What a pass may be read from: each channel, or the first three of each group. */
function choicesOf(groups: readonly ChannelGroup[], count: 1 | 3): { name: string; channels: readonly string[] }[] {
  return groups.flatMap(({ name, channels }) =>
    count === 1
      ? channels.map((one) => ({ name: one, channels: [one] }))
      : channels.length >= 3
        ? [{ name: name || 'without a name', channels: channels.slice(0, 3) }]
        : [],
  )
}

/** Which of the file's channels are which: guessed by their names, to be put right. */
function PassChoices({ id, item }: { id: string; item: RenderItem }) {
  const { edit } = useShotParts('edit')
  const groups = channelGroups(item.render?.channels ?? [])
  return PASSES.map(([pass, label, count]) => {
    const choices = choicesOf(groups, count)
    const now = item.passes[pass].join()
    return (
      <Box key={pass} display="grid" gridTemplateColumns="62px 1fr" gap="6px" alignItems="center" minHeight="24px">
        <span>{label}</span>
        <Choice
          aria-label={`${label} pass`}
          value={now}
          disabled={item.locked}
          onChange={(event) =>
            edit({
              items: {
                [id]: {
                  passes: {
                    [pass]: choices.find(({ channels }) => channels.join() === event.target.value)?.channels ?? [],
                  },
                },
              },
            })
          }
        >
          <option value="">none</option>
          {choices.map(({ name, channels }) => (
            <option key={channels.join()} value={channels.join()}>
              {name}
              {count === 3 ? ` (${channels.map((one) => one.slice(one.lastIndexOf('.') + 1)).join(' ')})` : ''}
            </option>
          ))}
        </Choice>
      </Box>
    )
  })
}

/** Which frame of it is shown, and what is missing. */
function Shown({ item }: { item: RenderItem }) {
  const { frame, shot } = useShotParts('frame', 'shot')
  const { render } = item
  if (!render || !shot) return null
  const own = renderFrame(item, frame)
  const missing = render.gaps.some(([from, to]) => frame - item.offset >= from && frame - item.offset <= to)
  const { plate } = shot.document
  const standIn = shot.document.items[item.standIn]
  const [a, b] = [render.width / render.height, plate.width / plate.height]
  return (
    <>
      <Text className="num" color={missing ? 'wrong' : 'fact'} data-render-frame={own ?? 'none'}>
        {own === undefined
          ? missing
            ? `its frame ${frame - item.offset} is missing`
            : 'nothing of it at this frame'
          : `its frame ${own}`}
        {render.gaps.length > 0 &&
          `; missing: ${render.gaps
            .slice(0, 6)
            .map(([from, to]) => (from === to ? from : `${from}–${to}`))
            .join(', ')}`}
      </Text>
      {Math.abs(a / b - 1) > 0.01 && (
        <Text color="wrong">
          It is {render.width} × {render.height}, of another shape than the plate: it is stretched over it.
        </Text>
      )}
      {item.passes.depth.length === 0 && item.passes.position.length === 0 && (
        <Text color={standIn ? 'fact' : 'wrong'}>
          {standIn
            ? `It has no depth: it stands and faces as ${standIn.name} does.`
            : `It has no depth: all of it stands at ${item.standing} m.`}
        </Text>
      )}
      {item.passes.colour.length === 0 && (
        <Text color="wrong">Choose the pass of its colours: nothing is seen of it.</Text>
      )}
    </>
  )
}

function Tools({ id, item }: { id: string; item: RenderItem }) {
  const files = useRef<HTMLInputElement>(null)
  const { doing, take } = useTaking()
  const { render } = item
  return (
    <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair">
      {render ? (
        <Text className="num" color="soft" truncate>
          {render.file}, {render.first}–{render.last}, {render.channels.length} channels
        </Text>
      ) : (
        <Text color="soft">No render yet: choose all frames of a multi-layer EXR sequence.</Text>
      )}
      <Shown item={item} />
      {doing && (
        <Text className="num" color="soft" role="status" aria-label="Render, progress">
          {doing}
        </Text>
      )}
      <Flex gap="6px" margin="4px 0">
        <Press disabled={item.locked || doing !== ''} onClick={() => files.current?.click()}>
          {render ? 'Another render' : 'Take in a render'}
        </Press>
        <FileInput
          ref={files}
          label="Render files"
          accept=".exr"
          onFiles={(chosen) => take((say) => takeRender(id, chosen, say))}
        />
      </Flex>
      {render && <PassChoices id={id} item={item} />}
    </Box>
  )
}

/** How others' renders are shown. */
export const RENDER_VIEW: ItemView<RenderItem> = {
  icon: Layers,
  kindName: 'render',
  tools: (props) => <Tools {...props} />,
  outline: () => '',
  radius: () => 0,
  // Nothing of it is kept.
  stripRows: () => [],
}
