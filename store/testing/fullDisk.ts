/** A disk that is full while `full.now`: nothing new can be written. For vi.mock('node:fs/promises', …). */
export const full = { now: false }

export async function overFullDisk(
  original: () => Promise<typeof import('node:fs/promises')>,
): Promise<typeof import('node:fs/promises')> {
  const real = await original()
  const open: typeof real.open = (path, flags, mode) =>
    full.now && flags === 'wx'
      ? Promise.reject(Object.assign(new Error('no space left on device'), { code: 'ENOSPC' }))
      : real.open(path, flags, mode)
  return { ...real, open }
}
