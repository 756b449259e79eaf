import { type KeyboardEvent, type ReactNode, useId } from 'react'

/** Enter goes to the next field of the form; from the last one it submits. */
export function enterToNext(event: KeyboardEvent<HTMLElement>) {
  if (event.key !== 'Enter' || !(event.target instanceof HTMLInputElement)) return
  const form = event.target.form
  if (!form) return
  const fields = [
    ...form.querySelectorAll<HTMLElement>(
      'input:not([type=checkbox]):not([type=radio]):not([type=hidden]), textarea',
    ),
  ]
  const next = fields[fields.indexOf(event.target) + 1]
  if (next) {
    event.preventDefault()
    next.focus()
    if (next instanceof HTMLInputElement) next.select()
  }
}

type FieldProps = {
  label: string
  value: string
  onChange: (text: string) => void
  unit?: string
  hint?: ReactNode
  problem?: string | undefined
  question?: ReactNode
  name?: string
  wide?: boolean
  onBlur?: () => void
  placeholder?: string
}

/** A large figure with its unit inside; the number keypad on phones. */
export function FigureField({
  label,
  value,
  onChange,
  unit,
  hint,
  problem,
  question,
  name,
  onBlur,
}: FieldProps) {
  const id = useId()
  return (
    <div className="min-w-0">
      <label htmlFor={id} className="block text-sm font-bold text-soft">
        {label}
      </label>
      <div
        className={`flex min-h-12 items-stretch border-2 bg-field ${problem ? 'border-fail' : 'border-line'}`}
      >
        <input
          id={id}
          name={name}
          value={value}
          onChange={(e) => onChange(e.target.value)}
          onBlur={onBlur}
          inputMode="decimal"
          autoComplete="off"
          aria-invalid={Boolean(problem)}
          aria-describedby={problem || hint || question ? `${id}-say` : undefined}
          className="figure w-full min-w-0 bg-transparent px-3 text-xl outline-offset-0"
        />
        {unit && (
          <span className="figure flex items-center border-l border-faint bg-plane px-2 text-soft">
            {unit}
          </span>
        )}
      </div>
      <Say id={`${id}-say`} problem={problem} question={question} hint={hint} />
    </div>
  )
}

export function TextField({
  label,
  value,
  onChange,
  hint,
  problem,
  name,
  onBlur,
  wide,
  placeholder,
}: FieldProps) {
  const id = useId()
  const shared = {
    id,
    name,
    value,
    onBlur,
    placeholder,
    'aria-invalid': Boolean(problem),
    'aria-describedby': problem || hint ? `${id}-say` : undefined,
    className: `w-full border-2 bg-field px-3 py-2 text-base ${problem ? 'border-fail' : 'border-line'}`,
  }
  return (
    <div className="min-w-0">
      <label htmlFor={id} className="block text-sm font-bold text-soft">
        {label}
      </label>
      {wide ? (
        <textarea {...shared} rows={3} onChange={(e) => onChange(e.target.value)} />
      ) : (
        <input
          {...shared}
          autoComplete="off"
          onChange={(e) => onChange(e.target.value)}
          style={{ minHeight: 48 }}
        />
      )}
      <Say id={`${id}-say`} problem={problem} hint={hint} />
    </div>
  )
}

function Say({
  id,
  problem,
  question,
  hint,
}: {
  id: string
  problem?: string | undefined
  question?: ReactNode
  hint?: ReactNode
}) {
  if (!problem && !question && !hint) return null
  return (
    <div id={id} className="pt-1 text-sm">
      {problem && (
        <p role="alert" className="font-bold text-fail">
          ✕ {problem}
        </p>
      )}
      {question}
      {!problem && !question && hint && <p className="text-soft">{hint}</p>}
    </div>
  )
}

export function Tick({
  checked,
  onChange,
  children,
}: {
  checked: boolean
  onChange: (on: boolean) => void
  children: ReactNode
}) {
  return (
    <label className="flex min-h-11 cursor-pointer items-center gap-3">
      <input
        type="checkbox"
        checked={checked}
        onChange={(e) => onChange(e.target.checked)}
        className="size-6 shrink-0 accent-[var(--dead)]"
      />
      <span>{children}</span>
    </label>
  )
}
