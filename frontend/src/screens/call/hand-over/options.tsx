import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { type Call, fieldProblem, problemOf } from '../../../api/client'
import { Button } from '../../../parts/button'
import { FigureField, TextField, Tick } from '../../../parts/field'
import { ProblemNote } from '../../../parts/problem'
import { parseFigure } from '../../../quantities/figure'
import { Sum } from './cost'
import { SignatureField, type Strokes } from './signature'
import { amount, useAgree, useOptions } from './use-hand-over'

/** What could be done, side by side; the customer ticks, signs or says yes. */
export function Options({ call, onDone }: { call: Call; onDone: () => void }) {
  const options = useOptions(call.id, true)
  const agree = useAgree(call.id)
  const [chosen, setChosen] = useState<string[]>([])
  const [name, setName] = useState('')
  const [trial, setTrial] = useState(false)
  const [strokes, setStrokes] = useState<Strokes>([])
  const [heard, setHeard] = useState('')
  const [typed, setTyped] = useState<Record<string, string>>({})
  if (options.error && !options.data)
    return <ProblemNote problem={problemOf(options.error)} onRetry={() => options.refetch()} />
  if (!options.data) return <p>{t`Computing the starts…`}</p>
  const all = options.data.options
  const picked = all.filter((o) => chosen.includes(o.key))
  const priceOf = (o: (typeof all)[number]) => o.cost.total ?? parseFigure(typed[o.key] ?? '', '')
  const known = picked.every((o) => priceOf(o) !== null)
  // Cents, so that the sum shown is the sum the server makes.
  const total = known ? picked.reduce((s, o) => s + Math.round((priceOf(o) ?? 0) * 100), 0) / 100 : null
  const currency = all.find((o) => o.key !== 'as_it_is')?.cost.currency ?? 'USD'
  const problem = problemOf(agree.error)
  return (
    <div className="grid gap-4">
      {options.data.not_computed && (
        <p className="border-l-[7px] border-watch bg-field p-3">{t`△ No start could be computed: ${options.data.not_computed}`}</p>
      )}
      <div className="grid gap-3 lg:grid-cols-2">
        {all.map((o) => (
          <div
            key={o.key}
            className={`border-2 p-3 ${chosen.includes(o.key) ? 'border-orange bg-field' : 'border-line'}`}
          >
            <Tick
              checked={chosen.includes(o.key)}
              onChange={(on) =>
                setChosen((old) => (on ? [...old, o.key] : old.filter((key) => key !== o.key)))
              }
            >
              <b>{o.title}</b>
              {o.first && <span className="text-soft">{t`· for this cause`}</span>}
            </Tick>
            <p>{o.does}</p>
            <p className="pt-1 text-sm text-soft">{o.will_not.join(' ')}</p>
            {o.notes.length > 0 && (
              <details className="text-sm">
                <summary className="min-h-11 py-2 underline underline-offset-4">{t`For you, not on paper`}</summary>
                {o.notes.join(' ')}
              </details>
            )}
            {o.key !== 'as_it_is' && <Sum statement={o.cost} />}
            {o.cost.total === null && chosen.includes(o.key) && (
              <FigureField
                label={t`Price, ${o.title}`}
                hint={t`Tax included; as it is agreed.`}
                value={typed[o.key] ?? ''}
                onChange={(value) => setTyped((old) => ({ ...old, [o.key]: value }))}
              />
            )}
          </div>
        ))}
      </div>
      {chosen.length > 0 && (
        <div className="grid gap-3 border-t-2 border-ink pt-3">
          <p className="text-lg font-bold">{t`Agreed: ${picked.map((o) => o.title).join(' + ')}, ${amount(total, currency)}`}</p>
          <Tick
            checked={trial}
            onChange={setTrial}
          >{t`With one trial of a start kit on the locked compressor; it may not start`}</Tick>
          <TextField label={t`Who agrees`} value={name} onChange={setName} />
          <SignatureField onChange={setStrokes} />
          {strokes.length === 0 && (
            <TextField
              label={t`Or by word: who heard it`}
              value={heard}
              onChange={setHeard}
              hint={t`On the phone, say, when nobody is there to sign.`}
            />
          )}
          <ProblemNote problem={problem} />
          {fieldProblem(problem, 'strokes') && (
            <p role="alert" className="font-bold text-fail">
              ✕ {fieldProblem(problem, 'strokes')}
            </p>
          )}
          <div>
            <Button
              kind="primary"
              busy={agree.isPending}
              disabled={!name.trim() || (strokes.length === 0 && !heard.trim())}
              onClick={() =>
                agree.mutate(
                  {
                    options: chosen,
                    name: name.trim(),
                    shown_total: total,
                    prices: Object.fromEntries(
                      picked
                        .filter((o) => o.cost.total === null && priceOf(o) !== null)
                        .map((o) => [o.key, priceOf(o) as number]),
                    ),
                    trial,
                    signature: strokes.length > 0 ? { strokes } : null,
                    heard_by: strokes.length > 0 ? null : heard.trim(),
                  },
                  { onSuccess: onDone },
                )
              }
            >{t`Agreed`}</Button>
          </div>
        </div>
      )}
    </div>
  )
}
