import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { answer, at, client, problemOf, type Schemas, type Unit } from '../../api/client'
import { useUnit } from '../../api/queries'
import { Trend } from '../../charts/trend'
import { Button } from '../../parts/button'
import { Gallery } from '../../parts/photos'
import { ProblemNote } from '../../parts/problem'
import { Sheet } from '../../parts/sheet'
import { useTitle } from '../../parts/title'
import { VerdictMark, Why } from '../../parts/verdict'
import { usePerson } from '../../parts/who'
import { day, figure } from '../../quantities/format'
import { inUnit, measure, unitWord } from '../../quantities/measures'
import { PlanForm } from '../day/day-screen'
import { TaskLine } from '../day/due-screen'
import { useTasks } from '../day/use-day'
import { TimeLine } from './time-line'
import { UnitForm } from './unit-form'

/** The last visit in a few lines: when, what for, what was left. */
function LastVisit({ page }: { page: Schemas['UnitPage'] }) {
  const last = page.calls[0]
  if (!last) return null
  return (
    <section aria-label={t`Last visit`} className="pt-4">
      <h2 className="border-b-2 border-ink text-lg font-bold">{t`Last visit`}</h2>
      <p className="py-1">
        <Link className="underline underline-offset-4" to={`/calls/${last.id}`}>
          {day(last.opened_at)}
        </Link>{' '}
        · “{last.complaint}” {last.status === 'open' && <b>{t`· open`}</b>}
      </p>
      <ul aria-label={t`Left at the last visit`}>
        {page.fails.map((f) => (
          <li key={f.key} className="py-1">
            <VerdictMark verdict={f.verdict} word={f.title} /> {f.text}
          </li>
        ))}
      </ul>
      {page.fails.length === 0 && <p className="text-soft">{t`Nothing that failed was left.`}</p>}
    </section>
  )
}

export function UnitScreen() {
  const { id } = useParams()
  const page = useUnit(Number(id))
  const navigate = useNavigate()
  const [editing, setEditing] = useState(false)
  useTitle(page.data ? `${page.data.unit.name}, ${page.data.unit.site.name}` : t`Unit`)
  if (page.isPending) return <p className="p-6">{t`Opening…`}</p>
  if (!page.data)
    return (
      <div className="mx-auto max-w-xl p-6">
        <ProblemNote problem={problemOf(page.error)} onRetry={() => page.refetch()} />
        <Link to="/units" className="inline-block py-3 underline">{t`Back to Units`}</Link>
      </div>
    )
  const { unit, plates, starts, logbook: book } = page.data
  const series = (quantity: string) => starts.filter((s) => s.quantity === quantity)
  return (
    <div className="mx-auto max-w-5xl p-3 sm:p-5">
      <h1 className="text-2xl font-bold">{unit.name}</h1>
      <p className="text-soft">
        {unit.site.name}, {unit.site.place} · {unit.kind}
      </p>
      {unit.note && <p className="pt-1">{unit.note}</p>}
      <dl className="grid max-w-xl grid-cols-[auto_1fr] gap-x-4 pt-2">
        {facts(unit).map(([word, said]) => (
          <div key={word} className="contents">
            <dt className="text-soft">{word}</dt>
            <dd className="break-words">{said}</dd>
          </div>
        ))}
      </dl>
      <div className="flex flex-wrap items-center gap-3 pt-2">
        <Button onClick={() => setEditing(true)}>{t`Edit`}</Button>
        <a
          href={at(`/api/units/${unit.id}/label.svg`)}
          target="_blank"
          rel="noreferrer"
          className="inline-flex min-h-11 items-center underline underline-offset-4"
        >{t`Label with QR code, to print`}</a>
        <a
          href={at(`/api/units/${unit.id}/record.csv`)}
          className="inline-flex min-h-11 items-center underline underline-offset-4"
        >{t`Record as CSV`}</a>
        <a
          href={at(`/api/units/${unit.id}/archive.zip`)}
          className="inline-flex min-h-11 items-center underline underline-offset-4"
        >{t`Archive`}</a>
      </div>
      <Sheet open={editing} onOpenChange={setEditing} title={t`The unit`}>
        <UnitForm unit={unit} onDone={() => setEditing(false)} />
      </Sheet>
      {unit.open_call_id && (
        <Button
          kind="primary"
          className="mt-3"
          onClick={() => navigate(`/calls/${unit.open_call_id}`)}
        >{t`Go on with the open call`}</Button>
      )}
      {plates.length > 0 && (
        <Link
          to={`/lab?unit=${unit.id}`}
          className="inline-flex min-h-11 items-center pt-2 underline"
        >{t`Compute a start of this unit`}</Link>
      )}
      <LastVisit page={page.data} />
      <Ahead unitId={unit.id} />
      <Amps book={book} />
      <div className="grid gap-6 pt-5 lg:grid-cols-2">
        {TRENDS.map((trend) => (
          <Trend
            key={trend.quantity}
            title={trend.title}
            unit={trend.unit}
            points={series(trend.quantity)}
            band={book.bands.find((b) => b.quantity === trend.quantity)}
            ahead={book.forecasts.find((f) => f.quantity === trend.quantity)}
          />
        ))}
        <Trend
          title={t`Start time`}
          unit="s"
          band={book.bands.find((b) => b.quantity === 'start_time_s')}
          ahead={book.slowing ?? undefined}
          points={starts
            .filter((s) => s.quantity === 'inrush_a' && s.seconds !== null)
            .map((s) => ({ ...s, value: s.seconds as number }))}
        />
      </div>
      {(book.switchings || book.slowing) && (
        <ul aria-label={t`Starts`} className="pt-3">
          {book.switchings && (
            <li>
              {book.switchings.more ? (
                <VerdictMark verdict="watch" word={book.switchings.words} />
              ) : (
                book.switchings.words
              )}
            </li>
          )}
          {book.slowing && <li>{book.slowing.words}</li>}
        </ul>
      )}
      {book.trends.some((trend) => trend.sure) && (
        <ul className="pt-3">
          {book.trends
            .filter((trend) => trend.sure)
            .map((trend) => (
              <li key={trend.quantity}>{trend.words}</li>
            ))}
        </ul>
      )}
      {page.data.fitted.length > 0 && (
        <section aria-label={t`Fitted now`} className="pt-6">
          <h2 className="border-b-2 border-ink text-lg font-bold">{t`Fitted now`}</h2>
          <ul>
            {page.data.fitted.map((f) => (
              <li key={f.part} className="flex flex-wrap gap-x-4 border-b border-faint py-2">
                <b className="min-w-40">{f.title}</b>
                <Link to={`/calls/${f.call_id}`}>{f.what}</Link>
                <span className="text-soft">
                  {f.person}, {day(f.fitted_at)}
                </span>
              </li>
            ))}
          </ul>
        </section>
      )}
      <TimeLine unitId={unit.id} />
      <UnitPhotos id={unit.id} />
      <h2 className="mt-6 border-b-2 border-ink text-lg font-bold">{t`Nameplate`}</h2>
      {plates.length === 0 && <p className="py-2 text-soft">{t`Not read yet; it is read on a call.`}</p>}
      {plates.map((p) => (
        <PlateLine key={p.number} plate={p} />
      ))}
    </div>
  )
}

const TRENDS = [
  { quantity: 'run_cap_uf', title: t`Run capacitor`, unit: 'µF' },
  { quantity: 'running_a', title: t`Running amps`, unit: 'A' },
  { quantity: 'inrush_a', title: t`Inrush on C`, unit: 'A' },
  { quantity: 'fan_cap_uf', title: t`Fan capacitor`, unit: 'µF' },
  { quantity: 'contactor_drop_v', title: t`Contactor drop`, unit: 'V' },
  { quantity: 'line_v_idle', title: t`Line volts, idle`, unit: 'V' },
] as const

/** What is planned and due on this unit. */
function Ahead({ unitId }: { unitId: number }) {
  const { person } = usePerson()
  const tasks = useTasks(null, unitId)
  const [planning, setPlanning] = useState(false)
  return (
    <section aria-label={t`Ahead`} className="pt-5">
      <h2 className="border-b-2 border-ink text-lg font-bold">{t`To do`}</h2>
      <ul>
        {tasks.data?.map((task) => (
          <TaskLine key={task.id} task={task} />
        ))}
      </ul>
      {tasks.data?.length === 0 && <p className="py-2 text-soft">{t`Nothing is due on this unit.`}</p>}
      <Button className="mt-2" onClick={() => setPlanning(true)}>{t`Plan a visit`}</Button>
      <Sheet open={planning} onOpenChange={setPlanning} title={t`Plan a visit`}>
        <PlanForm visitor={person?.id ?? null} unitId={unitId} onDone={() => setPlanning(false)} />
      </Sheet>
    </section>
  )
}

/** Today's amps against what this unit draws. */
function Amps({ book }: { book: Schemas['Logbook'] }) {
  const { baseline: line, latest_amps: latest } = book
  if (!line) return null
  return (
    <section aria-label={t`Own baseline`} className="pt-5">
      <h2 className="border-b-2 border-ink text-lg font-bold">{t`What this unit draws`}</h2>
      <p className="py-2">
        <span className="figure text-lg">{figure(line.at_95f_a, 3)} A</span>{' '}
        {t`at ${measure(95, '°F')}, ${figure(line.rise_pct_per_f / inUnit('Δ°F').of(1), 2)} % more for each ${unitWord('Δ°F')}, by ${line.visits} visits`}
        {line.few && t`: few, so take it as a hint`}.
      </p>
      {latest && (
        <Why
          summary={<VerdictMark verdict={latest.verdict} word={t`Last visit: ${latest.text}`} />}
          findings={[latest]}
        />
      )}
    </section>
  )
}

/** What is known of a unit beside its plate; what no one said is not listed. */
function facts(unit: Unit): [string, string][] {
  const warranty = unit.warranty_until
  const all: [string, string | null | undefined | false][] = [
    [t`Model`, unit.model],
    [t`Serial`, unit.serial],
    [
      t`Built`,
      typeof unit.built_year === 'number' && t`${unit.built_year}, ${unit.age_years ?? 0} years old`,
    ],
    [
      t`Warranty`,
      warranty && (unit.warranty_over ? t`until ${day(warranty)}, over` : t`until ${day(warranty)}`),
    ],
    [t`Contact`, unit.site.contact],
    [t`Getting in`, unit.site.access_note],
    [t`Access to the unit`, unit.access_note],
  ]
  return all.filter((row): row is [string, string] => Boolean(row[1]))
}

function UnitPhotos({ id }: { id: number }) {
  const photos = useQuery({
    queryKey: ['unit', id, 'photos'],
    queryFn: () => answer(client.GET('/api/units/{unit_id}/photos', { params: { path: { unit_id: id } } })),
  })
  if (!photos.data?.length) return null
  return (
    <>
      <h2 className="mt-6 mb-2 border-b-2 border-ink text-lg font-bold">{t`Photos`}</h2>
      <Gallery photos={photos.data} />
    </>
  )
}

function PlateLine({ plate }: { plate: Schemas['PlateOut'] }) {
  const p = plate.plate
  if (!p)
    return (
      <p className="border-b border-faint py-2">
        {t`Version ${plate.number} cannot be read by today's rules:`} {plate.trouble}
        {t`. Read it again on a call.`}
      </p>
    )
  return (
    <div className="border-b border-faint py-2">
      <p className="figure">{t`${figure(p.volts)} V · ${p.phase} ph · ${p.compressors
        .map((c) => `RLA ${figure(c.rla_a)}${c.lra_a ? ` LRA ${figure(c.lra_a)}` : ''}`)
        .join(
          ' + ',
        )}${p.mca_a ? ` · MCA ${figure(p.mca_a)}` : ''}${p.mocp_a ? ` · MOCP ${figure(p.mocp_a)}` : ''}${p.run_cap_uf ? ` · ${figure(p.run_cap_uf)}${p.fan_cap_uf ? `/${figure(p.fan_cap_uf)}` : ''} µF` : ''}`}</p>
      <p className="text-sm text-soft">{t`Version ${plate.number}, ${plate.person}, ${day(plate.recorded_at)}`}</p>
    </div>
  )
}
