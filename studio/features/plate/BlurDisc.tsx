'use client'
import { Flex, Text } from '@chakra-ui/react'
import { LanternError } from '@lantern/core/base'
import { encodeBase64 } from '@lantern/core/formats'
import { useRef } from 'react'
import { FileInput } from '@/ui/FileInput.tsx'
import { Press } from '@/ui/Press.tsx'
import { useShotParts } from '../shot/shotStore.ts'

/** Px of the kept picture along a side. */
const SIDE = 48

/** A picture's brightness, fitted into the square. Throws LanternError naming the file. */
async function valuesOf(file: File): Promise<Uint8Array> {
  const bitmap = await createImageBitmap(file).catch(() => {
    throw new LanternError('disc', `${file.name} can’t be read as a picture.`, 'Save it as PNG, JPEG or WebP.', {
      file: file.name,
    })
  })
  const context = new OffscreenCanvas(SIDE, SIDE).getContext('2d')
  if (!context) throw new Error('The browser gives no canvas.')
  context.imageSmoothingQuality = 'high'
  const scale = SIDE / Math.max(bitmap.width, bitmap.height)
  const [w, h] = [bitmap.width * scale, bitmap.height * scale]
  context.fillRect(0, 0, SIDE, SIDE)
  context.drawImage(bitmap, (SIDE - w) / 2, (SIDE - h) / 2, w, h)
  const { data } = context.getImageData(0, 0, SIDE, SIDE)
  const values = Uint8Array.from({ length: SIDE * SIDE }, (_, n) => {
    const [r = 0, g = 0, b = 0] = data.subarray(n * 4, n * 4 + 3)
    return Math.round(0.2126 * r + 0.7152 * g + 0.0722 * b)
  })
  if (values.every((value) => value === 0))
    throw new LanternError('disc', `${file.name} is black.`, 'Take a picture of a bright disc on black.', {
      file: file.name,
    })
  return values
}

/** The shape of what is out of focus, by a picture of one blur disc on black. */
export function BlurDisc() {
  const { shot, edit, say } = useShotParts('shot', 'edit', 'say')
  const files = useRef<HTMLInputElement>(null)
  const disc = shot?.document.camera.disc
  const take = async (file: File): Promise<void> => {
    const values = encodeBase64(await valuesOf(file))
    edit({ camera: { disc: { file: file.name.slice(0, 200), values } } })
  }
  return (
    <Flex gap="6px" align="center" wrap="wrap" marginTop="6px">
      <Text color="soft">{disc ? `Blur disc: ${disc.file}` : 'Blur disc by its blades'}</Text>
      <Press onClick={() => files.current?.click()}>From a picture</Press>
      {disc && <Press onClick={() => edit({ camera: { disc: null } })}>By blades</Press>}
      <FileInput
        ref={files}
        label="Picture of a blur disc"
        accept=".png,.jpg,.jpeg,.webp"
        onFiles={([file]) => file && void take(file).catch(say)}
      />
    </Flex>
  )
}
