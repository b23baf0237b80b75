import { unzlibSync, zlibSync } from 'fflate'

/** zlib streams (RFC 1950). Node hands in its own, faster one; the values read back are the same. */
export interface Deflate {
  deflate(bytes: Uint8Array): Uint8Array
  /** most: bytes beyond which it is refused (by Node's; a file may lie about its length). */
  inflate(bytes: Uint8Array, most?: number): Uint8Array
}

export const plainDeflate: Deflate = {
  deflate: (bytes) => zlibSync(bytes, { level: 4 }),
  inflate: (bytes) => unzlibSync(bytes),
}
