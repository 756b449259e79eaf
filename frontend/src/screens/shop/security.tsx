import { t } from '@lingui/core/macro'
import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, client, problemOf, type Schemas, SIGNED_OUT } from '../../api/client'
import { Button } from '../../parts/button'
import { ProblemNote } from '../../parts/problem'
import { Sheet } from '../../parts/sheet'
import { clock, day } from '../../quantities/format'

const KINDS: Record<Schemas['SignInEventOut']['kind'], string> = {
  failed: t`Wrong passphrase`,
  locked: t`Locked after wrong tries`,
  failed_pin: t`Wrong PIN`,
  failed_passkey: t`Passkey refused`,
  new_device: t`New device`,
  invited: t`Invited`,
  accepted: t`Accepted an invitation`,
  retired: t`Retired`,
  restored: t`Backup restored`,
  imported: t`Archive imported`,
  ended_all: t`Every session ended`,
}
const BAD = new Set(['failed', 'locked', 'failed_pin', 'failed_passkey'])

/** Who is signed in where, and what happened at the door; the lead ends every session with one button. */
export function Security() {
  const seen = useQuery({ queryKey: ['security'], queryFn: () => answer(client.GET('/api/security')) })
  const [asking, setAsking] = useState(false)
  const end = useMutation({
    mutationFn: () =>
      answer(client.POST('/api/security/end-sessions', { body: { confirm: 'end every session' } })),
    onSuccess: () => window.dispatchEvent(new Event(SIGNED_OUT)),
  })
  if (!seen.data) return <ProblemNote problem={problemOf(seen.error)} onRetry={() => seen.refetch()} />
  const { devices, events, invitations, locked_today: locked } = seen.data
  return (
    <div className="grid gap-3 py-2">
      <p className={locked > 0 ? 'font-bold text-fail' : ''}>
        {locked > 0
          ? t`✕ ${locked} locked in the last 24 hours.`
          : t`✓ No person locked out in the last 24 hours.`}
      </p>
      <section aria-label={t`Signed in now`}>
        <h3 className="border-b border-faint font-bold">{t`Signed in now`}</h3>
        <ul>
          {devices.map((d) => (
            <li key={d.session_id} className="flex flex-wrap gap-x-3 border-b border-faint py-2">
              <b>{d.person}</b> {d.device}
              {d.shared && t`, shared`}
              {d.this && t`, this device`}
              <span className="ml-auto text-soft">{t`last used ${day(d.seen_at)} ${clock(d.seen_at)}`}</span>
            </li>
          ))}
        </ul>
        <Button className="mt-2" onClick={() => setAsking(true)}>{t`End every session`}</Button>
        <Sheet open={asking} onOpenChange={setAsking} title={t`End every session?`}>
          <div className="grid gap-3">
            <p>{t`Everyone signs in again on every device, you too. Calendar programs need a new address.`}</p>
            <ProblemNote problem={problemOf(end.error)} />
            <Button
              kind="primary"
              busy={end.isPending}
              onClick={() => end.mutate()}
            >{t`End every session`}</Button>
          </div>
        </Sheet>
      </section>
      {invitations.length > 0 && (
        <section aria-label={t`Open invitations`}>
          <h3 className="border-b border-faint font-bold">{t`Open invitations`}</h3>
          <ul>
            {invitations.map((i) => (
              <li key={i.made_at} className="border-b border-faint py-2">
                <b>{i.person}</b>
                {t`, invited by ${i.made_by}, good until ${day(i.ends_at)} ${clock(i.ends_at)}`}
              </li>
            ))}
          </ul>
        </section>
      )}
      <section aria-label={t`Events`}>
        <h3 className="border-b border-faint font-bold">{t`Events`}</h3>
        {events.length === 0 && (
          <p className="py-2 text-soft">{t`No failed try, new device or restore yet.`}</p>
        )}
        <ul>
          {events.map((e) => (
            <li key={e.id} className="grid gap-x-3 border-b border-faint py-2 sm:grid-cols-[11rem_14rem_1fr]">
              <span className="text-soft">
                {day(e.last_at)} {clock(e.last_at)}
              </span>
              <b className={BAD.has(e.kind) ? 'text-fail' : ''}>
                {BAD.has(e.kind) && '✕ '}
                {KINDS[e.kind]}
                {e.tries > 1 && ` ×${e.tries}`}
              </b>
              <span className="break-words">
                {[e.name, e.device, e.address, e.detail].filter(Boolean).join(', ')}
              </span>
            </li>
          ))}
        </ul>
      </section>
    </div>
  )
}
