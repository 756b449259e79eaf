import type { ReactNode } from 'react'

/** One thing that is so or not, on a whole line for a thumb. */
export function Tick({
  on,
  onChange,
  children,
}: {
  on: boolean
  onChange: (on: boolean) => void
  children: ReactNode
}) {
  return (
    <label className="flex min-h-11 items-center gap-3">
      <input
        type="checkbox"
        checked={on}
        onChange={(e) => onChange(e.target.checked)}
        className="size-6 shrink-0 accent-ink"
      />
      <span>{children}</span>
    </label>
  )
}
