import type { Shot, ShotStatus } from '../store/src/index.ts'

const SHOT = 'Kiln Yard 030'

/** The demo shot of the application that runs at an address: its document, its status, and kept frames of its results. */
export async function demoShot(address: string): Promise<{
  name: string
  /** The plate's file without its ending. */
  plate: string
  document: Shot['document']
  status: ShotStatus
  kept(key: string, frame: number): Promise<Uint8Array<ArrayBuffer>>
}> {
  const get = async (path: string): Promise<Response> => {
    const answer = await fetch(`${address}${path}`)
    if (!answer.ok) throw new Error(`${path}: ${await answer.text()}`)
    return answer
  }
  const path = `/api/shots/${encodeURIComponent(SHOT)}`
  const { document } = (await (await get(path)).json()) as Shot
  return {
    name: SHOT,
    plate: document.plate.file.replace(/\.\w+$/, ''),
    document,
    status: (await (await get(`${path}/status`)).json()) as ShotStatus,
    kept: async (key, frame) => new Uint8Array(await (await get(`/api/results/${key}/${frame}`)).arrayBuffer()),
  }
}
