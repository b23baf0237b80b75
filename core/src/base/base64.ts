const LETTERS = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/'

/** Bytes as base64 text (RFC 4648, padded). */
export function encodeBase64(bytes: Uint8Array): string {
  const parts: string[] = []
  for (let n = 0; n < bytes.length; n += 3) {
    const word = ((bytes[n] ?? 0) << 16) | ((bytes[n + 1] ?? 0) << 8) | (bytes[n + 2] ?? 0)
    const left = bytes.length - n
    parts.push(
      LETTERS.charAt(word >> 18) +
        LETTERS.charAt((word >> 12) & 63) +
        (left > 1 ? LETTERS.charAt((word >> 6) & 63) : '=') +
        (left > 2 ? LETTERS.charAt(word & 63) : '='),
    )
  }
  return parts.join('')
}

/** The bytes of base64 text; undefined where it is not base64. */
export function decodeBase64(text: string): Uint8Array | undefined {
  try {
    return Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0))
  } catch {
    return undefined
  }
}
