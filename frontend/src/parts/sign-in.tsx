import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { answer, client, type Person, problemOf } from '../api/client'
import { Button } from './button'
import { TextField } from './field'
import { Form } from './figures'
import { askPasskey, passkeysHere } from './passkey'
import { ProblemNote } from './problem'
import { SecretField } from './secret-field'
import { becomeDemo, type Session, useSigning } from './session'
import { Tick } from './tick'
import { useTitle } from './title'

/** The first thing on a device no one is signed in on. */
export function SignIn({ session, headed = true }: { session: Session; headed?: boolean }) {
  useTitle(t`Sign in`)
  return (
    <>
      {session.demo ? (
        <>
          {headed && <h1 className="text-2xl font-bold">{t`Who's working?`}</h1>}
          <p className="pb-4 text-soft">{t`Every reading keeps the name of the person who took it. Demo people sign in by a tap; a shop's own people use a passphrase.`}</p>
          <DemoPeople people={session.people} />
        </>
      ) : (
        <>
          {headed && <h1 className="text-2xl font-bold">{t`Sign in`}</h1>}
          <p className="pb-4 text-soft">{t`Every reading keeps the name of the person who took it.`}</p>
          <ByPassphrase canSignIn={session.can_sign_in} />
        </>
      )}
    </>
  )
}

/** The demo's people, one tap each. */
export function DemoPeople({ people, onDone }: { people: Person[]; onDone?: () => void }) {
  const become = useSigning(becomeDemo, onDone)
  return (
    <>
      <ul className="grid gap-2">
        {people.map((p) => (
          <li key={p.id}>
            <button
              type="button"
              disabled={become.isPending}
              onClick={() => become.mutate(p)}
              className="flex min-h-14 w-full items-center gap-3 border-2 border-line bg-field px-3 text-left"
            >
              <span className="figure w-10 border-r border-faint text-lg">{p.initials}</span>
              <span className="font-bold">{p.name}</span>
              <span className="ml-auto text-soft">{p.role}</span>
            </button>
          </li>
        ))}
      </ul>
      <ProblemNote problem={problemOf(become.error)} />
    </>
  )
}

function ByPassphrase({ canSignIn }: { canSignIn: boolean }) {
  const [name, setName] = useState('')
  const [passphrase, setPassphrase] = useState('')
  const [shared, setShared] = useState(false)
  const enter = useSigning(() => answer(client.POST('/api/session', { body: { name, passphrase, shared } })))
  const byKey = useSigning(async () => {
    const options = await answer(client.POST('/api/session/passkey/begin'))
    const credential = await askPasskey(options)
    return answer(
      client.POST('/api/session/passkey', { params: { query: { shared } }, body: { credential } }),
    )
  })
  return (
    <Form label={t`Sign in`} className="grid gap-4" onSubmit={() => enter.mutate(undefined)}>
      {!canSignIn && (
        <p className="border-l-[7px] border-unknown p-2">
          <b>{t`No person here has a passphrase yet.`}</b> {t`At the shop's computer:`}{' '}
          <code className="figure">{t`orange-crank invite`}</code>{' '}
          {t`and a name. It prints a link for that person.`}
        </p>
      )}
      <TextField label={t`Your name`} name="username" value={name} onChange={setName} />
      <SecretField
        label={t`Passphrase`}
        value={passphrase}
        onChange={setPassphrase}
        autoComplete="current-password"
      />
      <Tick on={shared} onChange={setShared}>{t`Shared tablet: signs out after an hour unused.`}</Tick>
      <ProblemNote problem={problemOf(enter.error ?? byKey.error)} />
      <div className="flex flex-wrap gap-2">
        <Button
          kind="primary"
          type="submit"
          busy={enter.isPending}
          disabled={!name.trim() || !passphrase}
          className="flex-1"
        >{t`Sign in`}</Button>
        {passkeysHere() && (
          <Button
            busy={byKey.isPending}
            onClick={() => byKey.mutate(undefined)}
            className="flex-1"
          >{t`Use a passkey`}</Button>
        )}
      </div>
      <p className="text-sm text-soft">{t`New here, or forgot it? The lead or the office shows you a code to scan: Shop, People, Invite.`}</p>
    </Form>
  )
}
