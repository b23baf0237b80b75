/** A row of the strip: which frames are kept, or a value per frame. */
export type StripRow =
  | {
      kind: 'frames'
      name: string
      figure: string
      kept: ReadonlySet<number>
      stale: ReadonlySet<number>
      running: boolean
    }
  | {
      kind: 'curve'
      name: string
      figure: string
      values: ReadonlyMap<number, number>
      top: number
      bottom?: number
      added: boolean
    }
  | {
      /** Of checked frames alone: how far off they are, 1 at the limit. */
      kind: 'check'
      name: string
      figure: string
      values: ReadonlyMap<number, number>
    }
