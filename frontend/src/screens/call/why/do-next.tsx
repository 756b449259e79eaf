import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { type Call, problemOf, type Schemas } from '../../../api/client'
import { Button } from '../../../parts/button'
import { Choice } from '../../../parts/choice'
import { FigureField, TextField } from '../../../parts/field'
import { Form } from '../../../parts/figures'
import { ProblemNote } from '../../../parts/problem'
import { parseFigure } from '../../../quantities/figure'
import { type Evidence, useSkip, type WhyRecord, withSeen } from './use-why'

type Test = Schemas['NextTest']
type SeenNote = Schemas['SeenNote']

const RUNG_WORDS: Record<string, string> = { dead_tests: t`Power-off tests`, live_tests: t`Power-on tests` }
const DANGER: Record<string, { word: string; edge: string }> = {
  none: { word: t`from outside`, edge: '' },
  dead: { word: t`POWER OFF`, edge: 'edge-dead' },
  control_live: { word: t`CONTROL POWER ON`, edge: 'edge-live' },
  live: { word: t`POWER ON`, edge: 'edge-live' },
}

/** How much a test tells, in words. */
function tells(gain: number): string {
  return gain >= 0.5 ? t`very useful` : gain >= 0.15 ? t`some use` : t`little use`
}

/** The test worth most for its cost, as the one thing to do; the others stand below it. */
export function DoNext({
  call,
  tests,
  record,
  notes,
  decided,
  stopped,
  onSeen,
  busy,
  skipped,
}: {
  call: Call
  tests: Test[]
  record: WhyRecord
  notes: SeenNote[]
  decided: boolean
  stopped: boolean
  onSeen: (record: WhyRecord) => void
  busy: boolean
  skipped: Schemas['SkippedTest'][]
}) {
  const skip = useSkip(call.id)
  const [first, ...others] = tests
  const put = (test: string, on: boolean) => skip.mutate({ test, skipped: on })
  const again = (
    <>
      <ProblemNote problem={problemOf(skip.error)} />
      {skipped.length > 0 && (
        <ul aria-label={t`Skipped tests`} className="pt-2">
          {skipped.map((test) => (
            <li key={test.test} className="flex flex-wrap items-center gap-x-3">
              <span className="text-soft">{t`Skipped: ${test.title}`}</span>
              <Button
                kind="quiet"
                busy={skip.isPending}
                onClick={() => put(test.test, false)}
              >{t`Offer again`}</Button>
            </li>
          ))}
        </ul>
      )}
    </>
  )
  if (!first)
    return (
      <section aria-label={t`Do this next`} className="border-2 border-line bg-field p-3">
        <h3 className="font-bold">{t`Do this next`}</h3>
        <p>
          {stopped
            ? t`Nothing until the stop is fixed.`
            : skipped.length > 0
              ? t`Only skipped tests are left. Accept the likeliest cause, or take a skipped test up again.`
              : t`No remaining test would change the answer. Accept the cause or recheck an odd reading.`}
        </p>
        {again}
      </section>
    )
  return (
    <section aria-label={t`Do this next`}>
      <h3 className="border-b-2 border-ink font-bold">
        {decided ? t`Cause is clear. To double-check:` : t`Do this next`}
      </h3>
      <div className={`mt-2 border-2 border-ink bg-field p-3 ${DANGER[first.danger]?.edge ?? ''}`}>
        <p className="text-sm text-soft">
          <b
            className={
              first.danger === 'dead' ? 'text-dead' : first.danger === 'none' ? '' : 'text-orange-ink'
            }
          >
            {DANGER[first.danger]?.word}
          </b>{' '}
          {t`· about ${first.minutes} min · ${tells(first.gain)}`}
        </p>
        <p className="text-xl font-bold">{first.title}</p>
        <p className="pt-1">{first.why}</p>
        {first.first && <p className="pt-1 font-bold">→ {first.first}</p>}
        <TestEntry
          key={first.test}
          call={call}
          test={first}
          record={record}
          notes={notes}
          onSeen={onSeen}
          busy={busy}
          main
        />
        {first.may_skip && (
          <Button
            className="mt-2"
            busy={skip.isPending}
            onClick={() => put(first.test, true)}
          >{t`Can't tell, skip it`}</Button>
        )}
      </div>
      {again}
      {others.length > 0 && (
        <details className="pt-2">
          <summary className="min-h-11 cursor-pointer py-2 underline underline-offset-4">
            {others.length === 1 ? t`1 other test` : t`${others.length} other tests, most useful first`}
          </summary>
          <ul>
            {others.map((test) => (
              <li key={test.test} className="border-b border-faint py-2">
                <p>
                  <b>{test.title}</b>{' '}
                  <span className="text-sm text-soft">
                    {DANGER[test.danger]?.word} {t`· ${test.minutes} min · ${tells(test.gain)}`}
                  </span>
                </p>
                <p className="text-sm">{test.why}</p>
                <TestEntry
                  call={call}
                  test={test}
                  record={record}
                  notes={notes}
                  onSeen={onSeen}
                  busy={busy}
                />
              </li>
            ))}
          </ul>
        </details>
      )}
    </section>
  )
}

/** Entered here where the test is a look or a question; else the way to its rung. */
function TestEntry({
  call,
  test,
  record,
  notes,
  onSeen,
  busy,
  main = false,
}: {
  call: Call
  test: Test
  record: WhyRecord
  notes: SeenNote[]
  onSeen: (record: WhyRecord) => void
  busy: boolean
  main?: boolean
}) {
  const navigate = useNavigate()
  const here = test.asks.flatMap((q) => notes.find((n) => n.quantity === q) ?? [])
  const [typed, setTyped] = useState<Record<string, string>>({})
  const whole = here.length === test.asks.length
  const [one] = here
  const oneTap =
    here.length === 1 && (one?.kind === 'flag' || (one?.kind === 'word' && (one.words ?? []).length > 0))
  const read = (n: SeenNote, of = typed): Evidence | null => {
    const text = of[n.quantity]
    if (!text?.trim()) return null
    const value =
      n.kind === 'flag' ? text === 'yes' : n.kind === 'word' ? text.trim() : parseFigure(text, n.unit)
    if (value === null) return null
    return { quantity: n.quantity, value, where: n.where ?? null } as Evidence
  }
  const given = here.flatMap((n) => read(n) ?? [])
  return (
    <div className="pt-2">
      {here.length > 0 && (
        <Form
          label={test.title}
          className="flex flex-wrap items-end gap-3"
          onSubmit={() => {
            if (given.length > 0) onSeen(withSeen(record, given))
          }}
        >
          {here.map((n) => (
            <SeenField
              key={n.quantity}
              note={n}
              value={typed[n.quantity] ?? ''}
              onChange={(text) => {
                const next = { ...typed, [n.quantity]: text }
                setTyped(next)
                // One answer to pick: the tap is the answer.
                const only = oneTap ? read(n, next) : null
                if (only) onSeen(withSeen(record, [only]))
              }}
            />
          ))}
          {!oneTap && (
            <Button
              kind={main && whole ? 'primary' : 'plain'}
              type="submit"
              busy={busy}
              disabled={given.length === 0}
            >{t`Save`}</Button>
          )}
        </Form>
      )}
      {!whole && RUNG_WORDS[test.rung] && (
        <Button
          kind={main ? 'primary' : 'plain'}
          className={here.length > 0 ? 'mt-2' : ''}
          onClick={() => navigate(`/calls/${call.id}/${test.rung}`)}
        >
          {t`Open`} {RUNG_WORDS[test.rung]}
        </Button>
      )}
    </div>
  )
}

function SeenField({
  note,
  value,
  onChange,
}: {
  note: SeenNote
  value: string
  onChange: (text: string) => void
}) {
  if (note.kind === 'flag')
    return (
      <Choice
        label={note.label}
        value={value}
        onChange={onChange}
        options={[
          { value: 'yes', label: t`Yes` },
          { value: 'no', label: t`No` },
        ]}
      />
    )
  if (note.kind === 'word' && note.words.length > 0)
    return (
      <Choice
        label={note.label}
        value={value}
        onChange={onChange}
        options={note.words.map((w) => ({ value: w, label: w }))}
      />
    )
  if (note.kind === 'word') return <TextField label={note.label} value={value} onChange={onChange} />
  return (
    <div className="w-44">
      <FigureField label={note.label} unit={note.unit} value={value} onChange={onChange} />
    </div>
  )
}
