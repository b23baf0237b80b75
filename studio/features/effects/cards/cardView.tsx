'use client'
import type { Camera } from '@lantern/core/data'
import { type CardItem, facing } from '@lantern/core/effects/cards'
import { add, panTiltRoll, radians, rotate, type Vec3 } from '@lantern/core/math'
import { Film } from 'lucide-react'
import type { ItemView } from '../../items/view.ts'
import { chainPath } from '../../picture/lines.ts'
import { Clip } from './Clip.tsx'
import { Copies } from './Copies.tsx'
import { FireSize } from './FireSize.tsx'
import { Sky } from './Sky.tsx'
import { Stuck } from './Stuck.tsx'

/** The frame of the card in the set, and its foot. */
function outline(camera: Camera, item: CardItem): string {
  const { position, height, foot, clip, turn, faces, far } = item
  if (far !== 'in the set') return ''
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
      <FireSize {...props} />
      <Sky {...props} />
      <Copies {...props} />
    </>
  ),
  outline,
  radius: ({ height }) => height,
  // Nothing of it is kept.
  stripRows: () => [],
}
