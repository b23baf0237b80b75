import { createSystem, defaultConfig, defineConfig } from '@chakra-ui/react'

/** The look: neutral mid-dark greys, one lamp yellow, a blue-green for what is measured, a rust red for what is wrong. */
export const COLOURS = {
  well: '#303030',
  floor: '#1b1b1b',
  panel: '#242424',
  raised: '#2e2e2e',
  line: '#3b3b3b',
  hair: '#313131',
  text: '#ececec',
  soft: '#b4b4b4',
  faint: '#9a9a9a',
  lamp: '#f5c566',
  ember: '#a07a35',
  fact: '#7fc4bb',
  wrong: '#e5765a',
} as const

const config = defineConfig({
  theme: {
    tokens: {
      colors: Object.fromEntries(Object.entries(COLOURS).map(([name, value]) => [name, { value }])),
      fonts: {
        body: { value: 'var(--font-label), sans-serif' },
        heading: { value: 'var(--font-label), sans-serif' },
        mono: { value: 'var(--font-number), monospace' },
      },
      radii: Object.fromEntries(['xs', 'sm', 'md', 'lg', 'l1', 'l2', 'l3'].map((name) => [name, { value: '0' }])),
    },
  },
  globalCss: {
    'html, body': {
      height: '100%',
      background: COLOURS.floor,
      color: COLOURS.text,
      fontFamily: 'var(--font-label), sans-serif',
      fontSize: '12.5px',
      lineHeight: '1.3',
      fontStretch: '90%',
      letterSpacing: '0.12px',
    },
    '*:focus-visible': { outline: `1.5px solid ${COLOURS.text}`, outlineOffset: '1px' },
    '.num': { fontFamily: 'var(--font-number), monospace', fontSize: '11.5px', fontVariantNumeric: 'tabular-nums' },
    '.sr': { position: 'absolute', width: '1px', height: '1px', overflow: 'hidden', clipPath: 'inset(50%)' },
    button: { cursor: 'pointer' },
    'button:disabled': { cursor: 'default', color: COLOURS.faint },
    '::selection': { background: '#555' },
    '*': { scrollbarWidth: 'thin', scrollbarColor: `${COLOURS.line} transparent` },
  },
})

export const system = createSystem(defaultConfig, config)
