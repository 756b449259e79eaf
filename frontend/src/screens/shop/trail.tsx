import { useInfiniteQuery } from '@tanstack/react-query'
import { answer, client, problemOf } from '../../api/client'
import { Button } from '../../parts/button'
import { ProblemNote } from '../../parts/problem'
import { clock, day } from '../../quantities/format'

const NAMES: Record<string, string> = {
  cooling_clock: 'Cooling clock',
  import_batch: 'List brought in',
  own_part: 'Part of your list',
  person: 'Person',
  planned_visit: 'Planned visit',
  service_call: 'Call',
  shop_fact: 'Shop',
  site: 'Site',
  stock_want: 'Van list',
  task: 'Task',
  unit: 'Unit',
}

const words = (name: string) => name.replaceAll('_', ' ')
const shown = (value: unknown) =>
  value === null || value === '' || value === undefined ? 'nothing' : String(value)

/** Every change of a row, field by field, as the database itself wrote it down. */
export function Trail() {
  const pages = useInfiniteQuery({
    queryKey: ['audit', 'trail'],
    queryFn: ({ pageParam }) =>
      answer(client.GET('/api/audit/trail', { params: { query: pageParam ? { before: pageParam } : {} } })),
    initialPageParam: 0,
    getNextPageParam: (last) => (last.length < 200 ? undefined : last.at(-1)?.id),
  })
  const lines = pages.data?.pages.flat() ?? []
  return (
    <>
      <ProblemNote problem={problemOf(pages.error)} onRetry={() => pages.refetch()} />
      {pages.isSuccess && lines.length === 0 && <p className="py-2 text-soft">No row was changed yet.</p>}
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
              {l.verb === 'delete' ? 'was deleted: ' : ''}
              {Object.keys(l.was)
                .filter((name) => name !== 'version')
                .map((name) =>
                  l.verb === 'delete'
                    ? `${words(name)} ${shown(l.was[name])}`
                    : `${words(name)}: ${shown(l.was[name])} → ${shown(l.becomes[name])}`,
                )
                .join('; ')}{' '}
              <span className="text-soft">· {l.person || 'by itself'}</span>
            </span>
          </li>
        ))}
      </ul>
      {pages.hasNextPage && (
        <Button className="mt-3" busy={pages.isFetchingNextPage} onClick={() => pages.fetchNextPage()}>
          Older
        </Button>
      )}
    </>
  )
}
