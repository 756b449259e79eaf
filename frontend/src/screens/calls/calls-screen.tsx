import { useRef, useState } from 'react'
import { Link } from 'react-router'
import { type CallSummary, problemOf } from '../../api/client'
import { useCalls } from '../../api/queries'
import { Button } from '../../parts/button'
import { ClockWord } from '../../parts/cooling'
import { useKey } from '../../parts/keys'
import { ProblemNote } from '../../parts/problem'
import { StateWord } from '../../parts/state-word'
import { clock, day } from '../../quantities/format'
import { NewCall } from './new-call'

export function CallsScreen() {
  const calls = useCalls()
  const [find, setFind] = useState('')
  const [adding, setAdding] = useState(false)
  const box = useRef<HTMLInputElement>(null)
  useKey((key) => {
    if (key === '/') box.current?.focus()
    if (key === 'n') setAdding(true)
  })
  const wanted = find.trim().toLowerCase()
  const shown = (calls.data ?? []).filter((c) =>
    `${c.unit} ${c.site.name} ${c.site.place} ${c.complaint} ${c.kind}`.toLowerCase().includes(wanted),
  )
  const open = shown.filter((c) => c.status === 'open')
  const closed = shown.filter((c) => c.status === 'closed')
  return (
    <div className="mx-auto max-w-5xl p-3 sm:p-5">
      <div className="flex flex-wrap items-end gap-3">
        <h1 className="text-2xl font-bold">Calls</h1>
        <label className="ml-auto min-w-0 flex-1 basis-48 sm:max-w-80">
          <span className="sr-only">Find a call</span>
          <input
            ref={box}
            value={find}
            onChange={(e) => setFind(e.target.value)}
            placeholder="Find site, unit, complaint"
            className="min-h-11 w-full border-2 border-line bg-field px-3"
          />
        </label>
        <Button kind="primary" onClick={() => setAdding(true)}>
          Open a call
        </Button>
      </div>
      {calls.isError && (
        <div className="pt-3">
          <ProblemNote problem={problemOf(calls.error)} onRetry={() => calls.refetch()} />
        </div>
      )}
      <Group
        title="Open"
        calls={open}
        empty={wanted ? 'No open call matches.' : 'No call is open. Open one.'}
      />
      <Group
        title="Closed"
        calls={closed}
        empty={wanted ? 'No closed call matches.' : 'No call was closed yet.'}
      />
      <NewCall open={adding} onOpenChange={setAdding} />
    </div>
  )
}

function Group({ title, calls, empty }: { title: string; calls: CallSummary[]; empty: string }) {
  return (
    <section aria-label={`${title} calls`} className="pt-5">
      <h2 className="border-b-2 border-ink pb-1 text-lg font-bold">
        {title} <span className="figure text-soft">{calls.length}</span>
      </h2>
      {calls.length === 0 && <p className="py-3 text-soft">{empty}</p>}
      <ul className="border-x-[7px] border-ink">
        {calls.map((c) => (
          <li key={c.id} className="border-b border-faint">
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
                  {c.opened_by} · {c.readings} reading{c.readings === 1 ? '' : 's'}
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
          </li>
        ))}
      </ul>
    </section>
  )
}
