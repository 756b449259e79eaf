import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import type { Call, Schemas } from '../../../api/client'
import { Button } from '../../../parts/button'
import { TextField, Tick } from '../../../parts/field'
import { Form } from '../../../parts/figures'
import { Sheet } from '../../../parts/sheet'
import { clock, day } from '../../../quantities/format'
import type { Why } from './use-why'

/** The guard: what is proved, what is missing, the agreed trial, and what killed it. */
export function Condemnation({
  call,
  why,
  onDecide,
  busy,
}: {
  call: Call
  why: Why
  onDecide: ((entry: Schemas['NewDecision']) => void) | undefined
  busy: boolean
}) {
  const navigate = useNavigate()
  const { condemn } = why.result
  const [sure, setSure] = useState(false)
  const [agreedWith, setAgreedWith] = useState('')
  const [killers, setKillers] = useState<string[]>([])
  const agreed = why.trial
  const condemned = why.decisions.findLast((d) => d.kind === 'condemned')
  const autopsy = why.decisions.findLast((d) => d.kind === 'why_it_died')
  const send = (kind: Schemas['NewDecision']['kind'], part: Partial<Schemas['Decision']>) =>
    onDecide?.({ kind, decision: { kind, note: '', put_right: [], ...part } as Schemas['Decision'] })
  if (condemned)
    return (
      <section aria-label={t`Condemnation`} className="border-4 border-ink bg-field p-3">
        <h3 className="text-lg font-bold">{t`Compressor condemned`}</h3>
        <p>{t`By ${condemned.person}, ${day(condemned.decided_at)} ${clock(condemned.decided_at)}, on these proofs:`}</p>
        <ul className="list-disc pl-5">
          {condemn.proof.map((p) => (
            <li key={p}>{p}</li>
          ))}
        </ul>
        <h4 className="pt-3 font-bold">{t`What killed it? Answer before installing a new one`}</h4>
        {autopsy ? (
          <ul className="list-disc pl-5">
            {autopsy.decision.put_right?.map((p) => (
              <li key={p}>{p}</li>
            ))}
          </ul>
        ) : (
          <>
            {condemn.ask_why.map((a) => (
              <Tick
                key={a}
                checked={killers.includes(a)}
                onChange={(on) => setKillers((old) => (on ? [...old, a] : old.filter((k) => k !== a)))}
              >
                {a}
              </Tick>
            ))}
            {onDecide && (
              <Button
                kind="primary"
                busy={busy}
                disabled={killers.length === 0}
                onClick={() => send('why_it_died', { put_right: killers.map((k) => k.slice(0, 80)) })}
              >{t`Enter what you fixed`}</Button>
            )}
          </>
        )}
      </section>
    )
  return (
    <section aria-label={t`Condemnation`}>
      <h3 className="border-b-2 border-ink font-bold">{t`Replace the compressor?`}</h3>
      <p className="pt-2">
        {condemn.allowed
          ? t`All tests done. It has failed. `
          : condemn.missing.length === 1
            ? t`Not yet: 1 more test needed.`
            : t`Not yet: ${condemn.missing.length} more tests needed.`}
      </p>
      <ul>
        {condemn.proof.map((p) => (
          <li key={p} className="flex gap-2 py-0.5 text-pass">
            <span aria-hidden="true">✓</span>
            <span>{p}</span>
          </li>
        ))}
      </ul>
      <ol>
        {condemn.missing.map((m, i) => (
          <li key={m.code} className="flex flex-wrap items-center gap-x-3 border-b border-faint py-1">
            <span className="min-w-0 flex-1">
              <span className="figure text-soft">{i + 1}</span> {m.text}
            </span>
            {(m.asks ?? []).length > 0 && (
              <button
                type="button"
                className="min-h-11 text-sm underline underline-offset-4"
                onClick={() => navigate(`/calls/${call.id}/${m.live ? 'live_tests' : 'dead_tests'}`)}
              >
                {m.live ? t`Power-on tests` : t`Power-off tests`}
              </button>
            )}
          </li>
        ))}
      </ol>
      {condemn.trial && (
        <div className="my-2 border-l-[7px] border-orange bg-field p-3">
          <p>{condemn.trial}</p>
          {agreed && !agreed.result && <p className="text-soft">{t`Agreed with ${agreed.agreed_with}.`}</p>}
          {onDecide && why.allowed.agree_trial?.ok && (
            <Form
              label={t`Trial of a start kit`}
              className="flex flex-wrap items-end gap-3 pt-2"
              onSubmit={() => {
                if (agreedWith.trim())
                  send('kit_trial', { trial: { agreed_with: agreedWith.trim(), result: null } })
              }}
            >
              <TextField label={t`Agreed in writing with`} value={agreedWith} onChange={setAgreedWith} />
              <Button
                type="submit"
                busy={busy}
                disabled={!agreedWith.trim()}
              >{t`The trial is agreed`}</Button>
            </Form>
          )}
          {onDecide && agreed && why.allowed.end_trial?.ok && (
            <div className="flex flex-wrap gap-2 pt-2">
              {(
                [
                  ['started', t`It started`],
                  ['did_not_start', t`It did not start`],
                ] as const
              ).map(([result, word]) => (
                <Button
                  key={result}
                  busy={busy}
                  onClick={() => send('kit_trial', { trial: { agreed_with: agreed.agreed_with, result } })}
                >
                  {word}
                </Button>
              ))}
            </div>
          )}
        </div>
      )}
      {onDecide && (
        <Button
          disabled={!why.allowed.condemn?.ok}
          onClick={() => setSure(true)}
        >{t`Condemn the compressor`}</Button>
      )}
      <Sheet open={sure} onOpenChange={setSure} title={t`Condemn the compressor?`}>
        <p>{t`Your name and the readings are saved. You can't undo this.`}</p>
        <div className="flex gap-2 pt-3">
          <Button
            kind="primary"
            busy={busy}
            onClick={() => {
              send('condemned', {})
              setSure(false)
            }}
          >{t`Condemn it`}</Button>
          <Button onClick={() => setSure(false)}>{t`Not yet`}</Button>
        </div>
      </Sheet>
    </section>
  )
}
