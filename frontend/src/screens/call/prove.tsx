import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { type Call, problemOf, type Schemas } from '../../api/client'
import { useAddChange, useReference } from '../../api/queries'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { TextField } from '../../parts/field'
import { Form } from '../../parts/figures'
import { Pick } from '../../parts/pick'
import { ProblemNote } from '../../parts/problem'
import { VerdictMark, Why } from '../../parts/verdict'
import { clock, figure, signed } from '../../quantities/format'
import { measure } from '../../quantities/measures'
import { CapturesCompared } from './captures-compared'
import { valueWord } from './live-tests'
import { SlowStart } from './slow-start'
import { ProveWork } from './work/prove-work'

/** What is usually changed, and which part is then new. */
const USUAL = [
  { what: t`Three-wire start kit fitted`, part: 'start_kit' },
  { what: t`Two-wire start kit fitted`, part: 'start_kit' },
  { what: t`Soft starter fitted`, part: 'soft_starter' },
  { what: t`Run capacitor replaced`, part: 'run_capacitor' },
  { what: t`Contactor replaced`, part: 'contactor' },
  { what: t`Connection remade`, part: 'wiring' },
] as const

export function Prove({ call }: { call: Call }) {
  const navigate = useNavigate()
  const pair = call.ladder.before_after
  const rung = call.ladder.rungs.find((r) => r.key === 'prove')
  return (
    <div className="grid max-w-4xl gap-5">
      {pair ? (
        <Result call={call} />
      ) : (
        <div>
          <p className="text-lg">{rung?.next_step}</p>
          <p className="pt-1 text-soft">{t`Same clamp position, same meter mode, same off time. Otherwise the change means nothing.`}</p>
          {rung?.next_is_live && call.allowed.take_live?.ok && (
            <Button
              kind="primary"
              className="mt-2"
              onClick={() => navigate(`/calls/${call.id}/live_tests`)}
            >{t`Measure a start`}</Button>
          )}
        </div>
      )}
      <ProveWork call={call} />
      <CapturesCompared call={call} />
      {call.plate && <SlowStart call={call} />}
      <Changes call={call} />
    </div>
  )
}

function Result({ call }: { call: Call }) {
  const pair = call.ladder.before_after
  if (!pair) return null
  const { result } = pair
  const word = { yes: t`Comparable`, weak: t`Weak comparison`, no: t`Not comparable` }[result.comparable]
  const verdict = ({ yes: 'pass', weak: 'watch', no: 'fail' } as const)[result.comparable]
  const change = result.change_pct
  return (
    <section aria-label={t`Before and after`}>
      <p className="text-xl font-bold">{result.sentence}</p>
      <div className="grid grid-cols-2 border-2 border-ink sm:grid-cols-[1fr_1fr_auto]">
        <SideCard call={call} id={pair.before_id} word={t`Before`} />
        <SideCard call={call} id={pair.after_id} word={t`After`} />
        <div className="col-span-2 border-t-2 border-ink p-3 sm:col-span-1 sm:border-t-0 sm:border-l-2">
          <p className="figure text-3xl">
            {change === null || change === undefined ? t`no %` : `${signed(change)} %`}
          </p>
          <VerdictMark verdict={verdict} word={word} />
        </div>
      </div>
      {result.reasons.length > 0 && (
        <ul className="list-disc py-2 pl-5">
          {result.reasons.map((r) => (
            <li key={r}>{r}</li>
          ))}
        </ul>
      )}
      <Why
        findings={result.findings}
        summary={
          <span>
            {result.credit ? (
              <>
                {t`Credit:`} <b>{result.credit}</b>
              </>
            ) : (
              <b>{t`No sole credit`}</b>
            )}{' '}
            {pair.changes.length === 1
              ? t`· 1 change in between`
              : t`· ${pair.changes.length} changes in between`}
          </span>
        }
      />
    </section>
  )
}

function SideCard({ call, id, word }: { call: Call; id: number; word: string }) {
  const reading = call.readings.find((r) => r.id === id)
  const judged = call.ladder.readings.find((j) => j.reading_id === id)
  if (!reading) return null
  const e = reading.entry
  return (
    <div className="border-line p-3 first:border-r">
      <p className="text-sm font-bold text-soft">
        {word} · {clock(reading.taken_at)}
      </p>
      <p className="figure text-3xl">
        {valueWord(e.value)} <span className="text-lg">A</span>
      </p>
      {judged && <VerdictMark verdict={judged.verdict} word={judged.summary} />}
      <p className="pt-1 text-sm text-soft">
        {e.mode ? e.mode.replace('_', ' ') : t`mode not noted`}
        {e.conductor ? t` on ${e.conductor}` : ''} · {e.volts ? `${figure(e.volts)} V` : t`no volts`} ·{' '}
        {e.outcome ?? t`outcome not noted`}
        {e.seconds ? t` in ${figure(e.seconds)} s` : ''}
        {e.rest_min ? t` · rest ${figure(e.rest_min)} min` : ''}
        {e.outdoor_f ? ` · ${measure(e.outdoor_f, '°F')}` : ''}
      </p>
    </div>
  )
}

function Changes({ call }: { call: Call }) {
  const add = useAddChange(call.id)
  const reference = useReference()
  const [what, setWhat] = useState('')
  const [part, setPart] = useState('')
  const usual = USUAL.find((u) => u.what === what)
  const submit = () =>
    add.mutate(
      { what: what.trim(), part: (part || usual?.part || null) as Schemas['NewChange']['part'] },
      {
        onSuccess: () => {
          setWhat('')
          setPart('')
        },
      },
    )
  return (
    <section aria-label={t`Changes`}>
      <h3 className="border-b-2 border-ink font-bold">{t`What was changed`}</h3>
      {call.changes.length === 0 && (
        <p className="py-2 text-soft">{t`Nothing entered yet. Change one thing at a time.`}</p>
      )}
      <ol>
        {call.changes.map((c) => (
          <li key={c.id} className="flex flex-wrap gap-x-3 border-b border-faint py-2">
            <span className="figure text-sm text-soft">{clock(c.made_at)}</span>
            <span className="font-bold break-words">{c.what}</span>
            <span className="text-sm text-soft">{c.person}</span>
          </li>
        ))}
      </ol>
      <Form label={t`Enter a change`} onSubmit={submit} className="grid gap-3 pt-3">
        <Choice
          label={t`Usual changes`}
          value={usual ? what : ''}
          onChange={(chosen) => {
            setWhat(chosen)
            setPart('')
          }}
          options={USUAL.map((u) => ({ value: u.what, label: u.what }))}
        />
        <TextField label={t`Or describe it`} value={what} onChange={setWhat} />
        {what && !usual && (
          <Pick
            label={t`Which part was replaced or repaired`}
            value={part}
            onChange={setPart}
            options={[{ value: '', label: t`choose` }, ...(reference.data?.change_parts ?? [])]}
          />
        )}
        <ProblemNote problem={problemOf(add.error)} />
        <div>
          <Button
            kind="primary"
            type="submit"
            busy={add.isPending}
            disabled={!what.trim() || (!usual && !part)}
          >{t`Save`}</Button>
        </div>
      </Form>
    </section>
  )
}
