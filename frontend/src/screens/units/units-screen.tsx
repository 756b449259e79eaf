import { useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { problemOf } from '../../api/client'
import { useUnits } from '../../api/queries'
import { FindHead } from '../../parts/find-head'
import { ProblemNote } from '../../parts/problem'
import { figure } from '../../quantities/format'
import { UnitTabs } from './unit-tabs'

export function UnitsScreen() {
  const units = useUnits()
  const [asked] = useSearchParams()
  const [find, setFind] = useState(asked.get('find') ?? '')
  const wanted = find.trim().toLowerCase()
  const shown = (units.data ?? []).filter((u) =>
    [u.name, u.kind, u.serial, u.model, u.note, u.access_note, u.built_year ?? '']
      .concat([u.site.name, u.site.place, u.site.contact, u.site.access_note])
      .join(' ')
      .toLowerCase()
      .includes(wanted),
  )
  return (
    <div className="mx-auto max-w-5xl p-3 sm:p-5">
      <UnitTabs />
      <FindHead
        title="Units"
        label="Find a unit"
        hint="Find site, unit, serial, contact"
        find={find}
        onFind={setFind}
      />
      <ProblemNote problem={problemOf(units.error)} onRetry={() => units.refetch()} />
      {units.data && shown.length === 0 && (
        <p className="py-4 text-soft">
          {wanted ? 'No unit matches.' : 'No unit is on record; opening a call puts one there.'}
        </p>
      )}
      <ul className="mt-4 border-x-[7px] border-ink">
        {shown.map((u) => (
          <li key={u.id} className="border-b border-faint">
            <Link
              to={`/units/${u.id}`}
              className="grid gap-x-4 px-3 py-2.5 hover:bg-plane sm:grid-cols-[14rem_1fr_auto]"
            >
              <span>
                <span className="block font-bold">{u.name}</span>
                <span className="block text-sm text-soft">{u.site.name}</span>
              </span>
              <span className="min-w-0">
                {u.kind}
                {u.plate?.plate && (
                  <span className="figure block text-sm text-soft">
                    {figure(u.plate.plate.volts)} V · {u.plate.plate.phase} ph · RLA{' '}
                    {u.plate.plate.compressors.map((c) => figure(c.rla_a)).join(' + ')} A
                  </span>
                )}
              </span>
              <span className="text-sm text-soft sm:text-right">
                {u.calls} call{u.calls === 1 ? '' : 's'}
                {u.open_call_id && <b className="block text-orange-ink">▸ call open</b>}
              </span>
            </Link>
          </li>
        ))}
      </ul>
    </div>
  )
}
