import type { FloatImage } from '@lantern/core/data'

declare global {
  interface Window {
    /** For checks from outside: this browser's golden hash, and the linear values of the frame laid last. */
    lantern?: { hash(threads: number): Promise<{ hash: string; threads: number }>; linear(): Promise<FloatImage> }
  }
}
