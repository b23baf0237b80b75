'use client'
import { Box, Text } from '@chakra-ui/react'
import { type CardItem, isOwnPlate } from '@lantern/core/effects/cards'
import { isMatte } from '@lantern/core/mattes'
import { Choice } from '@/ui/Choice.tsx'
import { useShotParts } from '../../shot/shotStore.ts'

/** What keeps a matte from cutting a card, in words. */
function missing(own: boolean, shot: string, mattes: number, cutBy: string, found: boolean): string | undefined {
  if (mattes === 0)
    return own
      ? 'There is no matte yet: draw one round the subject at Mattes.'
      : shot
        ? `${shot} has no drawn matte: draw one there, then take its plate anew.`
        : 'A matte cuts this plate, or another shot’s that was taken with its mattes.'
  return cutBy === '' || !found ? 'Choose the matte of what is there.' : undefined
}

/** The matte that says what is there of a card: one of the shot, or of the shot whose plate it is. */
export function CutBy({ id, item }: { id: string; item: CardItem }) {
  const { shot, edit } = useShotParts('shot', 'edit')
  const { clip, there, cutBy, far } = item
  if (!shot || !clip) return null
  const own = isOwnPlate(shot.document, item)
  const elsewhere = far === 'as filmed' && !own
  const mattes = own
    ? Object.entries(shot.document.items).flatMap(([key, one]) => (isMatte(one) ? [[key, one.name] as const] : []))
    : Object.entries(clip.mattes ?? {}).map(([key, { name }]) => [key, name] as const)
  const wrong =
    there === 'by a matte'
      ? missing(
          own,
          clip.shot,
          mattes.length,
          cutBy,
          mattes.some(([key]) => key === cutBy),
        )
      : undefined
  return (
    <>
      {there === 'by a matte' && mattes.length > 0 && (
        <Box display="grid" gridTemplateColumns="62px 1fr" gap="6px" alignItems="center">
          <span>Cut by</span>
          <Choice
            aria-label="Cut by"
            value={cutBy}
            disabled={item.locked}
            onChange={({ target }) => edit({ items: { [id]: { cutBy: target.value } } })}
          >
            <option value="">none</option>
            {mattes.map(([key, name]) => (
              <option key={key} value={key}>
                {name}
              </option>
            ))}
          </Choice>
        </Box>
      )}
      {wrong && (
        <Text color="wrong" role="status">
          {wrong}
        </Text>
      )}
      {elsewhere && (
        <Text color="wrong" role="status">
          Only this plate was filmed by this camera: the clip stands in the set.
        </Text>
      )}
    </>
  )
}
