'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import { dugVolumes, projectPoint } from '@lantern/core/data'
import { type CraterItem, craterAt, dugOf } from '@lantern/core/set'
import { CircleDot } from 'lucide-react'
import { useMemo } from 'react'
import { Press } from '@/ui/Press.tsx'
import { TakenPicture } from '@/ui/TakenPicture.tsx'
import { call, shotPath } from '../../api.ts'
import type { ItemView } from '../../items/view.ts'
import { chainPath, circlePoints } from '../../picture/lines.ts'
import { useShot, useShotParts } from '../../shot/shotStore.ts'
import { inputsNow } from '../../shot/world.ts'
import { Curve } from './Curve.tsx'

const metres = (value: number): string => `${value.toFixed(value < 1 ? 2 : 1)} m`
const cubic = (value: number): string => `${Number(value.toPrecision(3))} m³`

/** What is dug and heaped, and how it compares with a fresh crater. */
function Figures({ item }: { id: string; item: CraterItem }) {
  const state = useShot()
  const document = state.shot?.document
  const whole = useMemo(() => {
    const dug = dugOf({ ...item, opens: 0 }, 0)
    return dug && dugVolumes(dug, 240)
  }, [item])
  if (!document) return null
  const now = craterAt(document, item, state.frame, inputsNow(state))
  const opened = item.opens === 0 || state.frame >= item.opens
  const total = now.depth + now.rim
  return (
    <Box padding="8px 14px" borderBottomWidth="1px" borderColor="hair">
      {whole ? (
        <Text className="num" color="fact" data-hole={whole.hole}>
          {cubic(whole.hole)} dug, {cubic(whole.heap)} heaped
        </Text>
      ) : (
        <Text color="soft">No picture yet: take one in.</Text>
      )}
      {item.form === 'crater' && (
        <Text className="num" color="fact">
          {metres(total)} from rim to floor, 1 : {(now.width / Math.max(1e-6, total)).toFixed(1)} of its width
          <span style={{ color: '#9a9a9a' }}>; fresh ones have 1 : 5.1</span>
        </Text>
      )}
      {!opened && (
        <Flex align="center" gap="8px">
          <Text color="soft">Opens at {item.opens}.</Text>
          <Press plain onClick={() => state.moveTo(item.opens)}>
            Go there
          </Press>
        </Flex>
      )}
    </Box>
  )
}

/** Its curve, or its picture. */
function Tools({ id, item }: { id: string; item: CraterItem }) {
  const { shot, edit, preview, set, say } = useShotParts('shot', 'edit', 'preview', 'set', 'say')
  if (!shot) return null
  const change = (stops: [number, number][], final: boolean): void =>
    (final ? edit : preview)({ items: { [id]: { stops } } })
  if (item.form === 'crater') return <Curve stops={item.stops} disabled={item.locked} onChange={change} />
  const take = async (chosen: File): Promise<void> => {
    try {
      const path = `${shotPath(shot.name)}/heights?file=${encodeURIComponent(chosen.name.slice(0, 200))}`
      const { picture, notes } = await call<{ picture: NonNullable<CraterItem['picture']>; notes: string[] }>(path, {
        method: 'POST',
        body: chosen,
      })
      const long = Math.round((1000 * item.width * picture.height) / picture.width) / 1000
      edit({ items: { [id]: { picture, long } } })
      set({ message: { text: [`${chosen.name} is its heights.`, ...notes].join(' '), good: notes.length === 0 } })
    } catch (error) {
      say(error)
    }
  }
  return (
    <TakenPicture
      label="Grey picture"
      accept=".png,.jpg,.jpeg,.webp,.exr"
      file={item.picture?.file}
      onFile={(chosen) => void take(chosen)}
    />
  )
}

/** How craters and heaps are shown. */
export const CRATER_VIEW: ItemView<CraterItem> = {
  icon: CircleDot,
  kindName: 'crater',
  describe: ({ form, way }) =>
    form === 'crater' ? 'crater' : way === 'dug' ? 'dug by a picture' : 'heaped by a picture',
  panel: (props) => <Figures {...props} />,
  tools: (props) => <Tools {...props} />,
  outline(camera, item) {
    if (item.form === 'crater') return chainPath(camera, circlePoints(item.position, item.width / 2))
    const angle = (item.turn * Math.PI) / 180
    const [c, s] = [Math.cos(angle), Math.sin(angle)]
    const corners = [
      [-1, -1],
      [1, -1],
      [1, 1],
      [-1, 1],
      [-1, -1],
    ].map(([a = 0, b = 0]): [number, number, number] => {
      const [x, z] = [(a * item.width) / 2, (b * item.long) / 2]
      return [item.position[0] + c * x + s * z, item.position[1], item.position[2] - s * x + c * z]
    })
    return projectPoint(camera, item.position) ? chainPath(camera, corners) : ''
  },
  radius: ({ width }) => width / 2,
  // Nothing of it is kept.
  stripRows: () => [],
}
