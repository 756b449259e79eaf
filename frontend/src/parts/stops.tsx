import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { Link } from 'react-router'
import { type Call, problemOf, type Schemas } from '../api/client'
import { useLiftStop, useReference } from '../api/queries'
import { clock, day } from '../quantities/format'
import { Button } from './button'
import { TextField } from './field'
import { Form } from './figures'
import { ProblemNote } from './problem'
import { useReadOnly } from './read-only'
import { Findings } from './verdict'

type Stop = Schemas['WorkStop']

/** What stops the work, on every rung of the call; the gravest in full, the finding that stops, what lifts it. */
export function Stops({ call }: { call: Call }) {
  const stops = call.ladder.stops
  if (stops.length === 0) return null
  return (
    <div role="alert" aria-label={t`Stop`} className="mb-4 border-4 border-fail bg-field">
      <p className="hatched h-3" aria-hidden="true" />
      <ul className="divide-y-2 divide-fail">
        {stops.map((s) => (
          <li key={s.key} className="p-3">
            <OneStop call={call} stop={s} />
          </li>
        ))}
      </ul>
    </div>
  )
}

function OneStop({ call, stop }: { call: Call; stop: Stop }) {
  return (
    <>
      <p className="text-xl font-bold text-fail">{t`✕ STOP`}</p>
      <p className="text-lg font-bold">{stop.text}</p>
      <p className="pt-1 text-lg">→ {stop.next_step}</p>
      <p className="pt-1 text-sm text-soft">
        {stop.source}
        {stop.since && `, ${day(stop.since)} ${clock(stop.since)}`}
        {stop.scope === 'all'
          ? t` · Hands out, even with power off.`
          : t` · No live work until it is cleared.`}
      </p>
      {stop.finding && (
        <details>
          <summary className="min-h-11 cursor-pointer py-2 underline underline-offset-4">{t`How`}</summary>
          <Findings findings={[stop.finding]} />
        </details>
      )}
      <CorrectIt call={call} stop={stop} />
      <Lift call={call} stop={stop} />
    </>
  )
}

/** The way to the reading that raised the stop, where it can be corrected. */
function CorrectIt({ call, stop }: { call: Call; stop: Stop }) {
  const reference = useReference()
  const closed = useReadOnly()
  const id = /^reading-(\d+)$/.exec(stop.key)?.[1]
  const reading = call.readings.find((r) => String(r.id) === id)
  const work = reference.data?.quantities.find((q) => q.quantity === reading?.entry.quantity)?.work
  if (closed || !reading || !work) return null
  const rung = work === 'dead' || work === 'control' ? 'dead_tests' : 'live_tests'
  return (
    <Link
      to={`/calls/${call.id}/${rung}#reading-${id}`}
      className="inline-flex min-h-11 items-center font-bold underline underline-offset-4"
    >{t`Correct the reading`}</Link>
  )
}

function Lift({ call, stop }: { call: Call; stop: Stop }) {
  const lift = useLiftStop(call.id)
  const closed = useReadOnly()
  const [how, setHow] = useState('')
  if (closed) return null
  if (!stop.may_lift)
    return (
      <p className="pt-1">
        <b>{t`To clear it:`}</b> {stop.lifted_by}.
      </p>
    )
  return (
    <details className="pt-1">
      <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`It is fixed`}</summary>
      <Form
        label={t`Clear the stop`}
        className="grid gap-2"
        onSubmit={() => {
          if (how.trim().length >= 3) lift.mutate({ stop: stop.key, how: how.trim() })
        }}
      >
        <TextField
          label={t`How it was fixed, and by whom`}
          hint={t`Saved with your name.`}
          value={how}
          onChange={setHow}
        />
        <ProblemNote problem={problemOf(lift.error)} />
        <div>
          <Button
            type="submit"
            busy={lift.isPending}
            disabled={how.trim().length < 3}
          >{t`Clear the stop`}</Button>
        </div>
      </Form>
    </details>
  )
}
