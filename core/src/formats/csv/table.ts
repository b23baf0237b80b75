import Papa from 'papaparse'

/** Rows of a comma-separated table by lower-case column name. Throws what `wrong` makes of a sentence where a column is missing, no row is there, or more than `most` are. */
export function readTable(
  bytes: Uint8Array,
  columns: readonly string[],
  most: number,
  wrong: (what: string) => Error,
): Record<string, string>[] {
  const { data, meta } = Papa.parse<Record<string, string>>(new TextDecoder().decode(bytes), {
    header: true,
    skipEmptyLines: true,
    transformHeader: (name) => name.trim().toLowerCase(),
  })
  for (const column of columns) if (!meta.fields?.includes(column)) throw wrong(`has no column called ${column}.`)
  if (data.length === 0) throw wrong('has no rows.')
  if (data.length > most) throw wrong(`has ${data.length} rows; ${most} are the most.`)
  return data
}
