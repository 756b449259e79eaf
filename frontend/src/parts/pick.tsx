import { useId } from 'react'

export type PickOption = { value: string; label: string }

/** One of many: the system's own list, easiest with a thumb. */
export function Pick({
  label,
  value,
  onChange,
  options,
  hideLabel = false,
}: {
  label: string
  value: string
  onChange: (value: string) => void
  options: PickOption[]
  hideLabel?: boolean
}) {
  const id = useId()
  return (
    <div className="min-w-0">
      <label htmlFor={id} className={hideLabel ? 'sr-only' : 'block text-sm font-bold text-soft'}>
        {label}
      </label>
      <select
        id={id}
        value={value}
        onChange={(e) => onChange(e.target.value)}
        className="min-h-12 w-full max-w-full border-2 border-line bg-field px-2"
      >
        {options.map((o) => (
          <option key={o.value} value={o.value}>
            {o.label}
          </option>
        ))}
      </select>
    </div>
  )
}
