import localFont from 'next/font/local'
import type { ReactNode } from 'react'
import { Providers } from './providers.tsx'

const label = localFont({
  src: '../../node_modules/@fontsource-variable/archivo/files/archivo-latin-wdth-normal.woff2',
  variable: '--font-label',
  weight: '100 900',
  declarations: [{ prop: 'font-stretch', value: '62% 125%' }],
})
const number = localFont({
  src: '../../node_modules/@fontsource/ibm-plex-mono/files/ibm-plex-mono-latin-400-normal.woff2',
  variable: '--font-number',
  weight: '400',
})

/** Every page has a nonce of its own, so none is made ahead. */
export const dynamic = 'force-dynamic'

export const metadata = { title: 'Coal Lantern' }

export default function Layout({ children }: { children: ReactNode }) {
  return (
    <html lang="en" className={`${label.variable} ${number.variable}`}>
      <body>
        <Providers>{children}</Providers>
      </body>
    </html>
  )
}
