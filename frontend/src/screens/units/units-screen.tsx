import { t } from '@lingui/core/macro'
import { useCallback, useDeferredValue, useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { problemOf } from '../../api/client'
import { Button } from '../../parts/button'
import { FindHead } from '../../parts/find-head'
import { LongList } from '../../parts/long-list'
import { ProblemNote } from '../../parts/problem'
import { figure } from '../../quantities/format'
import { UnitTabs } from './unit-tabs'
import { useUnitPages } from './use-unit-pages'

export function UnitsScreen() {
  const [asked] = useSearchParams()
  const [find, setFind] = useState(asked.get('find') ?? '')
  const wanted = useDeferredValue(find.trim())
  const units = useUnitPages(wanted)
  const { fetchNextPage, hasNextPage, isFetchingNextPage } = units
  const shown = units.data?.pages.flatMap((p) => p.units) ?? []
  const more = useCallback(() => {
    if (hasNextPage && !isFetchingNextPage) fetchNextPage()
  }, [hasNextPage, isFetchingNextPage, fetchNextPage])
  return (
    <div className="mx-auto max-w-5xl p-3 sm:p-5">
      <UnitTabs />
      <FindHead
        title={t`Units`}
        label={t`Find a unit`}
        hint={t`Find site, unit, serial, contact`}
        find={find}
        onFind={setFind}
      />
      <ProblemNote problem={problemOf(units.error)} onRetry={() => units.refetch()} />
      {units.data && shown.length === 0 && (
        <p className="py-4 text-soft">
          {wanted ? t`No unit matches.` : t`No units yet. Opening a call adds one.`}
        </p>
      )}
      <LongList rows={shown} keyOf={(u) => u.id} onEnd={more} className="mt-4 border-x-[7px] border-ink">
        {(u) => (
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
                <span className="figure block text-sm text-soft">{t`${figure(u.plate.plate.volts)} V · ${u.plate.plate.phase} ph · RLA ${u.plate.plate.compressors.map((c) => figure(c.rla_a)).join(' + ')} A`}</span>
              )}
            </span>
            <span className="text-sm text-soft sm:text-right">
              {u.calls === 1 ? t`1 call` : t`${u.calls} calls`}
              {u.open_call_id && <b className="block text-orange-ink">{t`▸ call open`}</b>}
            </span>
          </Link>
        )}
      </LongList>
      {hasNextPage && (
        <Button className="mt-3" busy={isFetchingNextPage} onClick={more}>{t`More units`}</Button>
      )}
    </div>
  )
}
