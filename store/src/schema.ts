import type { ColumnType, Generated, JSONColumnType } from 'kysely'

type Timestamp = ColumnType<Date, Date | string | undefined, Date | string>

/** Seconds, and cells times steps. */
export type PreRollFrame = readonly [seconds: number, work: number]

export interface SentFile {
  name: string
  bytes: number
}

export interface Database {
  project: { id: Generated<number>; name: string; created: Timestamp }
  shot: {
    id: Generated<number>
    project_id: number
    name: string
    head: number
    created: Timestamp
    touched: Timestamp
    /** Since when it is no longer on the list; it can be had back for a minute. */
    removed: ColumnType<Date | null, Date | string | null | undefined, Date | string | null>
  }
  /** Append-only; `number` counts within the shot. label: a named version. */
  shot_revision: {
    shot_id: number
    number: number
    parent: number | null
    document: JSONColumnType<object>
    label: string | null
    created: Timestamp
  }
  /** A plate taken in. state: arriving, waiting, reading, ready, stopped, failed. info: grain and whatever was measured. */
  asset: {
    id: string
    /** A plate, or what an effect reads. */
    kind: string
    file: string
    state: string
    info: JSONColumnType<object>
    error: JSONColumnType<object> | null
    done: Generated<number>
    total: Generated<number>
    created: Timestamp
    /** Of what is sent by a page: its files with their sizes, and the rate that numbered stills were given. */
    files: ColumnType<SentFile[], string | undefined, string>
    rate: ColumnType<[number, number] | null, string | null | undefined, string | null>
    /** Name of the shot that is made of it with its first frame; none once that is done. */
    makes: string | null
    touched: Timestamp
  }
  asset_frame: {
    asset_id: string
    frame: number
    variant: 'full' | 'half' | 'quarter' | 'alpha' | 'passes' | 'vdb'
    blob: string
  }
  blob: { sha256: string; bytes: number; media_type: string; created: Timestamp }
  /** One recipe's result. fence rises with every new holder of the lease; the time it took is in seconds. */
  result: {
    key: string
    /** An effect's output, or picture, hand-off, tracks, solve, hand, reading, report, thing. */
    kind: string
    settings: JSONColumnType<object>
    shot_id: number | null
    item: string | null
    state: 'waiting' | 'running' | 'stopped' | 'done' | 'failed'
    first: number
    last: number
    fence: Generated<number>
    machine: string | null
    lease_until: ColumnType<Date | null, Date | string | null, Date | string | null>
    error: JSONColumnType<object> | null
    seconds: Generated<number>
    share: Generated<number>
    doing: Generated<string | null>
    used: Timestamp
    created: Timestamp
    /** Of each frame of its pre-roll the seconds that it took and its work. */
    run_up: ColumnType<PreRollFrame[], string | undefined, string>
    /** Work of each frame, pre-roll counted, as a rough run told it; none while it is not known. */
    ahead: ColumnType<number[], string | undefined, string>
    /** When somebody last asked for it; none: nobody did. */
    asked: ColumnType<Date | null, Date | string | null | undefined, Date | string | null>
    /** Last frame that is wanted of it; none: all are. */
    until: number | null
    /** Since when it has its turn at a machine, or waits for one. */
    since: Timestamp
  }
  /** chain: of a run that goes from frame to frame, the key of all that decided it up to this frame. */
  result_frame: {
    key: string
    frame: number
    blob: string
    figures: JSONColumnType<object>
    chain: Generated<string | null>
    created: Timestamp
  }
  /** Full states of a run after so many frames. */
  restart: { key: string; done: number; chain: string; state: JSONColumnType<object>; blob: string; created: Timestamp }
  note: { id: Generated<number>; shot_id: number; frame: number | null; text: string; created: Timestamp }
  machine: { id: string; host: string; threads: number; beat: Timestamp; doing: string | null }
}
