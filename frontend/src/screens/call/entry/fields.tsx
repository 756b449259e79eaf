import { t } from '@lingui/core/macro'
import { type ReactNode, useEffect, useRef, useState } from 'react'
import type { Call, NewReading, Schemas } from '../../../api/client'
import { useReference } from '../../../api/queries'
import { besideOf } from '../../../meter/meter-bar'
import { TakeLive } from '../../../meter/take-live'
import { Button } from '../../../parts/button'
import { Choice } from '../../../parts/choice'
import { draftPlace, dropDraft, keepDraft, storedDraft } from '../../../parts/draft'
import { FigureField } from '../../../parts/field'
import { VerdictMark, Why } from '../../../parts/verdict'
import { parseFigure } from '../../../quantities/figure'
import { day, figure } from '../../../quantities/format'
import { inUnit as inUnitOf, measure, shownIn, typed } from '../../../quantities/measures'
import type { Entry, Kept } from './kept'

/** How an open circuit is typed. */
export const OPEN = /^(open|ol|o\.l\.?)$/i

export function expectedOf(call: Call, quantity: string) {
  return call.expected_readings?.find((e) => e.quantity === quantity)
}

/** What the field is compared with, and what it read on the last visit. */
export function expectedWords(call: Call, quantity: string): string | undefined {
  const known = expectedOf(call, quantity)
  const last =
    known?.last !== null && known?.last !== undefined
      ? t`last ${figure(shownIn(known.last, quantity.endsWith('_f') ? '°F' : ''))}${known.last_at ? `, ${day(known.last_at)}` : ''}`
      : null
  return [known?.limit, last].filter(Boolean).join(' · ') || undefined
}

/** The newest reading of the part that is there now; empty fields show it in another tone. */
export function onRecord(call: Call, quantity: string, spot = ''): Schemas['ReadingOut'] | undefined {
  const ofOldParts = new Set(call.ladder.readings.filter((j) => j.old_part).map((j) => j.reading_id))
  return call.readings.findLast(
    (r) =>
      r.entry.quantity === quantity &&
      (r.entry.spot ?? '') === spot &&
      r.superseded_by_id === null &&
      !ofOldParts.has(r.id),
  )
}

/** A figure on record as its field shows it. */
export function recordWord(value: NewReading['value'] | undefined | null, unit: string): string | undefined {
  if (value === undefined || value === null || value === true || value === false) return undefined
  return typeof value === 'number' ? typed(value, unit) : value
}

/** Whether a value would surprise: the core's own range for it, asked about rather than refused. */
export function surprising(call: Call, quantity: string, value: unknown): boolean {
  const known = expectedOf(call, quantity)
  if (!known || known.usual_low === null || known.usual_high === null || typeof value !== 'number')
    return false
  return value < known.usual_low || value > known.usual_high
}

/** What the server says of a reading that was just kept, beside its field, with its reasons. */
export function JudgedLine({ call, taken }: { call: Call; taken: Schemas['ReadingOut'] | undefined }) {
  const judged = call.ladder.readings.find((j) => j.reading_id === taken?.id)
  if (!taken || !judged) return null
  return (
    <div role="status" className="min-w-0 [&_span]:whitespace-normal">
      <Why
        findings={judged.findings}
        summary={<VerdictMark verdict={judged.verdict} word={judged.summary} />}
      />
    </div>
  )
}

function typedValue(text: string, unit: string, words: boolean): number | 'open' | null {
  if (words && OPEN.test(text.trim())) return 'open'
  return parseFigure(text, unit)
}

/** A figure that is kept when its field is left; said otherwise within the visit it is corrected. */
export function KeptFigure({
  call,
  kept,
  quantity,
  label,
  unit,
  beside,
  spot,
  openToo = false,
  onFocus,
  onText,
  extra,
  blocked,
  quiet = false,
}: {
  call: Call
  kept: Kept
  quantity: NewReading['quantity']
  label?: string
  unit?: string
  /** What is kept with it. */
  beside?: Partial<NewReading>
  spot?: string
  openToo?: boolean
  onFocus?: () => void
  /** Told of every letter, where something beside is computed meanwhile. */
  onText?: (text: string) => void
  extra?: ReactNode
  /** Why it may not be taken now. */
  blocked?: string | null
  /** Judged elsewhere, together with others. */
  quiet?: boolean
}) {
  const reference = useReference()
  const note = reference.data?.quantities.find((q) => q.quantity === quantity)
  const place = draftPlace(`kept.${call.id}.${quantity}.${spot ?? ''}`)
  const [text, setText] = useState(() => storedDraft<{ text: string }>(place)?.text ?? '')
  const [state, setState] = useState<'' | 'open' | 'held' | 'asked' | 'kept'>(text ? 'held' : '')
  const inUnit = unit ?? note?.unit ?? ''
  // A dual can says 45/5: the first is the side that is measured here.
  const said = quantity === 'can_label_uf' ? text.replace(/\s*[/+]\s*[\d.,]+\s*/, ' ').trim() : text
  const value = typedValue(said, inUnit, openToo)
  const change = (next: string) => {
    setText(next)
    setState('open')
    if (next.trim()) keepDraft(place, { text: next })
    else dropDraft(place)
    onText?.(next)
  }
  const put = async (sure = false, given = value, taken: Partial<NewReading> = {}) => {
    if (given === null) return
    if (blocked) return setState('held')
    // Saved first; the doubt is asked beside it.
    const doubt = !sure && surprising(call, quantity, given)
    const entry: Entry = { quantity, value: given, ...beside, ...taken, ...(spot ? { spot } : {}) }
    if (await kept.keep([entry])) {
      dropDraft(place)
      setState(doubt ? 'asked' : 'kept')
    } else setState('open')
  }
  const beside_ = JSON.stringify(beside ?? {})
  const was = useRef(beside_)
  const before = text === '' && state === '' ? onRecord(call, quantity, spot) : undefined
  const box = useRef<HTMLDivElement>(null)
  // What is kept with it was said later, such as the leads: what is on record follows.
  // biome-ignore lint/correctness/useExhaustiveDependencies: only what is beside it counts here
  useEffect(() => {
    if (was.current === beside_) return
    was.current = beside_
    if (state === 'kept') put(true)
  }, [beside_])
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: focus only steers the drawing; Enter stays for a question
    <div
      ref={box}
      className="min-w-0"
      onFocus={onFocus}
      onKeyDown={(event) => {
        if (event.key !== 'Enter' || state === 'asked' || !(event.target instanceof HTMLInputElement)) return
        if (!blocked && surprising(call, quantity, value)) {
          event.preventDefault()
          put().then(() =>
            window.setTimeout(() => box.current?.querySelector<HTMLElement>('[role=alert] button')?.focus()),
          )
        }
      }}
    >
      <FigureField
        label={label ?? note?.label ?? quantity}
        unit={inUnit}
        value={text}
        onChange={change}
        {...(openToo ? { words: OPEN } : {})}
        onBlur={() => {
          if (said !== text) setText(said)
          if (state !== 'kept' && state !== 'asked') put()
        }}
        hint={expectedWords(call, quantity)}
        onRecord={recordWord(before?.entry.value, inUnit)}
        question={
          state === 'asked' && typeof value === 'number' ? (
            <Surprise
              call={call}
              quantity={quantity}
              value={value}
              text={text}
              unit={inUnit}
              saved
              onSure={(sure) => {
                setText(typed(sure, inUnit))
                if (sure === value) setState('kept')
                else put(true, sure)
              }}
            />
          ) : undefined
        }
      />
      {!blocked && (
        <TakeLive
          quantity={quantity}
          onTake={(taken, live) => {
            setText(typed(taken, inUnit))
            onText?.(typed(taken, inUnit))
            put(true, taken, live.fill ? besideOf(live.fill) : {})
          }}
        />
      )}
      {openToo && (
        <Button
          className="mt-1 w-full px-1 text-sm"
          onClick={() => {
            setText('open')
            onText?.('open')
            put(true, 'open')
          }}
        >{t`Open`}</Button>
      )}
      {extra}
      {blocked && text.trim() !== '' && state === 'held' && (
        <p className="border-l-[7px] border-dead bg-field p-2 text-sm font-bold">{t`Not saved. ${blocked}`}</p>
      )}
      {!blocked && value !== null && (state === 'held' || (state === 'open' && kept.problem)) && (
        <p role="alert" className="pt-1 text-sm font-bold text-watch">
          {t`△ Not saved yet.`}{' '}
          <button type="button" className="min-h-11 underline" onClick={() => put()}>{t`Save it`}</button>
        </p>
      )}
      {!quiet && (
        <JudgedLine
          call={call}
          taken={state === 'kept' || state === 'asked' ? kept.mine({ quantity, spot }) : before}
        />
      )}
    </div>
  )
}

/** Something that is possible and surprising is asked about, with what was perhaps meant. */
export function Surprise({
  call,
  quantity,
  value,
  text,
  unit,
  saved = false,
  onSure,
}: {
  call: Call
  quantity: string
  value: number
  text: string
  unit: string
  /** Kept already; only the doubt is open. */
  saved?: boolean
  onSure: (value: number) => void
}) {
  const known = expectedOf(call, quantity)
  const low = known?.usual_low ?? 0
  const high = known?.usual_high ?? 0
  // What was perhaps meant: a decimal point slipped.
  const maybe = [0.1, 10, 0.01]
    .map((shift) =>
      Number(
        inUnitOf(unit)
          .kept(inUnitOf(unit).of(value) * shift)
          .toPrecision(10),
      ),
    )
    .find((meant) => meant >= low && meant <= high)
  return (
    <div role="alert" className="border-l-4 border-watch bg-field p-2">
      <p className="text-lg font-bold">
        {saved && t`✓ Saved. `}
        {maybe !== undefined
          ? `${measure(maybe, unit)}?`
          : t`${measure(value, unit)}? Usual here is ${figure(shownIn(low, unit), 3)} to ${measure(high, unit, 3)}.`}
      </p>
      <div className="flex flex-wrap gap-2 pt-1">
        {maybe !== undefined && (
          <Button
            kind="primary"
            onClick={() => onSure(maybe)}
          >{t`Yes, ${figure(shownIn(maybe, unit))}`}</Button>
        )}
        <Button onClick={() => onSure(value)}>{t`It is ${text.trim()}`}</Button>
      </div>
    </div>
  )
}

/** A choice kept as it is tapped. */
export function KeptChoice({
  call,
  kept,
  quantity,
  label,
  options,
  spot,
}: {
  call: Call
  kept: Kept
  quantity: NewReading['quantity']
  label: string
  options: { value: string; label: string }[]
  spot?: string
}) {
  const place = draftPlace(`kept.${call.id}.${quantity}.${spot ?? ''}`)
  const [value, setValue] = useState(() => storedDraft<{ text: string }>(place)?.text ?? '')
  const [state, setState] = useState<'' | 'sent' | 'refused' | 'kept'>(value ? 'refused' : '')
  const yesNo = options.every((o) => o.value === 'yes' || o.value === 'no')
  const put = async (said: string) => {
    setValue(said)
    setState('sent')
    keepDraft(place, { text: said })
    const entry: Entry = { quantity, value: yesNo ? said === 'yes' : said, ...(spot ? { spot } : {}) }
    if (await kept.keep([entry])) {
      dropDraft(place)
      setState('kept')
    } else setState('refused')
  }
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: only a tap on what is chosen already is caught here
    // biome-ignore lint/a11y/useKeyWithClickEvents: keys reach the choice itself and the button below
    <div
      className="min-w-0"
      onClick={(event) => {
        const tapped = (event.target as HTMLElement).closest('[role=radio]')
        if (state === 'refused' && tapped?.getAttribute('aria-checked') === 'true') put(value)
      }}
    >
      <Choice label={label} value={value} options={options} onChange={put} />
      {state === 'refused' && (
        <p role="alert" className="pt-1 text-sm font-bold text-watch">
          {t`△ Not saved yet.`}{' '}
          <button
            type="button"
            className="min-h-11 underline"
            onClick={() => put(value)}
          >{t`Save it`}</button>
        </p>
      )}
      {state === 'kept' && <JudgedLine call={call} taken={kept.mine({ quantity, spot })} />}
      {state === '' && <JudgedLine call={call} taken={onRecord(call, quantity, spot)} />}
    </div>
  )
}
