import { deflateSync, inflateSync } from 'node:zlib'
import type { Deflate } from '@lantern/core/formats'

/** Node's zlib behind core's seam. */
export const nodeDeflate: Deflate = { deflate: (bytes) => deflateSync(bytes, { level: 3 }), inflate: (bytes, most) => inflateSync(bytes, most === undefined ? {} : { maxOutputLength: most }) }
