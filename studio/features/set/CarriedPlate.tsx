'use client'
import { Flex, Text } from '@chakra-ui/react'
import { bestPlateFrame, type CarryingItem, isThing } from '@lantern/core/set'
import { useRef } from 'react'
import { FileInput } from '@/ui/FileInput.tsx'
import { Press } from '@/ui/Press.tsx'
import { cameraNow, useShot } from '../shot/shotStore.ts'
import { OtherShots } from './OtherShots.tsx'
import { takeOtherPlate } from './otherPlates.ts'
import { PICTURE_ACCEPT, takeSurfacePictures } from './surfaces.ts'

/** Puts a frame of the plate on a piece or thing: the one that shows it whole and largest, or the one that is looked at. */
export function CarriedPlate({ id, item }: { id: string; item: CarryingItem }) {
  const state = useShot()
  const files = useRef<HTMLInputElement>(null)
  const { shot, frame, edit, set, say } = state
  if (!shot) return null
  const put = (frozen: number): void => edit({ items: { [id]: { carries: 'frozen', frozen } } })
  const best = (): void => {
    const found = bestPlateFrame(shot.document, item, (n) => cameraNow(state, n))
    if (found === undefined)
      set({
        message: {
          text: `No frame shows all of ${item.name}: go to the best one and press “This frame”.`,
          good: false,
        },
      })
    else put(found)
  }
  return (
    <Flex gap="6px" align="center" padding="8px 14px 0" wrap="wrap">
      <Text color="faint">Plate on it</Text>
      <Press disabled={item.locked} onClick={best}>
        Best frame
      </Press>
      <Press disabled={item.locked} onClick={() => put(frame)}>
        This frame
      </Press>
      <OtherShots disabled={item.locked} onShot={(one) => void takeOtherPlate(id, one).catch(say)} />
      {!isThing(item) && (
        <>
          <Press disabled={item.locked} onClick={() => files.current?.click()}>
            Pictures as its surface
          </Press>
          <FileInput
            ref={files}
            label="Pictures of a surface"
            accept={PICTURE_ACCEPT}
            onFiles={(chosen) => void takeSurfacePictures(id, chosen).catch(say)}
          />
        </>
      )}
      {item.carries === 'still' && item.still && (
        <Text color="fact" data-still>
          {item.still.shot}
        </Text>
      )}
      {item.carries === 'frozen' && (
        <Text className="num" color="fact" data-frozen>
          {item.frozen || shot.document.plate.first}
        </Text>
      )}
    </Flex>
  )
}
