'use client'
import { ChakraProvider } from '@chakra-ui/react'
import createCache from '@emotion/cache'
import { CacheProvider } from '@emotion/react'
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { useServerInsertedHTML } from 'next/navigation'
import { type ReactNode, useState } from 'react'
import { system } from '@/ui/theme.ts'

/** Emotion's styles made on the server go into the page as it streams, or hydration would fail. */
function Styles({ children }: { children: ReactNode }) {
  const [{ cache, flush }] = useState(() => {
    const made = createCache({ key: 'lantern' })
    made.compat = true
    const insert = made.insert
    const names: string[] = []
    made.insert = (...args) => {
      const [, serialized] = args
      if (made.inserted[serialized.name] === undefined) names.push(serialized.name)
      return insert(...args)
    }
    return { cache: made, flush: () => names.splice(0) }
  })
  useServerInsertedHTML(() => {
    const names = flush()
    if (names.length === 0) return null
    const css = names
      .map((name) => cache.inserted[name])
      .filter((text) => typeof text === 'string')
      .join('')
    // biome-ignore lint/security/noDangerouslySetInnerHtml: the text is emotion's own styles
    return <style data-emotion={`${cache.key} ${names.join(' ')}`} dangerouslySetInnerHTML={{ __html: css }} />
  })
  return <CacheProvider value={cache}>{children}</CacheProvider>
}

export function Providers({ children }: { children: ReactNode }) {
  const [client] = useState(
    () => new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false } } }),
  )
  return (
    <Styles>
      <QueryClientProvider client={client}>
        <ChakraProvider value={system}>{children}</ChakraProvider>
      </QueryClientProvider>
    </Styles>
  )
}
