'use client'
import { Flex, Text } from '@chakra-ui/react'
import { type Camera, projectPoint } from '@lantern/core/data'
import { add, rotate } from '@lantern/core/math'
import { boundsOfThing, type MarksItem, piecesAt, stampOn, standingPose, thingsAt } from '@lantern/core/set'
import { Stamp } from 'lucide-react'
import { Press } from '@/ui/Press.tsx'
import { TakenPicture } from '@/ui/TakenPicture.tsx'
import type { ItemView } from '../../items/view.ts'
import { chainPath, circlePoints } from '../../picture/lines.ts'
import { cameraNow, useShot, useShotParts } from '../../shot/shotStore.ts'
import { inputsNow } from '../../shot/world.ts'
import { takeStamp } from '../stamps.ts'

/** On what it lies, and through which frame it was stamped. */
function Lies({ id, item }: { id: string; item: MarksItem }) {
  const state = useShot()
  const { shot, frame, edit, moveTo } = state
  const document = shot?.document
  if (!document) return null
  const { camera, position, width, height, turn, stamped } = item
  const pieces = piecesAt(document, stamped, inputsNow(state))
  const things = thingsAt(document, stamped, inputsNow(state))
  const on = camera ? stampOn({ pieces, things, camera, position, width, height, turn }, boundsOfThing) : []
  const names = on.map(({ item: key }) => document.items[key]?.name ?? key)
  const here = cameraNow(state, frame)
  return (
    <Flex padding="8px 14px" borderBottomWidth="1px" borderColor="hair" direction="column" gap="4px">
      {names.length > 0 ? (
        <Text className="num" color="fact" data-lies={names.length}>
          on {names.join(', ')}
        </Text>
      ) : (
        <Text role="alert" color="wrong">
          It lies on no piece of the set. Move it onto one.
        </Text>
      )}
      <Flex gap="8px" align="center">
        {stamped !== undefined && (
          <Press plain className="num" onClick={() => moveTo(stamped)}>
            stamped through {stamped}
          </Press>
        )}
        {here && stamped !== frame && (
          <Press
            plain
            disabled={item.locked}
            title="Stamps it through the camera of this frame"
            onClick={() => edit({ items: { [id]: { camera: here, stamped: frame } } })}
          >
            through this frame
          </Press>
        )}
      </Flex>
    </Flex>
  )
}

/** The picture that it is. */
function Tools({ id, item }: { id: string; item: MarksItem }) {
  const { shot, edit, say } = useShotParts('shot', 'edit', 'say')
  if (!shot || item.mark !== 'picture') return null
  const take = async (chosen: File): Promise<void> => {
    try {
      const picture = await takeStamp(shot.name, chosen)
      const height = Math.round((1000 * item.width * picture.height) / picture.width) / 1000
      edit({ items: { [id]: { picture, height } } })
    } catch (error) {
      say(error)
    }
  }
  return (
    <TakenPicture
      label="Stamped picture"
      accept=".png,.jpg,.jpeg,.webp"
      file={item.picture?.file}
      onFile={(chosen) => void take(chosen)}
    />
  )
}

/** The rim of what is stamped, as it lies in the set. */
function outline(camera: Camera, item: MarksItem): string {
  const document = useShot.getState().shot?.document
  const middle = item.camera && projectPoint(item.camera, item.position)
  if (!document || !item.camera || !middle) return chainPath(camera, circlePoints(item.position, item.width / 2))
  const { camera: through, position, width, height, turn, stamped } = item
  const pieces = piecesAt(document, stamped, {})
  const things = thingsAt(document, stamped, {})
  return stampOn({ pieces, things, camera: through, position, width, height, turn }, boundsOfThing)
    .map(({ item: on, mesh }) => {
      const piece = [...pieces, ...things].find(([id]) => id === on)?.[1]
      if (!piece) return ''
      const pose = standingPose(piece)
      // Edges of one triangle alone are the rim.
      const edges = new Map<string, [number, number]>()
      for (let n = 0; n < mesh.indices.length; n++) {
        const next = n % 3 === 2 ? n - 2 : n + 1
        const [a, b] = [mesh.indices[n] ?? 0, mesh.indices[next] ?? 0]
        const key = a < b ? `${a} ${b}` : `${b} ${a}`
        if (!edges.delete(key)) edges.set(key, [a, b])
      }
      const at = (v: number): [number, number, number] => {
        const own = [0, 1, 2].map((c) => mesh.positions[3 * v + c] ?? 0) as [number, number, number]
        return [...add(pose.position, rotate(pose.rotation, own))] as [number, number, number]
      }
      return [...edges.values()].map(([a, b]) => chainPath(camera, [at(a), at(b)])).join('')
    })
    .join('')
}

/** How marks are shown. */
export const MARKS_VIEW: ItemView<MarksItem> = {
  icon: Stamp,
  kindName: 'mark',
  describe: ({ mark }) => (mark === 'picture' ? 'a stamped picture' : mark),
  panel: (props) => <Lies {...props} />,
  tools: (props) => <Tools {...props} />,
  outline,
  radius: ({ width, height }) => Math.max(width, height) / 2,
  // Nothing of it is kept.
  stripRows: () => [],
}
