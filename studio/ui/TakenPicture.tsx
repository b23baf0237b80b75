'use client'
import { Flex, Text } from '@chakra-ui/react'
import { FilePick } from './FilePick.tsx'

/** Has a person take a picture in, and names the one that is there. */
export function TakenPicture({
  label,
  accept,
  file,
  onFile,
}: {
  label: string
  accept: string
  file: string | undefined
  onFile: (file: File) => void
}) {
  return (
    <Flex padding="6px 14px" gap="8px" align="center">
      <FilePick label={label} accept={accept} onFile={onFile}>
        {file ? 'Another picture' : 'Take in a picture'}
      </FilePick>
      {file && (
        <Text className="num" color="soft">
          {file}
        </Text>
      )}
    </Flex>
  )
}
