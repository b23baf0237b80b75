import { Flex, Text } from '@chakra-ui/react'
import { memo } from 'react'

/** The name of what the bench is of, and what it is. */
export const Head = memo(({ title, kind }: { title: string; kind: string }) => (
  <Flex
    justify="space-between"
    align="baseline"
    padding="10px 14px 8px"
    borderBottomWidth="1px"
    borderColor="hair"
    gap="8px"
  >
    <Text as="h2" fontWeight="650" fontSize="14px" truncate>
      {title}
    </Text>
    <Text color="faint" whiteSpace="nowrap">
      {kind}
    </Text>
  </Flex>
))
