'use client'
import { useRef } from 'react'
import { Press } from './Press.tsx'

/** A button that has a person choose a file. accept: endings; label: what the field is called for screen readers. */
export function FilePick({
  children,
  label,
  accept,
  disabled,
  onFile,
}: {
  children: string
  label: string
  accept: string
  disabled?: boolean
  onFile: (file: File) => void
}) {
  const field = useRef<HTMLInputElement>(null)
  return (
    <>
      <Press disabled={disabled} onClick={() => field.current?.click()}>
        {children}
      </Press>
      <input
        ref={field}
        type="file"
        accept={accept}
        hidden
        aria-label={label}
        onChange={(event) => {
          const [chosen] = event.target.files ?? []
          if (chosen) onFile(chosen)
          event.target.value = ''
        }}
      />
    </>
  )
}
