import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { Link } from 'react-router'
import { type Call, problemOf, type Schemas } from '../../../api/client'
import { Button } from '../../../parts/button'
import { Choice } from '../../../parts/choice'
import { FigureField, TextField, Tick } from '../../../parts/field'
import { Form } from '../../../parts/figures'
import { ProblemNote } from '../../../parts/problem'
import { WhileOpen } from '../../../parts/read-only'
import { VerdictMark } from '../../../parts/verdict'
import { parseFigure } from '../../../quantities/figure'
import { clock } from '../../../quantities/format'
import { useBackupProof, useKeep, useWork } from './use-work'

const USUAL = [t`Starts as it should`, t`Amps as before`, t`Reads in tolerance`]
const WORDS = {
  aid: t`Start aid`,
  contactor: t`Contactor`,
  capacitor: t`Run capacitor`,
  other: t`Other work`,
}

/** What the plans ask to be measured, and whether the work stays. */
export function ProveWork({ call }: { call: Call }) {
  const work = useWork(call.id)
  const w = work.data
  if (!w || (w.plans.length === 0 && w.fitted.length === 0)) return null
  const kinds = [...new Set(w.fitted.map((f) => f.fitting.work))]
  return (
    <>
      <section aria-label={t`Readings that prove it`}>
        <h3 className="border-b-2 border-ink font-bold">{t`Readings that prove it`}</h3>
        {w.one_change && <p className="border-l-[7px] border-watch bg-field p-3">△ {w.one_change}</p>}
        {w.plans.map((p) => (
          <div key={p.plan.work} className="pt-2">
            <p className="font-bold">{p.plan.title}</p>
            <ul>
              {p.proofs.map((r) => (
                <li key={r.key} className="flex flex-wrap items-baseline gap-x-3 border-b border-faint py-1">
                  <VerdictMark verdict={r.done ? 'pass' : 'unknown'} word={r.done ? t`Done` : t`Needed`} />
                  <b>{r.text}</b>
                  <span className="text-soft">{r.how}</span>
                  {!r.done && r.open_rung === 'live_tests' && (
                    <Link className="underline" to={`/calls/${call.id}/live_tests`}>{t`Measure`}</Link>
                  )}
                </li>
              ))}
            </ul>
            {p.plan.for_backup && <OnBackup call={call} plan={p.plan} />}
          </div>
        ))}
      </section>
      {kinds.map((kind) => (
        <KeepOrNot key={kind} call={call} kind={kind} work={w} />
      ))}
    </>
  )
}

function KeepOrNot({
  call,
  kind,
  work,
}: {
  call: Call
  kind: Schemas['Kept']['work']
  work: Schemas['WorkOut']
}) {
  const keep = useKeep(call.id)
  const [decision, setDecision] = useState('')
  const [reason, setReason] = useState('')
  const [back, setBack] = useState(true)
  const fitted = work.fitted.filter((f) => f.fitting.work === kind).at(-1)
  const said = work.kept.filter((k) => k.kept.work === kind).at(-1)
  return (
    <section aria-label={t`Keep or take off: ${WORDS[kind]}`} className="grid gap-3">
      <h3 className="border-b-2 border-ink font-bold">{t`Keep it or remove it?`}</h3>
      <p>
        {fitted?.fitting.what}
        {said && (
          <span className="block font-bold">
            {said.kept.decision === 'keep' ? t`Kept` : t`Removed`}: “{said.kept.reason}” {said.person},{' '}
            {clock(said.decided_at)}
          </span>
        )}
      </p>
      <WhileOpen>
        <Choice
          label={t`Decision`}
          hideLabel
          value={decision}
          onChange={setDecision}
          options={[
            { value: 'keep', label: t`Keep` },
            { value: 'take_off', label: t`Remove it` },
          ]}
        />
        {decision === 'keep' && !reason && (
          <div className="flex flex-wrap gap-2">
            {USUAL.map((words) => (
              <Button key={words} onClick={() => setReason(words)}>
                {words}
              </Button>
            ))}
          </div>
        )}
        <TextField label={t`Reason`} value={reason} onChange={setReason} />
        {decision === 'take_off' && (
          <Tick checked={back} onChange={setBack}>{t`Still good: back on the van`}</Tick>
        )}
        <ProblemNote problem={problemOf(keep.error)} />
        <div>
          <Button
            kind="primary"
            busy={keep.isPending}
            disabled={!decision || reason.trim().length < 3}
            onClick={() =>
              keep.mutate({
                work: kind,
                decision: decision as 'keep',
                reason: reason.trim(),
                back_to_van: decision === 'take_off' && back,
              })
            }
          >{t`Write down the decision`}</Button>
        </div>
      </WhileOpen>
    </section>
  )
}

function OnBackup({ call, plan }: { call: Call; plan: Schemas['WorkPlan'] }) {
  const prove = useBackupProof(call.id)
  const [loads, setLoads] = useState('')
  const [f, setF] = useState({ coldV: '', coldHz: '', off: '', hotV: '', hotHz: '' })
  const [cold, setCold] = useState('')
  const [hot, setHot] = useState('')
  const v = {
    coldV: parseFigure(f.coldV, 'V'),
    coldHz: parseFigure(f.coldHz, 'Hz'),
    off: parseFigure(f.off, 'min'),
    hotV: parseFigure(f.hotV, 'V'),
    hotHz: parseFigure(f.hotHz, 'Hz'),
  }
  const whole = Object.values(v).every((x) => x !== null) && cold && hot
  const send = () =>
    prove.mutate({
      loads_on: loads
        .split(',')
        .map((l) => l.trim())
        .filter(Boolean),
      cold_started: cold === 'yes',
      cold_v: v.coldV as number,
      cold_hz: v.coldHz as number,
      off_min: v.off as number,
      hot_started: hot === 'yes',
      hot_v: v.hotV as number,
      hot_hz: v.hotHz as number,
      min_off_s: plan.min_off_s ?? null,
    })
  const started = [
    { value: 'yes', label: t`Started` },
    { value: 'no', label: t`Did not start` },
  ]
  return (
    <details>
      <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`Cold start and hot restart`}</summary>
      <Form
        label={t`On backup power`}
        className="grid gap-3 pb-3 sm:max-w-2xl"
        onSubmit={() => whole && send()}
      >
        <TextField
          label={t`Loads on, with commas`}
          value={loads}
          onChange={setLoads}
          hint={t`Loads you left on.`}
        />
        <div className="grid grid-cols-2 gap-3">
          <Choice label={t`Cold`} value={cold} onChange={setCold} options={started} />
          <Choice label={t`Hot restart`} value={hot} onChange={setHot} options={started} />
          <FigureField
            label={t`Cold, lowest`}
            unit="V"
            value={f.coldV}
            onChange={(x) => setF({ ...f, coldV: x })}
          />
          <FigureField
            label={t`Hot, lowest`}
            unit="V"
            value={f.hotV}
            onChange={(x) => setF({ ...f, hotV: x })}
          />
          <FigureField
            label={t`Cold, settled`}
            unit="Hz"
            value={f.coldHz}
            onChange={(x) => setF({ ...f, coldHz: x })}
          />
          <FigureField
            label={t`Hot, settled`}
            unit="Hz"
            value={f.hotHz}
            onChange={(x) => setF({ ...f, hotHz: x })}
          />
          <FigureField
            label={t`Time off between`}
            unit="min"
            value={f.off}
            onChange={(x) => setF({ ...f, off: x })}
            hint={plan.min_off_s ? t`At least ${plan.min_off_s / 60} min off for this start aid.` : undefined}
          />
        </div>
        <ProblemNote problem={problemOf(prove.error)} />
        <div>
          <Button kind="primary" type="submit" busy={prove.isPending} disabled={!whole}>{t`Save`}</Button>
        </div>
      </Form>
    </details>
  )
}
