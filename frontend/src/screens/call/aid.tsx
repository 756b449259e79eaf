import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { answer, type Call, client, problemOf, type Schemas } from '../../api/client'
import { Choice } from '../../parts/choice'
import { ProblemNote } from '../../parts/problem'
import { VerdictMark } from '../../parts/verdict'
import { figure } from '../../quantities/format'
import { useWhy } from './why/use-why'

type Ranked = Schemas['AidRanked']

const GOALS = [
  { value: 'start_at_all', label: 'Start at all' },
  { value: 'faster', label: 'Start faster' },
  { value: 'backup_power', label: 'Backup power' },
  { value: 'flicker', label: 'Less flicker' },
  { value: 'long_lines', label: 'Long lines' },
]

/** Which aid fits, or none: each with its computed start, and what speaks against it. */
export function AidRung({ call }: { call: Call }) {
  const [goal, setGoal] = useState('start_at_all')
  const start = useQuery({
    queryKey: ['start-of-call', call.id],
    enabled: call.plate !== null,
    queryFn: () =>
      answer(client.GET('/api/calls/{call_id}/start', { params: { path: { call_id: call.id } } })),
    retry: false,
  })
  const why = useWhy(call.id)
  const cause = why.data?.decisions.filter((d) => d.kind === 'cause').at(-1)?.decision.hypothesis ?? null
  const told = start.data?.start
  const plate = told?.plate ?? call.plate?.plate
  const aids = useQuery({
    queryKey: ['aid', call.id, goal, cause, told],
    enabled: Boolean(plate) && !start.isPending,
    queryFn: () =>
      answer(
        client.POST('/api/calc/aid', {
          body: {
            plate,
            goal,
            diagnosis: cause,
            put_right: call.changes.length > 0,
            run_cap_uf: told?.run_cap_uf ?? null,
            source: told?.source ?? null,
            inertia_factor: told?.inertia_factor ?? 1,
            start_torque_pct: goal === 'start_at_all' ? (told?.load?.start_torque_pct ?? null) : null,
          } as Schemas['AidIn'],
        }),
      ),
    retry: false,
  })
  if (!plate)
    return (
      <p>
        The plate comes first.{' '}
        <Link className="underline" to={`/calls/${call.id}/plate`}>
          Read the plate
        </Link>
      </p>
    )
  return (
    <div className="grid max-w-4xl gap-4">
      <Choice label="What is it for?" value={goal} onChange={setGoal} options={GOALS} />
      <ProblemNote problem={problemOf(aids.error)} />
      {why.data && !cause && aids.data && aids.data.ranked.length > 0 && (
        <p className="border-l-[7px] border-watch bg-field p-3">
          △ No cause is taken yet; an aid may only hide it.{' '}
          <Link className="font-bold underline" to={`/calls/${call.id}/why`}>
            Find the cause first
          </Link>
        </p>
      )}
      {aids.data?.root_cause_first && (
        <p className="border-l-[7px] border-watch bg-field p-3 font-bold">
          △ First: {aids.data.root_cause_first}
        </p>
      )}
      {aids.isPending && !aids.error && <p>Computing each start…</p>}
      {aids.data && aids.data.ranked.length > 0 && (
        <ol aria-label="Aids, best first">
          {aids.data.ranked.map((r) => (
            <AidLine key={r.title + (r.part ?? '')} ranked={r} />
          ))}
        </ol>
      )}
      {aids.data && aids.data.refused.length > 0 && (
        <section aria-label="Not offered">
          <h3 className="border-b-2 border-ink font-bold">Not offered, and why</h3>
          <ul>
            {aids.data.refused.map((r) => (
              <li key={r.title + (r.part ?? '')} className="border-b border-faint py-1">
                <b>{r.title}</b>: {r.why}
              </li>
            ))}
          </ul>
        </section>
      )}
      {aids.data?.findings
        .filter((f) => f.code === 'SCHOOL')
        .map((f) => (
          <p key={f.code} className="text-sm text-soft">
            {f.text} Both schools are sound practice.
          </p>
        ))}
      <p className="text-sm text-soft">
        <Link className="underline" to={`/lab?call=${call.id}`}>
          Hold them side by side in the Start lab
        </Link>
        . Fit one thing, then prove it on rung 9. Wiring plans, stock and backup checks are not built yet.
        Kits are wired dead, by the unit's own diagram; local code and licensed people decide.
      </p>
    </div>
  )
}

function AidLine({ ranked: r }: { ranked: Ranked }) {
  const p = r.predicted
  return (
    <li className="border-b border-line py-3">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <span className="text-lg font-bold">{r.title}</span>
        {r.part && <span className="figure text-soft">{r.part}</span>}
        <VerdictMark verdict={r.fits ? 'pass' : 'unknown'} word={r.fits ? 'Fits' : 'Does not fit here'} />
      </div>
      <ul className="figure flex flex-wrap gap-x-5 text-sm">
        <li>up to speed {p.time_to_speed_s === null ? 'never' : `${figure(p.time_to_speed_s, 2)} s`}</li>
        <li>largest cycle {figure(p.max_cycle_rms_a, 3)} A</li>
        <li>100 ms {figure(p.inrush_100ms_a, 3)} A</li>
        <li>dip {figure(p.sag_pct, 2)} %</li>
        {r.start_cap_range ? (
          <li>
            {figure(r.start_cap_range.low_uf)}–{figure(r.start_cap_range.high_uf)} µF
          </li>
        ) : (
          r.start_cap_uf !== null && <li>{figure(r.start_cap_uf, 3)} µF</li>
        )}
        {r.relay && (
          <li>
            relay picks up {figure(r.relay.pickup_low_v)}–{figure(r.relay.pickup_high_v)} V, arrow up
          </li>
        )}
        {r.range && (
          <li>
            for {figure(r.range.rla_a)} A RLA, {figure(r.range.lra_a)} A LRA
          </li>
        )}
      </ul>
      <ul className="pt-1">
        {r.why.map((w) => (
          <li key={w}>▲ {w}</li>
        ))}
        {r.against.map((a) => (
          <li key={a} className="text-soft">
            ▽ {a}
          </li>
        ))}
      </ul>
    </li>
  )
}
