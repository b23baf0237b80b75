import { readdirSync, readFileSync } from 'node:fs'

/** Ids of all processes but this one that run over a data folder, told by their environment. */
export const running = (data) =>
  readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .map(Number)
    .filter((pid) => {
      try {
        return (
          pid !== process.pid &&
          readFileSync(`/proc/${pid}/environ`, 'latin1').includes(`LANTERN_DATA=${data}`) &&
          !/^\d+ \(.*\) Z/.test(readFileSync(`/proc/${pid}/stat`, 'latin1'))
        )
      } catch {
        return false
      }
    })
