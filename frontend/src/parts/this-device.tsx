import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { Link } from 'react-router'
import { answer, client, type Person, problemOf } from '../api/client'
import { Button } from './button'
import { Form } from './figures'
import { ProblemNote } from './problem'
import { SecretField } from './secret-field'
import { type Session, signOut, useSigning } from './session'
import { DemoPeople } from './sign-in'
import { useWaits } from './waits'

/** Who is signed in here: another takes over, or no one is any more. */
export function ThisDevice({
  session,
  onDone,
  onOut,
}: {
  session: Session
  onDone: () => void
  onOut: () => void
}) {
  const leave = useSigning(signOut, onOut)
  const waits = useWaits()
  return (
    <div className="grid gap-4">
      {session.demo ? (
        <DemoPeople people={session.people} onDone={onDone} />
      ) : (
        <HandOver session={session} onDone={onDone} />
      )}
      {session.shared && !session.proved && (session.may ?? []).includes('manage') && <ManageHere />}
      {waits > 0 && (
        <p className="border-l-[7px] border-unknown bg-field p-3">
          {waits === 1
            ? t`One entry waits here. It stays on this device and is sent when you sign in here again.`
            : t`${waits} entries wait here. Yours stay on this device and are sent when you sign in here again.`}
        </p>
      )}
      <ProblemNote problem={problemOf(leave.error)} />
      <div className="flex flex-wrap gap-2 border-t-2 border-line pt-3">
        <Button kind="quiet" onClick={onDone}>
          {t`Stay`} {session.person?.name}
        </Button>
        {!session.demo && (
          <Link
            to="/shop#sign-in"
            onClick={onDone}
            className="flex min-h-11 items-center px-3 underline underline-offset-4"
          >{t`Your sign-in and devices`}</Link>
        )}
        <Button
          className="ml-auto"
          busy={leave.isPending}
          onClick={() => leave.mutate(undefined)}
        >{t`Sign out`}</Button>
      </div>
    </div>
  )
}

/** On a shared device managing takes the passphrase again, for a quarter of an hour. */
function ManageHere() {
  const [passphrase, setPassphrase] = useState('')
  const confirm = useSigning(() => answer(client.POST('/api/session/confirm', { body: { passphrase } })))
  return (
    <Form label={t`Manage from here`} className="grid gap-3" onSubmit={() => confirm.mutate(undefined)}>
      <h3 className="font-bold">{t`Manage from here`}</h3>
      <p className="text-soft">{t`People, prices, standards and backups take your passphrase on a shared device.`}</p>
      <SecretField
        label={t`Your passphrase`}
        value={passphrase}
        onChange={setPassphrase}
        autoComplete="current-password"
      />
      <ProblemNote problem={problemOf(confirm.error)} />
      <Button
        type="submit"
        busy={confirm.isPending}
        disabled={!passphrase}
      >{t`Manage for 15 minutes`}</Button>
    </Form>
  )
}

/** "Hand me the tablet": anyone who takes it says so by a PIN. */
function HandOver({ session, onDone }: { session: Session; onDone: () => void }) {
  const [taker, setTaker] = useState<Person | null>(null)
  const [pin, setPin] = useState('')
  const take = useSigning(
    () => answer(client.POST('/api/session/hand-over', { body: { person_id: taker?.id ?? 0, pin } })),
    onDone,
  )
  const others = session.people.filter((p) => p.id !== session.person?.id)
  if (others.length === 0) return <p className="text-soft">{t`No other person works here yet.`}</p>
  return (
    <section aria-label={t`Switch user`} className="grid gap-3">
      <p className="text-soft">{t`Hand the tablet over. The next person enters their PIN.`}</p>
      <ul className="grid gap-2 sm:grid-cols-2">
        {others.map((p) => (
          <li key={p.id}>
            <button
              type="button"
              aria-pressed={taker?.id === p.id}
              onClick={() => {
                setTaker(p)
                setPin('')
                take.reset()
              }}
              className="flex min-h-12 w-full items-center gap-3 border-2 border-line bg-field px-3 text-left aria-pressed:bg-ink aria-pressed:text-plane"
            >
              <span className="figure w-9">{p.initials}</span>
              <span className="font-bold">{p.name}</span>
            </button>
          </li>
        ))}
      </ul>
      {taker && (
        <Form label={t`Sign in with PIN`} className="grid gap-3" onSubmit={() => take.mutate(undefined)}>
          <SecretField
            label={t`PIN of ${taker.name}`}
            value={pin}
            onChange={setPin}
            autoComplete="off"
            digits
          />
          <ProblemNote problem={problemOf(take.error)} />
          <Button
            kind="primary"
            type="submit"
            busy={take.isPending}
            disabled={pin.trim().length < 4}
          >{t`Sign in with PIN`}</Button>
        </Form>
      )}
    </section>
  )
}
