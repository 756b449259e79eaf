import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { answer, client } from '../api/client'

const LOOK_MS = 600_000

/** What has to be looked after so that the record is kept: said where anyone who can begins the day, not on Shop alone. */
export function KeepingNote() {
  const keeping = useQuery({
    queryKey: ['keeping'],
    queryFn: () => answer(client.GET('/api/keeping')),
    refetchInterval: LOOK_MS,
    staleTime: LOOK_MS,
    retry: false,
  })
  const worries = keeping.data?.worries ?? []
  if (worries.length === 0) return null
  return (
    <section
      aria-label={t`Backup or disk problem`}
      className="mb-3 grid gap-1 border-l-[7px] border-fail bg-field p-3"
    >
      {worries.map((w) => (
        <p key={w.code}>
          <b>✕ {w.text}</b> {w.next_step}
        </p>
      ))}
      <Link
        to="/shop#keeping"
        className="flex min-h-11 items-center font-bold underline"
      >{t`Open Shop`}</Link>
    </section>
  )
}
