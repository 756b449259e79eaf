import { t } from '@lingui/core/macro'
import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, client, problemOf, type Schemas } from '../../api/client'
import { Button } from '../../parts/button'
import { ProblemNote } from '../../parts/problem'
import { Findings } from '../../parts/verdict'
import { figure } from '../../quantities/format'
import { asStart, type Entry } from './lab-state'

const WORDS: Record<string, string> = {
  start_torque_pct: t`Held by`,
  run_cap_uf: t`Run capacitor`,
  volts: t`Volts`,
  inertia_factor: t`Run-up`,
}

/** A recording of the call laid over the computed start, and the machine sharpened by it. */
export function Measured({
  callId,
  base,
  laid,
  onLaid,
  onUse,
}: {
  callId: number
  base: Entry
  laid: Schemas['CaptureFit'] | null
  onLaid: (fit: Schemas['CaptureFit'] | null) => void
  onUse: (start: Schemas['StartIn']) => void
}) {
  const [used, setUsed] = useState(false)
  const captures = useQuery({
    queryKey: ['captures', callId],
    queryFn: () =>
      answer(client.GET('/api/calls/{call_id}/captures', { params: { path: { call_id: callId } } })),
  })
  const fit = useMutation({
    mutationFn: (id: number) =>
      answer(
        client.POST('/api/captures/{capture_id}/fit', {
          params: { path: { capture_id: id } },
          body: asStart(base),
        }),
      ),
    onSuccess: (found) => {
      setUsed(false)
      onLaid(found)
    },
  })
  const list = captures.data ?? []
  return (
    <section aria-label={t`Measured`} className="pt-4">
      <h2 className="border-b-2 border-ink font-bold">{t`Measured on this call`}</h2>
      {list.length === 0 && (
        <p className="py-2 text-soft">{t`No recording yet. One taken on Power-on tests can be laid over the computed start here.`}</p>
      )}
      <div className="flex flex-wrap gap-2 pt-2">
        {list.map((c) => (
          <Button key={c.id} disabled={fit.isPending} onClick={() => fit.mutate(c.id)}>
            {fit.isPending && fit.variables === c.id ? t`Fitting…` : t`Lay over: ${c.name}`}
          </Button>
        ))}
        {laid && <Button kind="quiet" onClick={() => onLaid(null)}>{t`Take off`}</Button>}
      </div>
      <ProblemNote problem={problemOf(fit.error)} />
      {laid && (
        <div className="border-l-4 border-faint bg-field px-3 py-2">
          <Findings findings={laid.fit.findings} />
          <dl className="figure grid max-w-md grid-cols-[auto_1fr] gap-x-4 py-1">
            {laid.fit.fitted.map((f) => (
              <div key={f.name} className="contents">
                <dt>{WORDS[f.name]}</dt>
                <dd>
                  {figure(f.value, 3)}
                  {f.plus_minus !== null && ` ± ${figure(f.plus_minus, 2)}`} {f.unit}
                </dd>
              </div>
            ))}
          </dl>
          <Button
            kind="primary"
            disabled={used}
            onClick={() => {
              setUsed(true)
              onUse(laid.fit.start)
            }}
          >
            {used ? t`Computing with this machine` : t`Compute with this machine`}
          </Button>
        </div>
      )}
    </section>
  )
}
