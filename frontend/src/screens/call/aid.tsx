import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { answer, type Call, client, problemOf, type Schemas } from '../../api/client'
import { usePrice } from '../../api/queries'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { FigureField } from '../../parts/field'
import { FigureScope, NotComputed, useFigures } from '../../parts/figures'
import { ProblemNote } from '../../parts/problem'
import { VerdictMark } from '../../parts/verdict'
import { usePerson } from '../../parts/who'
import { parseFigure } from '../../quantities/figure'
import { figure } from '../../quantities/format'
import { typed } from '../../quantities/measures'
import { usePause } from './plate'
import { PlateFirst } from './plate-first'
import { useWhy } from './why/use-why'
import { Backup } from './work/backup'
import { useBackup } from './work/use-backup'
import { useVan, useWork } from './work/use-work'
import { type Job, WiringPlan } from './work/wiring-plan'

type Ranked = Schemas['AidRanked']

const GOALS = [
  { value: 'start_at_all', label: t`Won't start without help` },
  { value: 'faster', label: t`Start faster` },
  { value: 'backup_power', label: t`Backup power` },
  { value: 'flicker', label: t`Less flicker` },
  { value: 'long_lines', label: t`Long lines` },
]

/** What the cause requests before any kit. */
const ANSWERS: Record<Schemas['AidAnswer']['kind'], string> = {
  stop: t`Stop`,
  fix: t`First`,
  ask: t`Before any aid`,
  delay: t`Needs a delay, not torque`,
  trial: t`One approved trial`,
  buys_time: t`Buys time`,
}

/** Which aid fits, or none: each with its computed start, and what speaks against it. */
export function AidRung({ call }: { call: Call }) {
  const { person } = usePerson()
  const [said, setGoal] = useState<string | null>(null)
  const [from, setFrom] = useState('van')
  const [sc, setSc] = useState('')
  const [hot, setHot] = useState(typed(call.site.design_f, '°F'))
  const [cycles, setCycles] = useState('')
  const [chosen, setChosen] = useState<Job | null>(null)
  const van = useVan(person?.id ?? null)
  const work = useWork(call.id)
  // As it was last chosen on this call: the plan's, or backup power where its source was said.
  const before = work.data?.plans.find((p) => p.plan.work === 'aid')?.plan.goal
  const goal = said ?? before ?? (work.data?.source?.here ? 'backup_power' : 'start_at_all')
  const why = useWhy(call.id)
  const cause = why.data?.decisions.filter((d) => d.kind === 'cause').at(-1)?.decision.hypothesis ?? null
  const figures = useFigures()
  const supply = useBackup(call.id)
  const plate = call.plate?.plate
  const stock = van.data?.lines.map((l) => l.aid).filter((a) => a !== null) ?? []
  const onVan = from === 'van'
  const ask = {
    goal,
    from_van: onVan ? (person?.id ?? null) : null,
    running_s_c_v: parseFigure(sc, 'V'),
    outdoor_design_f: parseFigure(hot, '°F'),
    cycles_per_hour: parseFigure(cycles),
    backup: goal === 'backup_power' ? supply.supply : null,
  } as Schemas['AidAsk']
  // Plate, readings, cause and what was put right come from the record; the server puts them together.
  // Computed once one has stopped typing; until then what stands is marked as old.
  const now = JSON.stringify(ask)
  const settled = usePause(now, 400)
  const aids = useQuery({
    queryKey: ['aid', call.id, settled, stock.length, call.entries],
    enabled: Boolean(plate) && figures.whole && !van.isPending,
    queryFn: () =>
      answer(
        client.POST('/api/calls/{call_id}/aid', {
          params: { path: { call_id: call.id } },
          body: JSON.parse(settled) as Schemas['AidAsk'],
        }),
      ),
    placeholderData: (old) => old,
    retry: false,
  })
  const old = aids.data !== undefined && (settled !== now || aids.isPlaceholderData)
  if (!plate) return <PlateFirst callId={call.id} />
  const planned = work.data?.plans.find((p) => p.plan.work === 'aid')?.plan
  const job = chosen ?? (planned?.wiring ? jobOf(planned) : null)
  const barred = aids.data?.ranked.length === 0
  return (
    <FigureScope figures={figures}>
      <div className="grid max-w-5xl gap-4">
        <div className="flex flex-wrap gap-4">
          <Choice label={t`What is it for?`} value={goal} onChange={setGoal} options={GOALS} />
          {!barred && (
            <Choice
              label={t`From`}
              value={from}
              onChange={setFrom}
              options={[
                { value: 'van', label: t`My van, ${stock.length} aids` },
                { value: 'any', label: t`One of each type` },
              ]}
            />
          )}
          {!barred && (
            <div className="w-44">
              <FigureField label={t`Volts S to C, running (if known)`} unit="V" value={sc} onChange={setSc} />
            </div>
          )}
        </div>
        {!barred && (
          <details>
            <summary className="min-h-11 cursor-pointer py-2">
              <b>{t`Climate and starts per hour`}</b>{' '}
              <span className="text-soft">{t`sets the two- or three-wire default`}</span>
            </summary>
            <div className="grid max-w-md grid-cols-2 gap-3">
              <FigureField label={t`Hottest days outdoors`} unit="°F" value={hot} onChange={setHot} />
              <FigureField label={t`Starts per hour`} value={cycles} onChange={setCycles} />
            </div>
          </details>
        )}
        <NotComputed figures={figures} />
        {onVan && van.data && stock.length === 0 ? (
          <p className="border-l-[7px] border-line bg-field p-3">{t`Your van carries no start aid. Restock it under Van, or look at one of each kind.`}</p>
        ) : (
          goal !== 'backup_power' && <ProblemNote problem={problemOf(aids.error)} />
        )}
        {why.data && !cause && aids.data && aids.data.ranked.length > 0 && (
          <p className="border-l-[7px] border-watch bg-field p-3">
            {t`△ No cause selected yet. A start aid can hide the problem.`}{' '}
            <Link
              className="font-bold underline"
              to={`/calls/${call.id}/why`}
            >{t`Find the cause first`}</Link>
          </p>
        )}
        {aids.data?.answer && (
          <p className="border-l-[7px] border-watch bg-field p-3 font-bold">
            △ {ANSWERS[aids.data.answer.kind]}: {aids.data.answer.text}
          </p>
        )}
        {goal === 'backup_power' && !barred && (
          <Backup
            entry={supply}
            out={supply.supply ? (aids.data?.backup ?? null) : null}
            problem={problemOf(aids.error)}
          />
        )}
        {aids.isPending && !aids.error && <p>{t`Computing each start…`}</p>}
        {old && (
          <p
            role="status"
            className="border-l-[7px] border-line bg-field p-3"
          >{t`? Recalculating. Results below are from the last entry.`}</p>
        )}
        {aids.data && aids.data.ranked.length > 0 && (
          <RankedAids
            ranked={aids.data.ranked}
            old={old}
            onPlan={(j) => setChosen({ ...j, goal, for_backup: goal === 'backup_power' })}
          />
        )}
        {job && (
          <WiringPlan
            fresh={chosen !== null}
            key={job.title}
            call={call}
            job={job}
            holderId={person?.id ?? null}
          />
        )}
        {aids.data && aids.data.refused.length > 0 && (
          <section aria-label={t`Not offered`}>
            <h3 className="border-b-2 border-ink font-bold">{t`Ruled out, and why`}</h3>
            <ul>
              {aids.data.refused.map((r) => (
                <li key={r.title + (r.part ?? '')} className="border-b border-faint py-1">
                  <b>{r.title}</b> {r.part && <span className="figure text-soft">{r.part} </span>}: {r.why}
                </li>
              ))}
            </ul>
          </section>
        )}
        {aids.data?.findings
          .filter((f) => f.code === 'SCHOOL')
          .map((f) => (
            <p
              key={f.code}
              className="text-sm text-soft"
            >{t`${f.text} Either choice is accepted practice.`}</p>
          ))}
        <p className="text-sm text-soft">
          <Link
            className="underline"
            to={`/lab?call=${call.id}`}
          >{t`Compare them side by side in the Start lab`}</Link>
          {t`. Fit one thing, then prove it on rung 9. Kits are wired dead, by the unit's own diagram; local code and licensed people decide.`}
        </p>
      </div>
    </FigureScope>
  )
}

/** A job as it was planned before, to go on with. */
export function jobOf(plan: Schemas['WorkPlan']): Job {
  const wiring = plan.wiring as Schemas['WiringIn']
  return {
    work: plan.work,
    part: plan.part ?? null,
    title: plan.title,
    kind: wiring.kind,
    min_off_s: plan.min_off_s ?? null,
    learning_starts: plan.learning_starts ?? null,
    for_backup: plan.for_backup ?? false,
    goal: plan.goal ?? null,
    replaces: plan.replaces ?? null,
  }
}

/** So many aids are looked at before one thinks of the rest. */
const FIRST = 3

/** The best aids, with what goes against several of them said once above; the rest behind one line. */
function RankedAids({ ranked, old, onPlan }: { ranked: Ranked[]; old: boolean; onPlan: (job: Job) => void }) {
  const all = ranked.flatMap((r) => r.against)
  const common = [...new Set(all.filter((a, i) => all.indexOf(a) !== i))]
  const line = (r: Ranked) => (
    <AidLine key={r.title + (r.part ?? '')} ranked={r} common={common} onPlan={onPlan} />
  )
  return (
    <section aria-label={t`Aids, best first`} className={old ? 'opacity-60' : ''}>
      {common.length > 0 && (
        <ul className="text-soft">
          {common.map((a) => (
            <li key={a}>▽ {a}</li>
          ))}
        </ul>
      )}
      <ol>{ranked.slice(0, FIRST).map(line)}</ol>
      {ranked.length > FIRST && (
        <details>
          <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`${ranked.length - FIRST} more`}</summary>
          <ol>{ranked.slice(FIRST).map(line)}</ol>
        </details>
      )}
    </section>
  )
}

function AidLine({
  ranked: r,
  common,
  onPlan,
}: {
  ranked: Ranked
  common: string[]
  onPlan: (job: Job) => void
}) {
  const p = r.predicted
  const price = usePrice()
  return (
    <li className="border-b border-line py-3">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <span className="text-lg font-bold">{r.title}</span>
        {r.part && <span className="figure text-soft">{r.part}</span>}
        <VerdictMark verdict={r.fits ? 'pass' : 'unknown'} word={r.fits ? t`Fits` : t`Not recommended`} />
        {r.price !== null && (
          <span className="figure ml-auto">
            {price(r.price)}
            {r.cost !== null && <span className="text-soft">{t`· installed ${price(r.cost)}`}</span>}
          </span>
        )}
      </div>
      <ul className="figure flex flex-wrap gap-x-5 text-sm">
        <li>
          {p.time_to_speed_s === null
            ? t`never up to speed`
            : t`up to speed ${figure(p.time_to_speed_s, 2)} s`}
        </li>
        {r.start_cap_range ? (
          <li>
            {figure(r.start_cap_range.low_uf)}–{figure(r.start_cap_range.high_uf)} µF
          </li>
        ) : (
          r.start_cap_uf !== null && <li>{figure(r.start_cap_uf, 3)} µF</li>
        )}
        {r.relay && (
          <li>{t`relay picks up ${figure(r.relay.pickup_low_v)}–${figure(r.relay.pickup_high_v)} V`}</li>
        )}
        {r.count !== null && <li>{t`${r.count} on the van`}</li>}
      </ul>
      <ul className="pt-1">
        {r.why.map((w) => (
          <li key={w}>▲ {w}</li>
        ))}
        {r.against
          .filter((a) => !common.includes(a))
          .map((a) => (
            <li key={a} className="text-soft">
              ▽ {a}
            </li>
          ))}
        {r.min_off_s !== null && <li>{t`Off at least ${figure(r.min_off_s / 60)} min between starts.`}</li>}
      </ul>
      <details>
        <summary className="min-h-11 cursor-pointer py-2 text-sm">{t`More figures`}</summary>
        <ul className="figure flex flex-wrap gap-x-5 pb-2 text-sm">
          <li>{t`largest cycle ${figure(p.max_cycle_rms_a, 3)} A`}</li>
          <li>{t`100 ms ${figure(p.inrush_100ms_a, 3)} A`}</li>
          <li>{t`dip ${figure(p.sag_pct, 2)} %`}</li>
          <li>I²t {figure(p.i2t, 2)} A²s</li>
          {r.range && <li>{t`for ${figure(r.range.rla_a)} A RLA, ${figure(r.range.lra_a)} A LRA`}</li>}
          {r.jumpers && <li>{t`Taps: ${r.jumpers}`}</li>}
          {r.mounting && <li>{t`Mounting: ${r.mounting}.`}</li>}
        </ul>
      </details>
      {r.wiring_plan && (
        <Button
          className="mt-2"
          onClick={() =>
            onPlan({
              work: 'aid',
              part: r.part,
              title: r.part ? `${r.title} ${r.part}` : r.title,
              kind: r.wiring_plan as Job['kind'],
              ...(r.taps_uf.length > 0 && {
                more: {
                  wanted_uf: r.start_cap_uf,
                  sections_uf: r.sections_uf,
                  has_start_kit: false,
                },
              }),
              min_off_s: r.min_off_s,
              learning_starts: r.learning_starts,
            })
          }
        >{t`Plan the wiring`}</Button>
      )}
    </li>
  )
}
