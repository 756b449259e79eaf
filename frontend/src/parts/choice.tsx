import { RadioGroup } from 'radix-ui'
import { useId } from 'react'

type Option = { value: string; label: string; note?: string }

// What no one said does not look like an answer.
const UNSAID = 'text-soft data-[state=checked]:bg-transparent'
const SAID = 'data-[state=checked]:bg-ink data-[state=checked]:text-ground'

/** One of a few, side by side: a row of keys, the pressed one filled. */
export function Choice({
  label,
  options,
  value,
  onChange,
  problem,
  hideLabel = false,
}: {
  label: string
  options: Option[]
  value: string
  onChange: (value: string) => void
  problem?: string | undefined
  hideLabel?: boolean
}) {
  const id = useId()
  return (
    <div className="min-w-0">
      <p id={id} className={hideLabel ? 'sr-only' : 'text-sm font-bold text-soft'}>
        {label}
      </p>
      <RadioGroup.Root
        value={value}
        onValueChange={onChange}
        aria-labelledby={id}
        className="flex flex-wrap gap-1"
      >
        {options.map((o) => (
          <RadioGroup.Item
            key={o.value}
            value={o.value}
            className={`min-h-11 border-2 border-line bg-field px-3 py-1 text-left leading-tight data-[state=checked]:border-ink data-[state=checked]:font-bold ${o.value === '' ? UNSAID : SAID}`}
          >
            {o.label}
          </RadioGroup.Item>
        ))}
      </RadioGroup.Root>
      {problem && (
        <p role="alert" className="pt-1 text-sm font-bold text-fail">
          ✕ {problem}
        </p>
      )}
    </div>
  )
}
