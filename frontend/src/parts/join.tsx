import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { answer, client, fieldProblem, problemOf } from '../api/client'
import { Button } from './button'
import { Form } from './figures'
import { ProblemNote } from './problem'
import { SecretField } from './secret-field'
import { useSigning } from './session'
import { Tick } from './tick'
import { useTitle } from './title'

/** The word of an invitation, taken out of the address so that no one reads it over a shoulder. */
function takeWord(): string {
  const word = location.hash.slice(1)
  if (word) history.replaceState(history.state, '', location.pathname)
  return word
}

/** Where an invitation leads: a person of the shop chooses a passphrase. */
export function Join({ onDone }: { onDone: () => void }) {
  useTitle(t`Welcome`)
  const go = useNavigate()
  const [token] = useState(takeWord)
  const [passphrase, setPassphrase] = useState('')
  const [again, setAgain] = useState('')
  const [shared, setShared] = useState(false)
  const leave = () => {
    go('/calls', { replace: true })
    onDone()
  }
  const whom = useQuery({
    queryKey: ['invitation'],
    queryFn: () => answer(client.POST('/api/invitations/look', { body: { token } })),
    enabled: token.length >= 8,
    staleTime: Number.POSITIVE_INFINITY,
  })
  const accept = useSigning(
    () => answer(client.POST('/api/invitations/accept', { body: { token, passphrase, shared } })),
    leave,
  )
  const problem = problemOf(accept.error)
  return (
    <main className="mx-auto max-w-xl p-4 pt-10">
      {whom.data ? (
        <Form label={t`Choose a passphrase`} className="grid gap-4" onSubmit={() => accept.mutate(undefined)}>
          <h1 className="text-2xl font-bold">{t`Welcome, ${whom.data.name}`}</h1>
          <p className="text-soft">{t`Choose your passphrase. At least twelve characters: four plain words work well.`}</p>
          <SecretField
            label={t`Passphrase`}
            value={passphrase}
            onChange={setPassphrase}
            autoComplete="new-password"
            problem={fieldProblem(problem, 'passphrase')}
          />
          <SecretField
            label={t`Repeat passphrase`}
            value={again}
            onChange={setAgain}
            autoComplete="new-password"
            problem={again && !passphrase.startsWith(again) ? t`Doesn't match.` : undefined}
          />
          <Tick on={shared} onChange={setShared}>{t`Shared tablet: signs out after an hour unused.`}</Tick>
          <ProblemNote problem={problem} />
          <Button
            kind="primary"
            type="submit"
            busy={accept.isPending}
            disabled={!again || passphrase !== again}
          >{t`Save and sign in`}</Button>
        </Form>
      ) : whom.isLoading ? (
        <p>{t`Looking…`}</p>
      ) : (
        <div className="grid gap-4">
          <h1 className="text-2xl font-bold">{t`This invitation does not open`}</h1>
          {whom.error ? (
            <ProblemNote problem={problemOf(whom.error)} />
          ) : (
            <p>{t`The address is incomplete. Scan the code again, or get a new invitation.`}</p>
          )}
          <Button onClick={leave}>{t`Go to the sign-in`}</Button>
        </div>
      )}
    </main>
  )
}
