import { t } from '@lingui/core/macro'
import { useMutation } from '@tanstack/react-query'
import { lazy, Suspense, useState } from 'react'
import { Link } from 'react-router'
import { answer, type CallSummary, client, problemOf } from '../../api/client'
import { useCalls } from '../../api/queries'
import { Button } from '../../parts/button'
import { ClockWord } from '../../parts/clock-word'
import { early } from '../../parts/early'
import { FindHead } from '../../parts/find-head'
import { useKey } from '../../parts/keys'
import { LongList } from '../../parts/long-list'
import { ProblemNote } from '../../parts/problem'
import { StateWord } from '../../parts/state-word'
import { CallTabs } from '../../parts/tabs'
import { clock, day } from '../../quantities/format'

const FindAll = lazy(early(() => import('../../parts/find-all').then((m) => ({ default: m.FindAll }))))
const NewCall = lazy(early(() => import('./new-call').then((m) => ({ default: m.NewCall }))))

/** So many calls come at once. */
const MOST = 500

export function CallsScreen() {
  const calls = useCalls()
  const [find, setFind] = useState('')
  const [adding, setAdding] = useState(false)
  useKey((key) => key === 'n' && setAdding(true))
  const [older, setOlder] = useState<CallSummary[]>([])
  const all = [...(calls.data ?? []), ...older]
  const go = useMutation({
    mutationFn: (before: number) => answer(client.GET('/api/calls', { params: { query: { before } } })),
    onSuccess: (found) => setOlder((old) => [...old, ...found]),
  })
  const last = all.at(-1)
  const more = go.data ? go.data.length === MOST : (calls.data?.length ?? 0) === MOST
  const wanted = find.trim().toLowerCase()
  const shown = all.filter((c) =>
    `${c.unit} ${c.site.name} ${c.site.place} ${c.complaint} ${c.kind}`.toLowerCase().includes(wanted),
  )
  const open = shown.filter((c) => c.status === 'open')
  const closed = shown.filter((c) => c.status === 'closed')
  return (
    <div className="mx-auto max-w-5xl p-3 sm:p-5">
      <CallTabs />
      <FindHead
        title={t`Calls`}
        label={t`Find a call`}
        hint={t`Find site, unit, complaint`}
        find={find}
        onFind={setFind}
      >
        <Button kind="primary" onClick={() => setAdding(true)}>{t`Open a call`}</Button>
      </FindHead>
      {calls.isError && (
        <div className="pt-3">
          <ProblemNote problem={problemOf(calls.error)} onRetry={() => calls.refetch()} />
        </div>
      )}
      <Group
        title={t`Open`}
        calls={open}
        empty={wanted ? t`No open call matches.` : t`No call is open. Open one.`}
      />
      <Group
        title={t`Closed`}
        calls={closed}
        empty={wanted ? t`No closed call matches.` : t`No call was closed yet.`}
      />
      {more && last && (
        <Button
          className="mt-3"
          busy={go.isPending}
          onClick={() => go.mutate(last.id)}
        >{t`Older calls`}</Button>
      )}
      <ProblemNote problem={problemOf(go.error)} />
      {find && (
        <Suspense fallback={null}>
          <FindAll asked={find} />
        </Suspense>
      )}
      {adding && (
        <Suspense fallback={<p role="status">{t`Opening…`}</p>}>
          <NewCall open={adding} onOpenChange={setAdding} />
        </Suspense>
      )}
    </div>
  )
}

function Group({ title, calls, empty }: { title: string; calls: CallSummary[]; empty: string }) {
  return (
    <section aria-label={t`${title} calls`} className="pt-5">
      <h2 className="border-b-2 border-ink pb-1 text-lg font-bold">
        {title} <span className="figure text-soft">{calls.length}</span>
      </h2>
      {calls.length === 0 && <p className="py-3 text-soft">{empty}</p>}
      <LongList rows={calls} keyOf={(c) => c.id} className="border-x-[7px] border-ink">
        {(c) => (
          <Link
            to={`/calls/${c.id}`}
            className="grid grid-cols-[1fr_auto] gap-x-4 gap-y-0.5 px-3 py-2.5 hover:bg-plane sm:grid-cols-[13rem_1fr_auto]"
          >
            <span>
              <span className="block font-bold">{c.site.name}</span>
              <span className="block text-sm text-soft">{c.unit}</span>
            </span>
            <span className="order-last col-span-2 min-w-0 break-words sm:order-none sm:col-span-1">
              {c.complaint}
              <span className="block text-sm text-soft">
                {c.readings === 1
                  ? t`${c.opened_by} · 1 reading`
                  : t`${c.opened_by} · ${c.readings} readings`}
              </span>
            </span>
            <span className="text-right">
              {c.status === 'open' && c.clocks[0] && <ClockWord clock={c.clocks[0]} />}{' '}
              {c.status === 'open' && <StateWord state={c.state} />}
              <span className="figure block text-sm text-soft">
                {day(c.opened_at)}
                {c.status === 'open' ? ` ${clock(c.opened_at)}` : ''}
              </span>
            </span>
          </Link>
        )}
      </LongList>
    </section>
  )
}
