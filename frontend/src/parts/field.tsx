import { t } from '@lingui/core/macro'
import {
  createContext,
  type KeyboardEvent,
  type ReactNode,
  useContext,
  useEffect,
  useId,
  useState,
} from 'react'
import { readFigure } from '../quantities/figure'
import { unitWord } from '../quantities/measures'
import { afterPointer } from './pointer'

/** Where figure fields say that what is typed is no figure; see figures.tsx. */
export const FigureContext = createContext<
  (id: string, wrong: { label: string; why: string } | null) => void
>(() => undefined)

/** Whether the form around was sent while a figure could not be read: then every field says so. */
export const TriedContext = createContext(false)

const ANSWERED =
  'input:not([type=hidden]):not([type=radio]):not([aria-hidden=true]), textarea, select, [role=radiogroup]:not([data-disabled])'

/**
 * Enter goes to the next thing to answer, ticks and choices included: of the form, or of the whole rung where its
 * forms are one run. From the last one it submits; where nothing is submitted it leaves the field.
 */
export function enterToNext(event: KeyboardEvent<HTMLElement>) {
  if (event.key !== 'Enter' || event.defaultPrevented || !(event.target instanceof HTMLElement)) return
  const at = event.target.closest<HTMLElement>('[role=radiogroup], input, select')
  if (!at || event.target.closest('button:not([role=radio])')) return
  const form = at.closest('form')
  const run = at.closest('[data-run]') ?? form
  if (!run) return
  const things = [...run.querySelectorAll<HTMLElement>(ANSWERED)].filter(
    (thing) => !thing.matches(':disabled') && !thing.closest('[hidden], details:not([open]) > :not(summary)'),
  )
  const next = things[things.indexOf(at) + 1]
  if (next) {
    event.preventDefault()
    next.focus()
    if (next instanceof HTMLInputElement && next.type !== 'checkbox') next.select()
  } else if (form?.querySelector('[type=submit]')) {
    if (at.matches('[role=radiogroup], select, [type=checkbox]')) form.requestSubmit()
  } else {
    event.preventDefault()
    at.blur()
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
  words,
  many = false,
  whole = false,
  onRecord,
}: FieldProps & {
  /** The reading on record; an empty field shows it in another tone. */
  onRecord?: string | undefined
  /** A count: nothing between whole numbers. */
  whole?: boolean
  /** Words that may stand for a figure, such as an open circuit. */
  words?: RegExp
  /** Several figures, with spaces between them. */
  many?: boolean
}) {
  const id = useId()
  const [left, setLeft] = useState(false)
  const tried = useContext(TriedContext)
  const typed = words?.test(value.trim())
    ? []
    : (many ? value.split(/[\s;]+/) : [value]).map((one) => readFigure(one, unit))
  const wrong = typed.find((one) => one.kind === 'wrong')
  const parted = whole && typed.some((one) => one.kind === 'figure' && !Number.isInteger(one.value))
  const why = wrong?.kind === 'wrong' ? wrong.why : parted ? t`A whole number here, like 2.` : null
  useReported(id, label, why)
  // Said once the field is left: a figure half typed is not scolded.
  const shown = why !== null && (left || tried) && !question ? why : problem
  return (
    <div className="min-w-0">
      <label htmlFor={id} className="block text-sm font-bold text-soft">
        {label}
      </label>
      <div
        className={`flex min-h-12 items-stretch border-2 bg-field ${shown ? 'border-fail' : 'border-line'}`}
      >
        <input
          id={id}
          name={name}
          value={value}
          onChange={(e) => onChange(e.target.value)}
          onFocus={() => setLeft(false)}
          onBlur={() => {
            afterPointer(() => setLeft(true))
            onBlur?.()
          }}
          inputMode="decimal"
          autoComplete="off"
          aria-invalid={Boolean(shown) || why !== null}
          aria-describedby={shown || hint || question ? `${id}-say` : undefined}
          placeholder={onRecord}
          className="figure w-full min-w-0 bg-transparent px-3 text-xl outline-offset-0 placeholder:text-soft placeholder:italic placeholder:opacity-100"
        />
        {unit && (
          <span className="figure flex items-center border-l border-faint bg-plane px-2 text-soft">
            {unitWord(unit)}
          </span>
        )}
      </div>
      <Say id={`${id}-say`} problem={shown} question={question} hint={hint} />
    </div>
  )
}

/** A figure in a cell of a table: read and reported like every other. */
export function FigureBox({
  label,
  value,
  onChange,
  unit,
}: {
  label: string
  value: string
  onChange: (text: string) => void
  unit?: string
}) {
  const id = useId()
  const typed = readFigure(value, unit)
  const why = typed.kind === 'wrong' ? typed.why : null
  useReported(id, label, why)
  return (
    <input
      aria-label={label}
      aria-invalid={why !== null}
      title={why ?? undefined}
      inputMode="decimal"
      autoComplete="off"
      value={value}
      onChange={(e) => onChange(e.target.value)}
      className={`figure min-h-11 w-full border-2 bg-field px-2 text-lg ${why ? 'border-fail' : 'border-line'}`}
    />
  )
}

/** Tell the form around it whether what is typed can be read. */
export function useReported(id: string, label: string, why: string | null) {
  const report = useContext(FigureContext)
  useEffect(() => {
    report(id, why === null ? null : { label, why })
  }, [report, id, label, why])
  useEffect(() => () => report(id, null), [report, id])
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
  disabled = false,
}: {
  checked: boolean
  onChange: (on: boolean) => void
  children: ReactNode
  disabled?: boolean
}) {
  return (
    <label className="flex min-h-11 cursor-pointer items-center gap-3">
      <input
        type="checkbox"
        checked={checked}
        disabled={disabled}
        onChange={(e) => onChange(e.target.checked)}
        className="size-6 shrink-0 accent-[var(--dead)]"
      />
      <span>{children}</span>
    </label>
  )
}
