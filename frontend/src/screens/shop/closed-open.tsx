import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { answer, client, problemOf } from '../../api/client'
import { ProblemNote } from '../../parts/problem'
import { clock, day } from '../../quantities/format'

/** Calls closed with something open in the last month: who closed them, what was open, and why it stayed. */
export function ClosedOpen() {
  const found = useQuery({
    queryKey: ['closed-open'],
    queryFn: () => answer(client.GET('/api/closed-open', { params: { query: { days: 30 } } })),
  })
  if (!found.data) return <ProblemNote problem={problemOf(found.error)} onRetry={() => found.refetch()} />
  if (found.data.length === 0) return <p className="py-2 text-soft">{t`None in the last 30 days.`}</p>
  return (
    <ul>
      {found.data.map((c) => (
        <li key={`${c.call_id} ${c.closed_at}`} className="border-b border-faint py-2">
          <Link
            to={`/calls/${c.call_id}`}
            className="inline-flex min-h-11 items-center font-bold underline underline-offset-4"
          >
            {c.site} · {c.unit}
          </Link>
          <span className="text-soft">{t`closed by ${c.person}, ${day(c.closed_at)} ${clock(c.closed_at)}`}</span>
          <ul>
            {c.left.map((p) => (
              <li key={p.text} className={p.code === 'PAST_GATE' ? 'font-bold break-words' : 'break-words'}>
                △ {p.text}
              </li>
            ))}
          </ul>
          {c.reason && <p className="break-words text-soft">{t`Reason: “${c.reason}”`}</p>}
        </li>
      ))}
    </ul>
  )
}
