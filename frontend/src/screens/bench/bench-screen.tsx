import { t } from '@lingui/core/macro'
import { useMutation, useQuery } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'
import { answer, client, PRACTICE, problemOf, type Schemas } from '../../api/client'
import { usePeople } from '../../api/queries'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { FigureField, TextField } from '../../parts/field'
import { Pick } from '../../parts/pick'
import { ProblemNote } from '../../parts/problem'
import { useTitle } from '../../parts/title'
import { usePerson } from '../../parts/who'
import { parseCount } from '../../quantities/figure'
import { day, figure } from '../../quantities/format'
import { LabTabs } from '../lab/lab-tabs'

type Home = Schemas['PracticeHome']
type Run = Schemas['PracticeRunOut']
type NewRun = Schemas['NewRun']

/** Practice: what is due, the twelve graded calls, endless ones, races; for the lead everyone's results. */
export function BenchScreen() {
  useTitle(t`Practice`)
  const { person } = usePerson()
  const home = useQuery({
    queryKey: ['practice home', person?.id],
    queryFn: () => answer(client.GET('/api/practice')),
  })
  const begin = useMutation({
    mutationFn: (body: NewRun) => answer(client.POST('/api/practice/runs', { body })),
    // The practice call is another set of records: the page is opened again for it.
    onSuccess: (run) => location.assign(`/practice/calls/${run.call_number}`),
  })
  const data = home.data
  return (
    <div className="mx-auto max-w-5xl p-3 sm:p-5">
      <LabTabs />
      <h1 className="text-2xl font-bold">{t`Practice`}</h1>
      <p className="max-w-prose pb-3 text-soft">{t`Practice calls on a simulated unit. Mistakes have consequences there; shop records stay untouched.`}</p>
      {PRACTICE && (
        <p className="pb-3">
          <a href="/bench" className="underline">{t`Leave practice`}</a>
        </p>
      )}
      {home.isError && <ProblemNote problem={problemOf(home.error)} onRetry={() => home.refetch()} />}
      <ProblemNote problem={problemOf(begin.error)} />
      {data && (
        <div className="grid gap-6">
          <Ahead home={data} busy={begin.isPending} begin={begin.mutate} />
          <Graded home={data} busy={begin.isPending} begin={begin.mutate} />
          <Endless busy={begin.isPending} begin={begin.mutate} />
          <Skills home={data} />
          <Runs title={t`Your calls`} runs={data.runs} />
          {person?.role === 'lead' && <Lead home={data} onSet={() => home.refetch()} />}
        </div>
      )}
    </div>
  )
}

type Beginning = { busy: boolean; begin: (body: NewRun) => void }

function titleOf(home: Home, key: string): string {
  const graded = home.scenarios.find((s) => s.key === key)
  if (graded) return `${graded.number}. ${graded.title}`
  const [, level = '', seed = ''] = key.split('-')
  return t`Level ${level}, call ${seed}`
}

/** What goes on, what the lead set, what is due again. */
function Ahead({ home, busy, begin }: { home: Home } & Beginning) {
  const going = home.runs.filter((r) => r.ended_at === null).slice(0, 3)
  if (going.length + home.sets.length + home.due.length === 0) return null
  return (
    <section aria-label={t`Now`} className="border-2 border-ink bg-field p-3">
      <h2 className="text-lg font-bold">{t`Now`}</h2>
      <ul>
        {going.map((r) => (
          <Line key={`run ${r.id}`} title={titleOf(home, r.scenario)} note={t`Begun ${day(r.started_at)}.`}>
            <a
              className="inline-flex min-h-11 items-center border-2 border-line bg-field px-3 font-bold"
              href={`/practice/calls/${r.call_number}`}
            >{t`Go on`}</a>
          </Line>
        ))}
        {home.sets.map((s) => (
          <Line
            key={`set ${s.id}`}
            title={titleOf(home, s.scenario)}
            note={t`Set by ${s.by}, by ${s.due_on}.`}
          >
            <Button busy={busy} onClick={() => begin({ scenario: s.scenario } as NewRun)}>{t`Begin`}</Button>
          </Line>
        ))}
        {home.due.map((d) => (
          <Line key={`due ${d.key}`} title={titleOf(home, d.key)} note={t`Due. ${d.why}`}>
            <Button busy={busy} onClick={() => begin({ scenario: d.key } as NewRun)}>{t`Begin`}</Button>
          </Line>
        ))}
      </ul>
    </section>
  )
}

function Line({ title, note, children }: { title: string; note: string; children: ReactNode }) {
  return (
    <li className="flex flex-wrap items-center gap-3 border-t border-faint py-2">
      <span className="min-w-40 flex-1">
        <b>{title}</b> <span className="block text-soft">{note}</span>
      </span>
      {children}
    </li>
  )
}

function Graded({ home, busy, begin }: { home: Home } & Beginning) {
  return (
    <section aria-label={t`Graded calls`}>
      <h2 className="text-lg font-bold">{t`Twelve calls, in order of work`}</h2>
      <p className="text-soft">{t`Each one tests a common mistake.`}</p>
      <ol>
        {home.scenarios.map((s) => (
          <li
            key={s.key}
            className="grid grid-cols-[2rem_1fr_auto] items-center gap-x-3 border-t border-faint py-2 @max-[17rem]:block"
          >
            <span className="figure text-xl">{s.number}</span>
            <span>
              <b>{s.title}</b>
              <span className="block text-soft">“{s.complaint}”</span>
              <span className={s.passed ? 'font-bold text-pass' : 'text-soft'}>
                {s.best === null || s.best === undefined
                  ? t`Not tried`
                  : t`${s.passed ? t`✓ Passed` : t`△ Not yet`}, best ${figure(s.best)}`}
              </span>
            </span>
            <Button busy={busy} onClick={() => begin({ scenario: s.key } as NewRun)}>{t`Begin`}</Button>
          </li>
        ))}
      </ol>
    </section>
  )
}

const LEVELS = [
  { value: '1', label: t`1 · plain faults` },
  { value: '2', label: t`2 · around the compressor` },
  { value: '3', label: t`3 · rare, in pairs, with traps` },
]

function Endless({ busy, begin }: Beginning) {
  const [level, setLevel] = useState('1')
  const [seed, setSeed] = useState('')
  const [code, setCode] = useState('')
  const number = parseCount(seed)
  const body = { level: Number(level), ...(number === null ? {} : { seed: number }) }
  return (
    <section aria-label={t`Endless calls`} className="grid gap-3">
      <h2 className="text-lg font-bold">{t`One more, of any kind`}</h2>
      <Choice label={t`Level`} options={LEVELS} value={level} onChange={setLevel} />
      <div className="flex flex-wrap items-end gap-3">
        <div className="w-40">
          <FigureField label={t`Call number, if any`} unit="" whole value={seed} onChange={setSeed} />
        </div>
        <Button kind="primary" busy={busy} onClick={() => begin(body as NewRun)}>{t`Begin`}</Button>
        <Button
          busy={busy}
          onClick={() => begin({ ...body, open_race: true } as NewRun)}
        >{t`Begin as a race`}</Button>
      </div>
      <div className="flex flex-wrap items-end gap-3">
        <div className="w-40">
          <TextField
            label={t`Join a race: its six letters`}
            value={code}
            onChange={(text) => setCode(text.toUpperCase())}
          />
        </div>
        <Button
          busy={busy}
          disabled={code.trim().length !== 6}
          onClick={() => begin({ race: code.trim() } as NewRun)}
        >{t`Join`}</Button>
      </div>
    </section>
  )
}

function Skills({ home }: { home: Home }) {
  if (!home.skills.some((s) => s.of > 0)) return null
  return (
    <section aria-label={t`Skills`}>
      <h2 className="text-lg font-bold">{t`Your record`}</h2>
      <p className="text-soft">{t`Your last ${home.skills[0]?.of ?? 0} calls.`}</p>
      <ul className="grid gap-1 pt-1 sm:grid-cols-2">
        {home.skills.map((s) => (
          <li key={s.skill} className="grid grid-cols-[10rem_1fr_auto] items-center gap-2">
            <span>{s.title}</span>
            <span className="flex h-4 border border-line bg-field" aria-hidden>
              {Array.from({ length: s.of }, (_, i) => `${s.skill} ${i}`).map((key, i) => (
                <span key={key} className={`flex-1 border-r border-plane ${i < s.held ? 'bg-pass' : ''}`} />
              ))}
            </span>
            <span className="figure">{t`${s.held} of ${s.of}`}</span>
          </li>
        ))}
      </ul>
    </section>
  )
}

function Runs({ title, runs, who = false }: { title: string; runs: Run[]; who?: boolean }) {
  const over = runs.filter((r) => r.ended_at !== null)
  if (over.length === 0) return null
  return (
    <section aria-label={title}>
      <h2 className="text-lg font-bold">{title}</h2>
      <ul>
        {over.slice(0, 30).map((r) => (
          <li key={r.id} className="flex flex-wrap items-center gap-3 border-t border-faint py-1">
            {who && <span className="min-w-32">{r.learner}</span>}
            <span className="min-w-40 flex-1">
              {r.scenario.replace('graded-', 'Call ').replace(/^seed-(\d)-/, 'Level $1, call ')}
              {r.race ? t` · race ${r.race}` : ''}
            </span>
            <span className={r.passed ? 'font-bold text-pass' : 'font-bold text-fail'}>
              {r.passed ? '✓' : '✕'} {figure(r.total ?? 0)}
            </span>
            <span className="text-soft">{t`${figure(r.minutes ?? 0)} min`}</span>
            <a
              className="inline-flex min-h-11 items-center underline"
              href={`/practice/score/${r.call_number}`}
            >{t`Score sheet`}</a>
          </li>
        ))}
      </ul>
    </section>
  )
}

/** The lead sets a call, and sees how it went. */
function Lead({ home, onSet }: { home: Home; onSet: () => void }) {
  const people = usePeople()
  const learners = people.data?.filter((p) => p.role !== 'office') ?? []
  const [learner, setLearner] = useState('')
  const [scenario, setScenario] = useState(home.scenarios[0]?.key ?? '')
  const [due, setDue] = useState('')
  const set = useMutation({
    mutationFn: () =>
      answer(
        client.POST('/api/practice/sets', {
          body: { scenario, learners: [Number(learner)], due_on: due },
        }),
      ),
    onSuccess: onSet,
  })
  return (
    <section aria-label={t`For the lead`} className="grid gap-3 border-2 border-line p-3">
      <h2 className="text-lg font-bold">{t`Set a call`}</h2>
      <div className="grid items-end gap-3 sm:grid-cols-4">
        <Pick
          label={t`For`}
          value={learner}
          onChange={setLearner}
          options={[
            { value: '', label: t`Pick a person` },
            ...learners.map((p) => ({ value: String(p.id), label: p.name })),
          ]}
        />
        <Pick
          label={t`Call`}
          value={scenario}
          onChange={setScenario}
          options={home.scenarios.map((s) => ({ value: s.key, label: `${s.number}. ${s.title}` }))}
        />
        <label className="block">
          <span className="text-sm font-bold text-soft">{t`By`}</span>
          <input
            type="date"
            className="block min-h-12 w-full border-2 border-line bg-field px-2"
            value={due}
            onChange={(e) => setDue(e.target.value)}
          />
        </label>
        <Button
          kind="primary"
          busy={set.isPending}
          disabled={!learner || !due}
          onClick={() => set.mutate()}
        >{t`Set it`}</Button>
      </div>
      <ProblemNote problem={problemOf(set.error)} />
      {set.isSuccess && <p role="status">{t`✓ Set. It is on their Practice page.`}</p>}
      <Runs title={t`Everyone's calls`} runs={home.everybody} who />
    </section>
  )
}
