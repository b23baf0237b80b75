import { zipSync } from 'fflate'

/** A file's name without its end. */
export const bareName = (file: string): string => file.replace(/\.[a-z0-9]+$/i, '').slice(0, 80) || 'Thing'

/** Files as one body to send: packed where there are several. */
export async function packed(files: readonly File[], main: File): Promise<{ body: Blob; name: string }> {
  if (files.length === 1) return { body: main, name: main.name }
  const parts = await Promise.all(
    files.map(async (file) => [file.name, new Uint8Array(await file.arrayBuffer())] as const),
  )
  return {
    body: new Blob([zipSync(Object.fromEntries(parts), { level: 0 }).slice()]),
    name: `${bareName(main.name)}.zip`,
  }
}
