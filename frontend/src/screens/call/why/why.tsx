import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { type Call, problemOf, type Schemas } from '../../../api/client'
import { useReference } from '../../../api/queries'
import { Button } from '../../../parts/button'
import { Choice } from '../../../parts/choice'
import { TextField } from '../../../parts/field'
import { Form } from '../../../parts/figures'
import { ProblemNote } from '../../../parts/problem'
import { Stops } from '../../../parts/stops'
import { PriceFirst } from '../hand-over/price'
import { Causes } from './causes'
import { Condemnation } from './condemnation'
import { DoNext } from './do-next'
import { type Evidence, useDecide, useTell, useWhy, type WhyRecord, withSeen } from './use-why'
import { WhatIf } from './what-if'

/** Why it starts hard: what is notified, ranked causes, the next best test, the guard. */
export function WhyRung({ call }: { call: Call }) {
  const why = useWhy(call.id)
  const tell = useTell(call.id)
  const decide = useDecide(call.id)
  const reference = useReference()
  const navigate = useNavigate()
  const open = call.status === 'open'
  if (why.isPending) return <p>{t`Checking the record…`}</p>
  if (!why.data)
    return (
      <div className="max-w-xl">
        <ProblemNote problem={problemOf(why.error)} onRetry={() => why.refetch()} />
        <Button className="mt-2" onClick={() => navigate(`/calls/${call.id}/plate`)}>{t`Open Plate`}</Button>
      </div>
    )
  const { record, result, entry, decisions } = why.data
  const put = (part: Partial<WhyRecord>) => tell.mutate({ ...record, ...part })
  const { stop } = result
  return (
    <div className="grid max-w-4xl gap-5">
      <Stops call={call} />
      <ProblemNote problem={problemOf(tell.error) ?? problemOf(decide.error)} />
      <Fails call={call} />
      <Told
        record={record}
        said={why.data.in_complaint}
        reference={reference.data}
        onChange={put}
        busy={tell.isPending}
        open={open}
        nextTest={result.next_tests[0]?.test}
      />
      {open && (
        <DoNext
          call={call}
          tests={result.next_tests}
          record={record}
          notes={reference.data?.seen_here ?? []}
          decided={result.decided}
          stopped={Boolean(stop)}
          onSeen={(next) => tell.mutate(next)}
          busy={tell.isPending}
          skipped={result.skipped}
        />
      )}
      <Causes
        call={call}
        ranked={result.ranked}
        sure={result.sure}
        pairs={result.pairs}
        taken={decisions.filter((d) => d.kind === 'cause').at(-1)}
        onTake={
          open
            ? (hypothesis) =>
                decide.mutate({
                  kind: 'cause',
                  decision: { kind: 'cause', hypothesis, note: '', put_right: [] },
                } as Schemas['NewDecision'])
            : undefined
        }
      />
      {why.data.allowed.answer_price?.ok && (
        <PriceFirst call={call} answered={decisions.filter((d) => d.kind === 'go_ahead').at(-1)} />
      )}
      {call.overload_unexplained && (
        <Overload
          busy={decide.isPending}
          onAnswer={
            why.data.allowed.answer_overload?.ok
              ? (note) =>
                  decide.mutate({
                    kind: 'overload_cause',
                    decision: { kind: 'overload_cause', note, put_right: [] },
                  } as Schemas['NewDecision'])
              : undefined
          }
        />
      )}
      {result.contradictions.length > 0 && (
        <section aria-label={t`Contradictions`} className="border-l-[7px] border-watch bg-field p-3">
          <h3 className="font-bold">{t`Readings that disagree`}</h3>
          <ul>
            {result.contradictions.map((c) => (
              <li key={c.text} className="py-1">
                △ {c.text} <b>→ {c.next_step}</b>
              </li>
            ))}
          </ul>
        </section>
      )}
      <WhatIf entry={entry} ranked={result.ranked} />
      <section aria-label={t`For the customer`} className="border-2 border-line bg-field p-3">
        <h3 className="text-sm font-bold text-soft">{t`For the customer`}</h3>
        <p className="text-lg">{result.plain}</p>
      </section>
      <Condemnation
        call={call}
        why={why.data}
        onDecide={open ? (d) => decide.mutate(d) : undefined}
        busy={decide.isPending}
      />
      {result.not_judged.length > 0 && (
        <ul className="list-disc pl-5 text-sm text-soft">
          {result.not_judged.map((cause) => (
            <li key={cause}>{cause}</li>
          ))}
        </ul>
      )}
      <p className="text-sm text-soft">{t`Percentages come from the cause table and computed starts for this nameplate. A qualified person decides.`}</p>
    </div>
  )
}

/** Fails of this call that are not put right: evidence here, left undone at the end. */
function Fails({ call }: { call: Call }) {
  if (call.fails.length === 0) return null
  return (
    <section aria-label={t`Fails`} className="border-l-[7px] border-fail bg-field p-3">
      <h3 className="font-bold">{t`Not put right yet`}</h3>
      <ul>
        {call.fails.map((f) => (
          <li key={f.key} className="py-1">
            <Link className="underline underline-offset-4" to={`/calls/${call.id}/${f.rung}`}>
              ✕ {f.title}
            </Link>
            : {f.text} {f.next_step && <b>→ {f.next_step}</b>}
          </li>
        ))}
      </ul>
    </section>
  )
}

/** An overload that read open stays a question until a person says what heated it. */
function Overload({ busy, onAnswer }: { busy: boolean; onAnswer: ((note: string) => void) | undefined }) {
  const [note, setNote] = useState('')
  return (
    <section aria-label={t`The overload was open`} className="border-l-[7px] border-watch bg-field p-3">
      <h3 className="font-bold">{t`△ The overload was open on this call. What heated it?`}</h3>
      <p className="text-soft">{t`Selecting a cause also answers this: low voltage, weak capacitor, high head, tight compressor.`}</p>
      {onAnswer && (
        <Form
          label={t`What heated the overload`}
          className="flex flex-wrap items-end gap-3 pt-2"
          onSubmit={() => note.trim().length >= 3 && onAnswer(note.trim())}
        >
          <TextField label={t`In a few words`} value={note} onChange={setNote} />
          <Button type="submit" busy={busy} disabled={note.trim().length < 3}>{t`Save`}</Button>
        </Form>
      )}
    </section>
  )
}

/** A trip symptom shows "What tripped?": one tap splits the causes before any meter. */
const TRIPS = ['trips_at_once', 'starts_then_trips', 'trips_after_minutes']
const TRIPPED = [
  { value: 'breaker', label: t`The breaker` },
  { value: 'overload', label: t`Overload, resets itself` },
]

function seenWord(record: WhyRecord, quantity: string): string {
  const value = record.seen?.find((e) => e.quantity === quantity)?.value
  return typeof value === 'string' ? value : ''
}

function Told({
  record,
  said,
  reference,
  onChange,
  busy,
  open,
  nextTest,
}: {
  record: WhyRecord
  nextTest: string | undefined
  said: Schemas['WhyOut']['in_complaint']
  reference: Schemas['Reference'] | undefined
  onChange: (part: Partial<WhyRecord>) => void
  busy: boolean
  open: boolean
}) {
  const flip = <T extends string>(list: T[], value: T) =>
    list.includes(value) ? list.filter((v) => v !== value) : [...list, value]
  const symptoms = record.symptoms ?? []
  const hazards = record.hazards ?? []
  const words = new Map((reference?.symptoms ?? []).map((s) => [s.value as string, s.label]))
  const offered = symptoms.length === 0 ? said : []
  const askTripped = nextTest !== 'ask_what_tripped' && TRIPS.some((trip) => symptoms.includes(trip as never))
  return (
    <section aria-label={t`What is it doing?`} data-step="symptoms" className="scroll-mt-14">
      <h3 className="border-b-2 border-ink font-bold">{t`What is it doing?`}</h3>
      {offered.length > 0 && (
        <Button
          className="mt-2"
          disabled={!open || busy}
          onClick={() => onChange({ symptoms: [...symptoms, ...offered] })}
        >{t`✓ As in the complaint: ${offered.map((s) => words.get(s) ?? s).join('; ')}`}</Button>
      )}
      <div className="flex flex-wrap gap-1 pt-2">
        {(reference?.symptoms ?? []).map((s) => (
          <Toggle
            key={s.value}
            on={symptoms.includes(s.value as never)}
            disabled={!open || busy}
            onClick={() => onChange({ symptoms: flip(symptoms, s.value as never) })}
          >
            {s.label}
          </Toggle>
        ))}
        <Toggle
          on={record.supply_restored ?? false}
          disabled={!open || busy}
          onClick={() => onChange({ supply_restored: !record.supply_restored })}
        >{t`Power was out just before`}</Toggle>
      </div>
      {open && askTripped && (
        <Choice
          label={t`What tripped?`}
          options={TRIPPED}
          value={seenWord(record, 'what_tripped')}
          onChange={(word) =>
            onChange(withSeen(record, [{ quantity: 'what_tripped', value: word } as Evidence]))
          }
        />
      )}
      <details className="pt-2">
        <summary className="min-h-11 cursor-pointer py-2 underline underline-offset-4">
          {t`Something here is not safe`}{' '}
          {hazards.length > 0 && <b className="text-fail">({hazards.length})</b>}
        </summary>
        <div className="flex flex-wrap gap-1">
          {(reference?.hazards ?? []).map((h) => (
            <Toggle
              key={h.value}
              on={hazards.includes(h.value as never)}
              disabled={!open || busy || hazards.includes(h.value as never)}
              onClick={() => onChange({ hazards: flip(hazards, h.value as never) })}
            >
              {h.label}
            </Toggle>
          ))}
        </div>
        {hazards.length > 0 && (
          <p className="pt-1 text-sm text-soft">{t`Clear it at the stop above once it is fixed.`}</p>
        )}
      </details>
    </section>
  )
}

function Toggle({
  on,
  disabled,
  onClick,
  children,
}: {
  on: boolean
  disabled: boolean
  onClick: () => void
  children: React.ReactNode
}) {
  return (
    <button
      type="button"
      aria-pressed={on}
      disabled={disabled}
      onClick={onClick}
      className="min-h-11 border-2 border-line bg-field px-3 py-1 text-left leading-tight aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:font-bold aria-pressed:text-ground"
    >
      {children}
    </button>
  )
}
