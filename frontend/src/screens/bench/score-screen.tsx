import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useParams } from 'react-router'
import { answer, at, client, problemOf, type Schemas } from '../../api/client'
import { Lines } from '../../charts/lines'
import { Button } from '../../parts/button'
import { ProblemNote } from '../../parts/problem'
import { useTitle } from '../../parts/title'
import { figure } from '../../quantities/format'

type ScoreOut = Schemas['ScoreOut']
type Dimension = Schemas['Dimension']

/** What a practice call was worth: every point leads to its moment, every start to what the model ran. */
export function ScoreScreen() {
  const { id } = useParams()
  const params = { path: { call_id: Number(id) } }
  const sheet = useQuery({
    queryKey: ['score', Number(id)],
    queryFn: () => answer(client.GET('/api/practice/calls/{call_id}/score', { params })),
  })
  useTitle(t`Score`)
  const [moment, setMoment] = useState<number | null>(null)
  if (sheet.isError)
    return (
      <div className="mx-auto max-w-xl p-4">
        <ProblemNote problem={problemOf(sheet.error)} onRetry={() => sheet.refetch()} />
        <Link className="inline-block py-3 underline" to={`/calls/${id}`}>{t`Back to the call`}</Link>
      </div>
    )
  if (!sheet.data) return <p className="p-6">{t`Scoring…`}</p>
  const { score, told, starts, race, run } = sheet.data
  const show = (act: number) => {
    setMoment(act)
    document.getElementById(`act-${act}`)?.scrollIntoView({ block: 'center' })
  }
  return (
    <div className="mx-auto grid max-w-6xl grid-cols-[minmax(0,1fr)] gap-5 p-3 sm:p-5 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
      <div className="grid grid-cols-[minmax(0,1fr)] content-start gap-5">
        <header className="border-2 border-ink bg-field p-4">
          <h1
            className={`text-2xl font-bold ${score.passed ? 'text-pass' : 'text-fail'}`}
          >{t`${score.passed ? t`✓ Passed` : t`✕ Not passed`}: ${figure(score.total)} of 100`}</h1>
          <p>
            {t`Cause:`} <b>{score.cause}</b>
            {t`. ${figure(score.minutes)} minutes; an expert took ${figure(score.best_minutes)}.`}
          </p>
          {score.cost > 0 && <p>{t`Your mistakes would have cost about $${figure(score.cost, 6)}.`}</p>}
          {score.hurt && (
            <div className="mt-2 border-l-[7px] border-fail p-2">
              <p className="font-bold text-fail">{t`You would have been hurt: ${score.hurt}`}</p>
              <p>{t`Skipped: ${score.skipped.join('; ') || t`no test that would have shown it`}.`}</p>
            </div>
          )}
          <p className="flex flex-wrap gap-3 pt-2">
            <Link className="underline" to={`/calls/${run.call_number}`}>{t`The call's record`}</Link>
            <a className="underline" href="/bench">{t`Another call`}</a>
          </p>
        </header>
        {race.length > 0 && <Race sheet={sheet.data} />}
        <section aria-label={t`By dimension`}>
          {score.dimensions.map((d) => (
            <DimensionRow key={d.skill} dimension={d} onMoment={show} />
          ))}
        </section>
        <Tests sheet={sheet.data} onMoment={show} />
        <section aria-label={t`An expert's way`}>
          <h2 className="text-lg font-bold">{t`An expert's way`}</h2>
          <ol className="list-decimal pl-6">
            {score.expert.map((step, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: steps may repeat, and never move
              <li key={i}>{step}</li>
            ))}
          </ol>
        </section>
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)] content-start gap-5">
        <section aria-label={t`Time line`}>
          <h2 className="text-lg font-bold">{t`What happened`}</h2>
          <ol className="border-l-2 border-line">
            {told.map((test, i) => (
              <li
                // biome-ignore lint/suspicious/noArrayIndexKey: a time line that is over does not move
                key={i}
                id={told.findIndex((o) => o.act === test.act) === i ? `act-${test.act}` : undefined}
                className={`py-1 pl-3 ${test.act === moment ? 'bg-orange/25' : ''} ${test.kind === 'harm' ? 'font-bold text-fail' : ''}`}
              >
                <span className="figure pr-2 text-soft">{clock(test.at_s)}</span>
                {test.kind === 'harm' ? '✕ ' : ''}
                {test.text}
              </li>
            ))}
          </ol>
        </section>
        <Starts call={run.call_number} starts={starts} moment={moment} />
      </div>
    </div>
  )
}

const clock = (s: number) => `${Math.floor(s / 60)}:${String(Math.floor(s % 60)).padStart(2, '0')}`

function DimensionRow({ dimension: d, onMoment }: { dimension: Dimension; onMoment: (act: number) => void }) {
  return (
    <details className="border-t border-line" open={d.points < 100}>
      <summary className="flex min-h-12 cursor-pointer flex-wrap items-center gap-x-3">
        <span className="min-w-36 font-bold">{d.title}</span>
        <span className="h-4 min-w-16 flex-1 border border-line bg-field" aria-hidden>
          <span
            className={`block h-full ${d.points < 60 ? 'bg-fail' : d.points < 100 ? 'bg-watch' : 'bg-pass'}`}
            style={{ width: `${d.points}%` }}
          />
        </span>
        <span className="figure w-12 text-right">{figure(d.points)}</span>
      </summary>
      <ul className="pb-2">
        {d.why.map((p) => (
          <li key={p.text} className="flex flex-wrap items-center gap-2 py-1">
            <span className={`figure w-12 ${p.lost > 0 ? 'text-fail' : 'text-pass'}`}>
              {p.lost > 0 ? `−${figure(p.lost)}` : '✓'}
            </span>
            <span className="min-w-40 flex-1">{p.text}</span>
            {typeof p.act === 'number' && (
              <Button
                className="px-2 text-sm"
                onClick={() => onMoment(p.act as number)}
              >{t`Show the moment`}</Button>
            )}
          </li>
        ))}
      </ul>
    </details>
  )
}

/** What each test told of the true cause, and which would have told most. */
function Tests({ sheet, onMoment }: { sheet: ScoreOut; onMoment: (act: number) => void }) {
  const { tests } = sheet.score
  if (tests.length === 0) return null
  return (
    <section aria-label={t`Tests`}>
      <h2 className="text-lg font-bold">{t`What each test showed`}</h2>
      <p className="text-soft">{t`Chance of the true cause, before and after.`}</p>
      <ul>
        {tests.map((test) => (
          <li key={test.test} className="flex flex-wrap items-center gap-x-3 border-t border-faint py-1">
            <button
              type="button"
              className="min-h-11 min-w-48 flex-1 text-left underline"
              onClick={() => onMoment(test.act)}
            >
              {test.title}
            </button>
            <span className="figure">
              {percent(test.before)} → {percent(test.after)}
            </span>
            {test.best && (
              <span className="basis-full text-sm text-soft">{t`Most useful here: ${test.best}.`}</span>
            )}
          </li>
        ))}
      </ul>
    </section>
  )
}

const percent = (share: number) => `${Math.round(100 * share)} %`

function Race({ sheet }: { sheet: ScoreOut }) {
  return (
    <section aria-label={t`The race`} className="border-2 border-line p-3">
      <h2 className="text-lg font-bold">
        {t`Race`} {sheet.run.race}
      </h2>
      <ul>
        {sheet.race.map((r) => (
          <li key={r.id} className="flex flex-wrap gap-3 py-1">
            <span className="min-w-32 flex-1">{r.learner}</span>
            <span className="figure">{r.ended_at ? t`${figure(r.total ?? 0)} points` : t`under way`}</span>
            <span className="text-soft">
              {r.ended_at ? t`${figure(r.minutes ?? 0)} min, ${r.acts} steps` : t`${r.acts} steps`}
            </span>
          </li>
        ))}
      </ul>
    </section>
  )
}

/** Each start; a moment of the time line opens the one that led to it. */
function Starts({
  call,
  starts,
  moment,
}: {
  call: number
  starts: Schemas['StartWatched'][]
  moment: number | null
}) {
  const [picked, setPicked] = useState({ moment, open: 0 })
  const led = starts.findLastIndex((s) => moment !== null && s.act <= moment)
  const open = picked.moment === moment ? picked.open : Math.max(0, led)
  const setOpen = (i: number) => setPicked({ moment, open: i })
  const start = starts[Math.min(open, starts.length - 1)]
  if (!start) return null
  return (
    <section aria-label={t`Starts`}>
      <h2 className="text-lg font-bold">{t`Starts, as the model ran them`}</h2>
      <div className="flex flex-wrap gap-2 pb-2">
        {starts.map((s, i) => (
          <Button
            key={s.number}
            className="px-3 text-sm aria-pressed:bg-ink aria-pressed:text-plane"
            aria-pressed={s.number === start.number}
            onClick={() => setOpen(i)}
          >
            {s.number}. {s.started ? 'started' : 'stalled'}
          </Button>
        ))}
      </div>
      <Lines
        title={t`Line current, start ${start.number}`}
        curves={[{ label: t`Line current`, x: start.time_s, y: start.line_a }]}
        xLabel={t`time [s]`}
        yLabel={t`amps`}
        unit="A"
        height={130}
      />
      <Lines
        title={t`Speed, start ${start.number}`}
        curves={[{ label: t`Speed`, x: start.time_s, y: start.speed_pct }]}
        xLabel={t`time [s]`}
        yLabel={t`speed`}
        unit="%"
        height={110}
      />
      {/* biome-ignore lint/a11y/useMediaCaption: a motor says no words */}
      <audio
        controls
        preload="none"
        className="mt-2 w-full"
        aria-label={t`Start ${start.number} as sound`}
        src={at(`/api/practice/calls/${call}/starts/${start.number}.wav`)}
      />
    </section>
  )
}
