// Who may ask the studio for what: looked at before anything else sees a request.

const LOOPBACK = new Set(['127.0.0.1', 'localhost', '[::1]'])
const READS = new Set(['GET', 'HEAD', 'OPTIONS'])

const refusal = (status, message, remedy) => ({ status, body: { code: 'refused', message, remedy, place: {} } })

const wellFormed = (address) => {
  try {
    decodeURIComponent(address)
    return true
  } catch {
    return false
  }
}

/**
 * Undefined where a request may pass; else the status and the JSON that refuse it. hosts: names besides the loopback's that the studio goes by.
 * A page of another site, or one whose name was bound to this machine's address meanwhile, can't read or change anything.
 */
export function gate({ method, url, headers }, hosts = []) {
  if (!wellFormed(url ?? '/')) return refusal(400, 'That address is not written rightly.', 'Check the signs after %.')
  const host = headers.host ?? ''
  const name = host.replace(/:\d+$/, '').toLowerCase()
  if (!LOOPBACK.has(name) && !hosts.includes(name))
    return refusal(403, `The studio is not called ${name || 'that'}.`, 'Name it in LANTERN_HOSTS where it should be.')
  if (READS.has(method ?? 'GET')) return undefined
  const { origin } = headers
  if (origin !== `http://${host}` && origin !== `https://${host}`)
    return refusal(403, 'Only the studio’s own pages may change something.', 'Send the studio’s address as Origin.')
  return undefined
}

/**
 * What a page may load: this site's own, scripts only with the page's nonce or what those load, WebAssembly for the kernels; styles are written into pages by the components.
 * Nobody may frame it.
 */
export const policy = (nonce) =>
  [
    "default-src 'self'",
    `script-src 'self' 'nonce-${nonce}' 'strict-dynamic' 'wasm-unsafe-eval'`,
    "style-src 'self' 'unsafe-inline'",
    "img-src 'self' blob: data:",
    "worker-src 'self' blob:",
    "connect-src 'self' blob:",
    "object-src 'none'",
    "base-uri 'self'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join('; ')
