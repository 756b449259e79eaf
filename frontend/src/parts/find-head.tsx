import { type ReactNode, useRef } from 'react'
import { useKey } from './keys'
import { useTitle } from './title'

/** The head of a list: its name, a box that finds (the key / goes there), and what can be done. */
export function FindHead({
  title,
  label,
  hint,
  find,
  onFind,
  children,
}: {
  title: string
  label: string
  hint: string
  find: string
  onFind: (text: string) => void
  children?: ReactNode
}) {
  const box = useRef<HTMLInputElement>(null)
  useKey((key) => key === '/' && box.current?.focus())
  useTitle(title)
  return (
    <div className="flex flex-wrap items-end gap-3">
      <h1 className="text-2xl font-bold">{title}</h1>
      <label className="ml-auto min-w-0 flex-1 basis-48 sm:max-w-80">
        <span className="sr-only">{label}</span>
        <input
          ref={box}
          value={find}
          onChange={(e) => onFind(e.target.value)}
          placeholder={hint}
          className="min-h-11 w-full border-2 border-line bg-field px-3"
        />
      </label>
      {children}
    </div>
  )
}
