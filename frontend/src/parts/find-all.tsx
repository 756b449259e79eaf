import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link } from 'react-router'
import { answer, client, problemOf, type Schemas } from '../api/client'
import { ProblemNote } from './problem'

const KINDS: Record<Schemas['Hit']['kind'], string> = {
  unit: t`Units`,
  site: t`Sites`,
  call: t`Calls`,
  note: t`Notes and parts`,
  person: t`People`,
}

/** So many of a kind are shown. */
const MOST = 12

/** Everything that goes with what is typed: sites, units, serials, complaints, notes, parts, people. */
export function FindAll({ asked }: { asked: string }) {
  const [settled, setSettled] = useState(asked)
  useEffect(() => {
    const timer = setTimeout(() => setSettled(asked), 120)
    return () => clearTimeout(timer)
  }, [asked])
  const found = useQuery({
    queryKey: ['search', settled],
    enabled: settled.trim().length > 1,
    queryFn: () => answer(client.GET('/api/search', { params: { query: { asked: settled } } })),
    placeholderData: (last) => last,
  })
  if (settled.trim().length < 2) return null
  const hits = found.data?.hits ?? []
  return (
    <section aria-label={t`Found everywhere`} className="pt-5">
      <h2 className="border-b-2 border-ink pb-1 text-lg font-bold">
        {t`Everywhere`} <span className="figure text-soft">{hits.length}</span>
      </h2>
      <ProblemNote problem={problemOf(found.error)} />
      {found.data && hits.length === 0 && (
        <p className="py-3 text-soft">{t`Nothing on record begins with these words.`}</p>
      )}
      {(Object.keys(KINDS) as Schemas['Hit']['kind'][]).map((kind) => {
        const of = hits.filter((h) => h.kind === kind)
        if (of.length === 0) return null
        return (
          <div key={kind} className="pt-2">
            <h3 className="text-sm font-bold text-soft">{KINDS[kind]}</h3>
            <ul>
              {of.map((h) => (
                <li key={h.to + h.text} className="border-b border-faint">
                  <Link to={h.to} className="block py-2 hover:bg-plane">
                    <b>{h.title}</b> <span className="text-soft">{h.text}</span>
                  </Link>
                </li>
              ))}
            </ul>
            {kind === 'unit' && of.length >= MOST && (
              <Link
                to={`/units?find=${encodeURIComponent(settled)}`}
                className="inline-flex min-h-11 items-center underline underline-offset-4"
              >{t`All units that match`}</Link>
            )}
          </div>
        )
      })}
    </section>
  )
}
