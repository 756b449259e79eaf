import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { answer, client, problemOf, type Schemas, type Unit } from '../../api/client'
import { useUnit } from '../../api/queries'
import { Trend } from '../../charts/trend'
import { Button } from '../../parts/button'
import { Gallery } from '../../parts/photos'
import { ProblemNote } from '../../parts/problem'
import { Sheet } from '../../parts/sheet'
import { useTitle } from '../../parts/title'
import { clock, day, figure } from '../../quantities/format'
import { UnitForm } from './unit-form'

export function UnitScreen() {
  const { id } = useParams()
  const page = useUnit(Number(id))
  const navigate = useNavigate()
  const [editing, setEditing] = useState(false)
  useTitle(page.data ? `${page.data.unit.name}, ${page.data.unit.site.name}` : 'Unit')
  if (page.isPending) return <p className="p-6">Opening…</p>
  if (!page.data)
    return (
      <div className="mx-auto max-w-xl p-6">
        <ProblemNote problem={problemOf(page.error)} onRetry={() => page.refetch()} />
        <Link to="/units" className="inline-block py-3 underline">
          Back to Units
        </Link>
      </div>
    )
  const { unit, plates, calls, starts } = page.data
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
        <Button onClick={() => setEditing(true)}>Edit</Button>
        <a
          href={`/api/units/${unit.id}/label.svg`}
          target="_blank"
          rel="noreferrer"
          className="inline-flex min-h-11 items-center underline underline-offset-4"
        >
          Label with QR code, to print
        </a>
      </div>
      <Sheet open={editing} onOpenChange={setEditing} title="The unit">
        <UnitForm unit={unit} onDone={() => setEditing(false)} />
      </Sheet>
      {unit.open_call_id && (
        <Button kind="primary" className="mt-3" onClick={() => navigate(`/calls/${unit.open_call_id}`)}>
          Go on with the open call
        </Button>
      )}
      {plates.length > 0 && (
        <Link to={`/lab?unit=${unit.id}`} className="inline-flex min-h-11 items-center pt-2 underline">
          Compute a start of this unit
        </Link>
      )}
      <div className="grid gap-6 pt-5 lg:grid-cols-2">
        <Trend title="Inrush on C" unit="A" points={series('inrush_a')} />
        <Trend title="Running amps" unit="A" points={series('running_a')} />
        <Trend title="Run capacitor" unit="µF" points={series('run_cap_uf')} />
        <Trend title="Line volts, idle" unit="V" points={series('line_v_idle')} />
        <Trend
          title="Start took"
          unit="s"
          points={series('inrush_a')
            .filter((s) => s.seconds !== null)
            .map((s) => ({ ...s, value: s.seconds as number }))}
        />
      </div>
      <h2 className="mt-6 border-b-2 border-ink text-lg font-bold">Calls</h2>
      <ul>
        {calls.map((c) => (
          <li key={c.id} className="border-b border-faint">
            <Link
              to={`/calls/${c.id}`}
              className="flex flex-wrap gap-x-3 py-2 hover:bg-plane sm:grid sm:grid-cols-[8rem_1fr]"
            >
              <span className="figure text-sm text-soft">
                {day(c.opened_at)} {c.status === 'open' ? clock(c.opened_at) : ''}
              </span>
              <span>
                {c.complaint} <span className="text-sm text-soft">· {c.opened_by}</span>
                {c.status === 'open' && <b className="text-orange-ink"> ▸ open</b>}
              </span>
            </Link>
          </li>
        ))}
      </ul>
      <UnitPhotos id={unit.id} />
      <h2 className="mt-6 border-b-2 border-ink text-lg font-bold">Plate</h2>
      {plates.length === 0 && <p className="py-2 text-soft">Not read yet; it is read on a call.</p>}
      {plates.map((p) => (
        <PlateLine key={p.number} plate={p} />
      ))}
    </div>
  )
}

/** What is known of a unit beside its plate; what nobody said is not listed. */
function facts(unit: Unit): [string, string][] {
  const warranty = unit.warranty_until
  const all: [string, string | null | undefined | false][] = [
    ['Model', unit.model],
    ['Serial', unit.serial],
    ['Built', typeof unit.built_year === 'number' && `${unit.built_year}, ${unit.age_years} years old`],
    ['Warranty', warranty && `until ${day(warranty)}${unit.warranty_over ? ', over' : ''}`],
    ['Contact', unit.site.contact],
    ['Getting in', unit.site.access_note],
    ['Getting at it', unit.access_note],
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
      <h2 className="mt-6 mb-2 border-b-2 border-ink text-lg font-bold">Photographs</h2>
      <Gallery photos={photos.data} />
    </>
  )
}

function PlateLine({ plate }: { plate: Schemas['PlateOut'] }) {
  const p = plate.plate
  if (!p)
    return (
      <p className="border-b border-faint py-2">
        Version {plate.number} cannot be read by today's rules: {plate.trouble}. Read it anew on a call.
      </p>
    )
  return (
    <div className="border-b border-faint py-2">
      <p className="figure">
        {figure(p.volts)} V · {p.phase} ph ·{' '}
        {p.compressors
          .map((c) => `RLA ${figure(c.rla_a)}${c.lra_a ? ` LRA ${figure(c.lra_a)}` : ''}`)
          .join(' + ')}
        {p.mca_a ? ` · MCA ${figure(p.mca_a)}` : ''}
        {p.mocp_a ? ` · MOCP ${figure(p.mocp_a)}` : ''}
        {p.run_cap_uf ? ` · ${figure(p.run_cap_uf)}${p.fan_cap_uf ? `/${figure(p.fan_cap_uf)}` : ''} µF` : ''}
      </p>
      <p className="text-sm text-soft">
        Version {plate.number}, {plate.person}, {day(plate.recorded_at)}
      </p>
    </div>
  )
}
