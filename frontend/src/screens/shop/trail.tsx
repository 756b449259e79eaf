import { t } from '@lingui/core/macro'
import { useInfiniteQuery } from '@tanstack/react-query'
import { answer, client, problemOf, type Schemas } from '../../api/client'
import { Button } from '../../parts/button'
import { ProblemNote } from '../../parts/problem'
import { clock, day } from '../../quantities/format'

const NAMES: Record<string, string> = {
  cooling_clock: t`Cooling clock`,
  import_batch: t`List imported`,
  own_part: t`Part of your list`,
  person: t`Person`,
  planned_visit: t`Planned visit`,
  service_call: t`Call`,
  shop_fact: t`Shop`,
  site: t`Site`,
  stock_want: t`Van list`,
  task: t`Task`,
  unit: t`Unit`,
}

/** Marks the program sets for itself: what a closed call is judged by, and how often a row was edited. */
const OWN = new Set(['version', 'closed_plate', 'closed_standard', 'closed_reading', 'closed_change'])
const MOMENT = /^\d{4}-\d\d-\d\d \d\d:\d\d:\d\d/

const words = (name: string) => name.replace(/_(id|by|at|on)$/, ' $1').replaceAll('_', ' ')

function shown(value: unknown): string {
  if (value === null || value === undefined || value === '') return 'nothing'
  const said = String(value)
  if (!MOMENT.test(said)) return said
  const moment = `${said.replace(' ', 'T')}Z`
  return `${day(moment)} ${clock(moment)}`
}

/** What a line tells, in one sentence; empty where only the program's own marks moved. */
function told(line: Schemas['TrailLine']): string {
  return Object.keys(line.was)
    .filter((name) => !OWN.has(name))
    .map((name) =>
      line.verb === 'delete'
        ? `${words(name)} ${shown(line.was[name])}`
        : `${words(name)}: ${shown(line.was[name])} → ${shown(line.becomes[name])}`,
    )
    .join('; ')
}

/** Every change of a row, field by field, as the database itself wrote it down. */
export function Trail() {
  const pages = useInfiniteQuery({
    queryKey: ['audit', 'trail'],
    queryFn: ({ pageParam }) =>
      answer(client.GET('/api/audit/trail', { params: { query: pageParam ? { before: pageParam } : {} } })),
    initialPageParam: 0,
    getNextPageParam: (last) => (last.length < 200 ? undefined : last.at(-1)?.id),
  })
  const lines = pages.data?.pages.flat().filter((l) => told(l) !== '') ?? []
  return (
    <>
      <ProblemNote problem={problemOf(pages.error)} onRetry={() => pages.refetch()} />
      {pages.isSuccess && lines.length === 0 && (
        <p className="py-2 text-soft">{t`No row was changed yet.`}</p>
      )}
      <ul>
        {lines.map((l) => (
          <li
            key={l.id}
            className="grid gap-x-4 border-b border-faint py-1.5 text-sm sm:grid-cols-[10rem_1fr]"
          >
            <span className="figure text-soft">
              {day(l.at)} {clock(l.at)}
            </span>
            <span className="min-w-0 break-words">
              <b>
                {NAMES[l.table] ?? words(l.table)} {l.row}
              </b>{' '}
              {l.verb === 'delete' ? t`was deleted: ` : ''}
              {told(l)} <span className="text-soft">· {l.person || t`by itself`}</span>
            </span>
          </li>
        ))}
      </ul>
      {pages.hasNextPage && (
        <Button
          className="mt-3"
          busy={pages.isFetchingNextPage}
          onClick={() => pages.fetchNextPage()}
        >{t`Older`}</Button>
      )}
    </>
  )
}
