import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, client, fieldProblem, problemOf, type Schemas } from '../../api/client'
import { Button } from '../../parts/button'
import { Form } from '../../parts/figures'
import { makePasskey, passkeysHere } from '../../parts/passkey'
import { ProblemNote } from '../../parts/problem'
import { ReadsPicks } from '../../parts/reads-picks'
import { SecretField } from '../../parts/secret-field'
import { Sheet } from '../../parts/sheet'
import { canBeTold, NOT_REACHED, reminders, tellClosed, tellNothing } from '../../parts/told-closed'
import { usePerson } from '../../parts/who'
import { clock, day } from '../../quantities/format'
import { readAs, reads } from '../../quantities/reads'

const WAYS: Record<string, string> = {
  passphrase: t`by passphrase`,
  passkey: t`by passkey`,
  invitation: t`by invitation`,
  pin: t`taken over by PIN`,
  demo: t`demo sign-in`,
  calendar: t`follows the calendar`,
}

/** What one signs in by, and the devices one is signed in on. */
export function OwnSignIn({ demo }: { demo: boolean }) {
  const { person } = usePerson()
  const [open, setOpen] = useState<'passphrase' | 'pin' | null>(null)
  return (
    <div className="grid gap-3 py-2">
      <Devices person={person?.id ?? 0} />
      <Telling />
      <Reading />
      {!demo && (
        <>
          <div className="flex flex-wrap gap-2">
            <Button onClick={() => setOpen('passphrase')}>{t`Change the passphrase`}</Button>
            <Button onClick={() => setOpen('pin')}>{t`PIN for shared tablets`}</Button>
          </div>
          {passkeysHere() && <Passkeys />}
          <Sheet
            open={open !== null}
            onOpenChange={() => setOpen(null)}
            title={open === 'pin' ? t`PIN for shared tablets` : t`Change the passphrase`}
          >
            {open === 'pin' ? (
              <PinForm onDone={() => setOpen(null)} />
            ) : (
              <PassphraseForm onDone={() => setOpen(null)} />
            )}
          </Sheet>
        </>
      )}
    </div>
  )
}

/** How one reads figures, dates and hours, on every device one signs in on. */
function Reading() {
  const [next, setNext] = useState(reads)
  const [open, setOpen] = useState(false)
  const save = useMutation({
    mutationFn: () => answer(client.PUT('/api/reads', { body: next })),
    onSuccess: (now) => {
      setOpen(false)
      readAs(now.reads)
    },
  })
  const words = `${reads.temperature === 'C' ? '°C' : '°F'}, ${reads.distance === 'm' ? 'meters' : 'feet'}`
  return (
    <section aria-label={t`Units and dates`} className="border-t border-faint pt-2">
      <h3 className="font-bold">{t`Units and dates`}</h3>
      <p className="pb-2">
        {words}, {day('2031-05-06T15:05')}, {clock('2031-05-06T15:05')}.
      </p>
      <Button onClick={() => setOpen(true)}>{t`Change how you read`}</Button>
      <Sheet open={open} onOpenChange={setOpen} title={t`Units and dates`}>
        <Form label={t`Units and dates`} className="grid gap-3" onSubmit={() => save.mutate()}>
          <ReadsPicks value={next} onChange={setNext} />
          <p className="text-soft">{t`Changes fields, readings and text. The math behind results stays in °F and feet.`}</p>
          <ProblemNote problem={problemOf(save.error)} />
          <Button kind="primary" type="submit" busy={save.isPending}>{t`Save`}</Button>
        </Form>
      </Sheet>
    </section>
  )
}

/** Whether this device tells of cooling clocks and due tasks, with the program open and with it closed. */
function Telling() {
  const cache = useQueryClient()
  const [state, setState] = useState(() => ('Notification' in window ? Notification.permission : 'none'))
  const told = useQuery({ queryKey: ['reminders'], queryFn: reminders, enabled: canBeTold() })
  const keep = (now: Schemas['Reminders']) => cache.setQueryData(['reminders'], now)
  const on = useMutation({
    mutationFn: async () => {
      const asked = await Notification.requestPermission()
      setState(asked)
      const key = told.data?.key
      if (asked === 'granted' && key) keep(await tellClosed(key))
    },
  })
  const off = useMutation({ mutationFn: tellNothing, onSuccess: keep })
  const once = useMutation({
    mutationFn: () => answer(client.POST('/api/reminders/try')),
    onSuccess: keep,
  })
  const words: Record<string, string> = {
    granted: t`This device notifies you when a cooling clock runs out and when a task is due.`,
    denied: t`Notices are blocked in this browser's settings.`,
    default: t`This device can notify you when a cooling clock runs out and when a task is due.`,
    none: t`No notices on this device: it needs a secure (https) address.`,
  }
  return (
    <section aria-label={t`Reminders`}>
      <h3 className="font-bold">{t`Reminders`}</h3>
      <p>{words[state]}</p>
      {told.data?.on && state === 'granted' ? (
        <>
          <p>
            {told.data.trouble
              ? t`Also with the program closed, but the last message did not go out: ${told.data.trouble}`
              : t`Also with the program closed, while the shop’s computer reaches the internet.`}
          </p>
          <div className="flex flex-wrap gap-2 pt-2">
            <Button busy={once.isPending} onClick={() => once.mutate()}>{t`Send one now`}</Button>
            <Button busy={off.isPending} onClick={() => off.mutate()}>{t`Not with it closed`}</Button>
          </div>
          {once.isSuccess && !told.data.trouble && (
            <p
              role="status"
              className="pt-2"
            >{t`Sent. If nothing shows here within a minute, this device blocks notices.`}</p>
          )}
        </>
      ) : (
        state !== 'none' && (
          <>
            <p>{t`Notices come only while the program is open.`}</p>
            {(state === 'default' || (state === 'granted' && told.data?.key)) && (
              <Button busy={on.isPending} onClick={() => on.mutate()}>
                {state === 'granted' ? t`Notify me with it closed too` : t`Notify me on this device`}
              </Button>
            )}
          </>
        )
      )}
      {on.error instanceof Error && on.error.message === NOT_REACHED ? (
        <p role="alert" className="pt-2 font-bold">
          {NOT_REACHED}
        </p>
      ) : (
        <ProblemNote problem={problemOf(on.error ?? off.error ?? once.error)} />
      )}
    </section>
  )
}

/** The devices a person is signed in on, each to be signed out at once: one that was lost, above all. */
export function Devices({ person: id }: { person: number }) {
  const cache = useQueryClient()
  const devices = useQuery({
    queryKey: ['devices', id],
    queryFn: () =>
      answer(client.GET('/api/people/{person_id}/devices', { params: { path: { person_id: id } } })),
  })
  const out = useMutation({
    mutationFn: (session_id: number) =>
      answer(
        client.DELETE('/api/people/{person_id}/devices/{session_id}', {
          params: { path: { person_id: id, session_id } },
        }),
      ),
    onSuccess: (left) => cache.setQueryData(['devices', id], left),
  })
  return (
    <section aria-label={t`Devices signed in`}>
      <ul>
        {devices.data?.map((d) => (
          <li key={d.id} className="flex flex-wrap items-center gap-x-3 border-b border-faint py-2">
            <b>{d.device}</b>
            <span className="text-soft">
              {WAYS[d.way]}
              {t`, used ${day(d.seen_at)} ${clock(d.seen_at)}`}
              {d.shared && t`, shared tablet`}
            </span>
            {d.this ? (
              <span className="ml-auto font-bold">{t`this one`}</span>
            ) : (
              <Button
                className="ml-auto px-3 text-sm"
                aria-label={t`Sign ${d.device} out, signed in ${day(d.began_at)} ${clock(d.began_at)}`}
                busy={out.isPending && out.variables === d.id}
                onClick={() => out.mutate(d.id)}
              >{t`Sign out`}</Button>
            )}
          </li>
        ))}
      </ul>
      <ProblemNote problem={problemOf(devices.error ?? out.error)} onRetry={() => devices.refetch()} />
    </section>
  )
}

function PassphraseForm({ onDone }: { onDone: () => void }) {
  const cache = useQueryClient()
  const [now, setNow] = useState('')
  const [passphrase, setPassphrase] = useState('')
  const save = useMutation({
    mutationFn: () => answer(client.PUT('/api/passphrase', { body: { now, passphrase } })),
    onSuccess: () => {
      cache.invalidateQueries({ queryKey: ['devices'] })
      onDone()
    },
  })
  const problem = problemOf(save.error)
  return (
    <Form label={t`Change the passphrase`} className="grid gap-3" onSubmit={() => save.mutate()}>
      <SecretField
        label={t`The one in use now`}
        value={now}
        onChange={setNow}
        autoComplete="current-password"
      />
      <SecretField
        label={t`The new one`}
        value={passphrase}
        onChange={setPassphrase}
        autoComplete="new-password"
        hint={t`At least twelve characters: four plain words work well.`}
        problem={fieldProblem(problem, 'passphrase')}
      />
      <p className="text-soft">{t`Every other device of yours is signed out.`}</p>
      <ProblemNote problem={problem} />
      <Button
        kind="primary"
        type="submit"
        busy={save.isPending}
        disabled={!now || !passphrase}
      >{t`Keep the new one`}</Button>
    </Form>
  )
}

function PinForm({ onDone }: { onDone: () => void }) {
  const cache = useQueryClient()
  const [now, setNow] = useState('')
  const [pin, setPin] = useState('')
  const save = useMutation({
    mutationFn: (to: string | null) => answer(client.PUT('/api/pin', { body: { now, pin: to } })),
    onSuccess: (session) => {
      cache.setQueryData(['session'], session)
      onDone()
    },
  })
  const problem = problemOf(save.error)
  return (
    <Form label={t`A PIN of your own`} className="grid gap-3" onSubmit={() => save.mutate(pin)}>
      <p className="text-soft">{t`On a shared tablet, take over with four to eight digits. They work nowhere else.`}</p>
      <SecretField label={t`Your passphrase`} value={now} onChange={setNow} autoComplete="current-password" />
      <SecretField
        label="PIN"
        value={pin}
        onChange={setPin}
        autoComplete="off"
        digits
        problem={fieldProblem(problem, 'pin')}
      />
      <ProblemNote problem={problem} />
      <div className="flex flex-wrap gap-2">
        <Button
          kind="primary"
          type="submit"
          busy={save.isPending}
          disabled={!now || pin.length < 4}
        >{t`Keep the PIN`}</Button>
        <Button
          disabled={!now || save.isPending}
          onClick={() => save.mutate(null)}
        >{t`No PIN for me`}</Button>
      </div>
    </Form>
  )
}

function Passkeys() {
  const cache = useQueryClient()
  const keys = useQuery({ queryKey: ['passkeys'], queryFn: () => answer(client.GET('/api/passkeys')) })
  const keep = (now: Schemas['PasskeyOut'][]) => cache.setQueryData(['passkeys'], now)
  const make = useMutation({
    mutationFn: async () => {
      const credential = await makePasskey(await answer(client.POST('/api/passkeys/begin')))
      return answer(client.POST('/api/passkeys', { body: { credential } }))
    },
    onSuccess: keep,
  })
  const drop = useMutation({
    mutationFn: (id: number) =>
      answer(client.DELETE('/api/passkeys/{passkey_id}', { params: { path: { passkey_id: id } } })),
    onSuccess: keep,
  })
  return (
    <section aria-label={t`Passkeys`} className="grid gap-2">
      <ul>
        {keys.data?.map((k) => (
          <li key={k.id} className="flex items-center gap-3 border-b border-faint py-2">
            <b>{t`Passkey, ${k.device}`}</b>
            <span className="text-soft">{t`made ${day(k.made_at)}`}</span>
            <Button
              className="ml-auto px-3 text-sm"
              aria-label={t`Take away the passkey made ${day(k.made_at)} on ${k.device}`}
              onClick={() => drop.mutate(k.id)}
            >{t`Take away`}</Button>
          </li>
        ))}
      </ul>
      <ProblemNote problem={problemOf(make.error ?? drop.error)} />
      <div>
        <Button
          busy={make.isPending}
          onClick={() => make.mutate()}
        >{t`Make a passkey on this device`}</Button>
      </div>
    </section>
  )
}
