import type { RefObject } from 'react'

/** An unseen input for files, which a button clicks; empty again after each choice, so that the same file may be chosen twice. */
export function FileInput({
  ref,
  label,
  accept,
  onFiles,
}: {
  ref: RefObject<HTMLInputElement | null>
  label: string
  accept: string
  onFiles(files: File[]): void
}) {
  return (
    <input
      ref={ref}
      type="file"
      accept={accept}
      multiple
      hidden
      aria-label={label}
      onChange={(event) => {
        const chosen = [...(event.target.files ?? [])]
        event.target.value = ''
        if (chosen.length > 0) onFiles(chosen)
      }}
    />
  )
}
