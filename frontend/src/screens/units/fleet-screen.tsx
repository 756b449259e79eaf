import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { answer, client, problemOf } from '../../api/client'
import { Button } from '../../parts/button'
import { TextField } from '../../parts/field'
import { Form } from '../../parts/figures'
import { ProblemNote } from '../../parts/problem'
import { useTitle } from '../../parts/title'
import { VerdictMark } from '../../parts/verdict'
import { calendarDay, day, figure } from '../../quantities/format'
import { UnitTabs } from './unit-tabs'

const money = (value: number, currency: string) =>
  new Intl.NumberFormat('en-US', { style: 'currency', currency, maximumFractionDigits: 0 }).format(value)

/** Which unit fails next, and what a breakdown would cost: what waiting risks stands first. */
export function FleetScreen() {
  useTitle(t`Fleet`)
  const fleet = useQuery({
    queryKey: ['fleet'],
    queryFn: () => answer(client.GET('/api/fleet')),
    refetchInterval: (q) => (q.state.data && q.state.data.to_work_out > 0 ? 2_000 : false),
  })
  return (
    <div className="mx-auto max-w-5xl p-3 sm:p-5">
      <UnitTabs />
      <h1 className="text-2xl font-bold">{t`Fleet`}</h1>
      <p className="py-2 text-soft">{t`Parts expected to wear out next, by risk × breakdown cost. Sudden failures can't be predicted.`}</p>
      <ProblemNote problem={problemOf(fleet.error)} onRetry={() => fleet.refetch()} />
      {fleet.data && fleet.data.to_work_out > 0 && (
        <p
          role="status"
          className="border-l-[7px] border-line bg-field p-3"
        >{t`${fleet.data.to_work_out} more units are being worked out.`}</p>
      )}
      {fleet.data?.lines.length === 0 && (
        <p className="py-3 text-soft">{t`No forecast yet. It needs three visits that measured a capacitor or a contactor.`}</p>
      )}
      <ol>
        {fleet.data?.lines.map((l) => (
          <li
            key={l.unit_id}
            className="grid gap-x-4 gap-y-1 border-b border-faint py-2 sm:grid-cols-[1fr_11rem_9rem]"
          >
            <div className="min-w-0">
              <Link to={`/units/${l.unit_id}`} className="font-bold break-words">
                {l.site} · {l.unit}
              </Link>
              <p className="break-words">{l.words}</p>
              <p className="text-sm text-soft">
                {l.last_visit ? t`Last visit ${calendarDay(l.last_visit)}` : t`No visit`}
                {l.age_years !== null && t` · ${l.age_years} years old`}
                {l.open_tasks > 0 && t` · ${l.open_tasks} to do`}
              </p>
            </div>
            <span>
              {l.see_to_by ? (
                <>
                  {t`See to it by`} <b className="block">{calendarDay(l.see_to_by)}</b>
                </>
              ) : (
                <span className="text-soft">{t`Not soon`}</span>
              )}
            </span>
            <span className="figure sm:text-right">
              {figure(l.chance_pct, 2)} %
              <span className="block text-sm text-soft">
                × {money(l.breakdown_cost, fleet.data.currency)}
              </span>
            </span>
          </li>
        ))}
      </ol>
      <Lots />
    </div>
  )
}

/** Where parts of a lot went, if one turns out bad. */
function Lots() {
  const [lot, setLot] = useState('')
  const [asked, setAsked] = useState('')
  const found = useQuery({
    queryKey: ['lot', asked],
    enabled: asked !== '',
    queryFn: () => answer(client.GET('/api/lots/{lot}', { params: { path: { lot: asked } } })),
  })
  return (
    <section aria-label={t`Recall`} className="pt-6">
      <h2 className="border-b-2 border-ink text-lg font-bold">{t`Find parts by lot`}</h2>
      <Form
        label={t`Find a lot`}
        className="flex flex-wrap items-end gap-3 pt-2"
        onSubmit={() => setAsked(lot.trim())}
      >
        <TextField label={t`Lot or date code on the part`} value={lot} onChange={setLot} />
        <Button type="submit" disabled={!lot.trim()}>{t`Find`}</Button>
      </Form>
      <ProblemNote problem={problemOf(found.error)} />
      {found.data?.length === 0 && (
        <p className="py-2 text-soft">{t`No part of lot ${asked} is on record.`}</p>
      )}
      <ul>
        {found.data?.map((l) => (
          <li key={`${l.call_id} ${l.what}`} className="flex flex-wrap gap-x-4 border-b border-faint py-2">
            <VerdictMark
              verdict={l.still_there ? 'watch' : 'pass'}
              word={l.still_there ? t`Still there` : t`Replaced since`}
            />
            <Link to={`/units/${l.unit_id}`} className="font-bold">
              {l.site} · {l.unit}
            </Link>
            <span className="text-soft">
              {l.what}
              {l.part && `, ${l.part}`} · {l.person}, {day(l.fitted_at)}
            </span>
          </li>
        ))}
      </ul>
    </section>
  )
}
