import { t } from '@lingui/core/macro'
import { useInfiniteQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { answer, client, problemOf, type Schemas } from '../../api/client'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { ProblemNote } from '../../parts/problem'
import { clock, day } from '../../quantities/format'

const KINDS: Record<Schemas['TimeEntry']['kind'], string> = {
  visit: t`Visit`,
  closed: t`Closed`,
  reading: t`Reading`,
  test: t`Test`,
  change: t`Changed`,
  decision: t`Decided`,
  photo: t`Photograph`,
  recording: t`Recording`,
  plate: t`Nameplate`,
}
const SHOWN: Record<string, readonly string[]> = {
  all: Object.keys(KINDS),
  work: ['visit', 'closed', 'change', 'decision', 'plate'],
  measured: ['visit', 'reading', 'test', 'recording', 'photo'],
}

/** Everything that ever happened on a unit, newest first. */
export function TimeLine({ unitId }: { unitId: number }) {
  const [view, setView] = useState('work')
  const pages = useInfiniteQuery({
    queryKey: ['unit', unitId, 'time-line'],
    initialPageParam: null as string | null,
    queryFn: ({ pageParam }) =>
      answer(
        client.GET('/api/units/{unit_id}/time-line', {
          params: { path: { unit_id: unitId }, query: pageParam ? { before: pageParam } : {} },
        }),
      ),
    getNextPageParam: (page) => page.older,
  })
  const entries = (pages.data?.pages ?? [])
    .flatMap((p) => p.entries)
    .filter((e) => SHOWN[view]?.includes(e.kind))
  return (
    <section aria-label={t`Time line`} className="pt-6">
      <div className="flex flex-wrap items-end justify-between gap-2 border-b-2 border-ink">
        <h2 className="text-lg font-bold">{t`Time line`}</h2>
        <Choice
          label={t`Show`}
          hideLabel
          value={view}
          onChange={setView}
          options={[
            { value: 'work', label: t`Visits and work` },
            { value: 'measured', label: t`Measured` },
            { value: 'all', label: t`All` },
          ]}
        />
      </div>
      <ProblemNote problem={problemOf(pages.error)} onRetry={() => pages.refetch()} />
      <ol>
        {entries.map((e) => (
          <li
            key={`${e.kind} ${e.ref}`}
            className={`grid gap-x-4 border-b border-faint py-1.5 sm:grid-cols-[11rem_6.5rem_1fr] ${e.kind === 'visit' ? 'bg-plane font-bold' : ''}`}
          >
            <span className="figure text-sm text-soft">
              {day(e.at)} {clock(e.at)}
            </span>
            <span className="text-sm text-soft">{KINDS[e.kind]}</span>
            <span className="min-w-0 break-words">
              {e.kind === 'visit' && e.call_id ? <Link to={`/calls/${e.call_id}`}>{e.text}</Link> : e.text}{' '}
              <span className="text-sm font-normal text-soft">· {e.person}</span>
            </span>
          </li>
        ))}
      </ol>
      {pages.hasNextPage && (
        <Button
          className="mt-2"
          busy={pages.isFetchingNextPage}
          onClick={() => pages.fetchNextPage()}
        >{t`Older`}</Button>
      )}
    </section>
  )
}
