import { t } from '@lingui/core/macro'
import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { answer, at, client, problemOf, type Schemas } from '../../api/client'
import { useOpenCall, usePeople, useUnits } from '../../api/queries'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { TextField } from '../../parts/field'
import { Form } from '../../parts/figures'
import { Pick } from '../../parts/pick'
import { ProblemNote } from '../../parts/problem'
import { Sheet } from '../../parts/sheet'
import { CallTabs } from '../../parts/tabs'
import { useTitle } from '../../parts/title'
import { VerdictMark } from '../../parts/verdict'
import { usePerson } from '../../parts/who'
import { calendarDay, clock } from '../../quantities/format'
import { dayFrom, localInput, useDay, useEditVisit, usePlanVisit } from './use-day'

/** A technician's day: where to, what for, what to bring, what the van lacks. */
export function DayScreen() {
  useTitle(t`Day`)
  const { person } = usePerson()
  const people = usePeople()
  const [whose, setWhose] = useState<number | null>(null)
  const [day, setDay] = useState<string | null>(null)
  const [planning, setPlanning] = useState(false)
  const id = whose ?? person?.id ?? null
  const list = useDay(id, day)
  const on = list.data?.day ?? day
  return (
    <div className="mx-auto max-w-5xl p-3 sm:p-5">
      <CallTabs />
      <div className="flex flex-wrap items-end gap-3">
        <h1 className="text-2xl font-bold">{on ? calendarDay(on) : t`Day`}</h1>
        <div className="ml-auto flex flex-wrap gap-1">
          <Button className="px-3" aria-label={t`Day before`} onClick={() => on && setDay(dayFrom(on, -1))}>
            ◂
          </Button>
          <Button className="px-3" onClick={() => setDay(null)}>{t`Today`}</Button>
          <Button className="px-3" aria-label={t`Day after`} onClick={() => on && setDay(dayFrom(on, 1))}>
            ▸
          </Button>
          <Button kind="primary" onClick={() => setPlanning(true)}>{t`Plan a visit`}</Button>
        </div>
      </div>
      <div className="pt-2">
        <Choice
          label={t`Whose day`}
          hideLabel
          value={String(id ?? '')}
          onChange={(v) => setWhose(Number(v))}
          options={(people.data ?? []).map((p) => ({ value: String(p.id), label: p.name }))}
        />
      </div>
      <ProblemNote problem={problemOf(list.error)} onRetry={() => list.refetch()} />
      {list.data && list.data.lacking.length > 0 && (
        <p className="mt-3 border-l-[7px] border-watch bg-field p-3">
          {t`△ The van lacks for this day:`} <b>{list.data.lacking.join(', ')}</b>.{' '}
          <Link to="/van" className="underline">{t`Look in the van`}</Link>
        </p>
      )}
      {list.data?.lines.length === 0 && (
        <p className="py-4 text-soft">{t`No visit is planned for this day. Plan one, or look at To do.`}</p>
      )}
      <ul className="pt-3">
        {list.data?.lines.map((line) => (
          <DayLine key={line.visit.id} line={line} />
        ))}
      </ul>
      {id && <CalendarFeed person={id} />}
      <Sheet open={planning} onOpenChange={setPlanning} title={t`Plan a visit`}>
        <PlanForm visitor={id} onDone={() => setPlanning(false)} />
      </Sheet>
    </div>
  )
}

/** A file of the visits, and an address that a calendar program follows by itself. */
function CalendarFeed({ person }: { person: number }) {
  const path = `/api/people/${person}/calendar.ics`
  const subscribe = useMutation({ mutationFn: () => answer(client.POST('/api/calendar-key')) })
  return (
    <div className="flex flex-wrap items-center gap-x-4">
      <a
        href={at(path)}
        className="inline-flex min-h-11 items-center underline underline-offset-4"
      >{t`Calendar file`}</a>
      {subscribe.data ? (
        <p className="figure text-sm break-all">{`${location.origin}${path}?key=${subscribe.data.key}`}</p>
      ) : (
        <Button
          kind="quiet"
          className="px-0"
          busy={subscribe.isPending}
          onClick={() => subscribe.mutate()}
        >{t`An address for a calendar program`}</Button>
      )}
      {subscribe.data && (
        <p className="basis-full text-soft">{t`Anyone with this address sees visits and tasks, nothing else. End it under Shop, Your sign-in.`}</p>
      )}
      <ProblemNote problem={problemOf(subscribe.error)} />
    </div>
  )
}

function DayLine({ line }: { line: Schemas['DayLine'] }) {
  const { visit: v } = line
  const units = useUnits()
  const open = useOpenCall()
  const navigate = useNavigate()
  const [moving, setMoving] = useState(false)
  const unit = units.data?.find((u) => u.id === v.unit_id)
  const go = () =>
    unit?.open_call_id
      ? navigate(`/calls/${unit.open_call_id}`)
      : open.mutate(
          { unit_id: v.unit_id, complaint: v.purpose, visit_id: v.id },
          { onSuccess: (call) => navigate(`/calls/${call.id}`) },
        )
  return (
    <li className="grid gap-x-4 gap-y-1 border-b-2 border-line py-3 sm:grid-cols-[5rem_1fr_auto]">
      <span className="figure text-lg">
        {clock(v.starts_at)} <span className="text-sm text-soft">{t`${v.minutes} min`}</span>
      </span>
      <div className="min-w-0">
        <p className="font-bold break-words">
          {v.site} · <Link to={`/units/${v.unit_id}`}>{v.unit}</Link>
        </p>
        <p className="break-words">{v.purpose}</p>
        <p className="text-sm break-words text-soft">
          {[v.place, v.access, v.contact].filter(Boolean).join(' · ')}
        </p>
        {line.bring.length > 0 && (
          <ul className="pt-1" aria-label={t`Bring`}>
            {line.bring.map((b) => (
              <li key={b.what} className="flex flex-wrap items-baseline gap-x-3">
                <VerdictMark
                  verdict={b.lacks ? 'watch' : 'pass'}
                  word={b.lacks ? t`Not on the van` : t`On the van`}
                />
                <b>{b.what}</b>
                {b.part && <span className="figure text-sm">{b.part}</span>}
                <span className="text-sm text-soft">{b.why}</span>
              </li>
            ))}
          </ul>
        )}
        {line.tasks.length > 0 && (
          <ul className="pt-1 text-sm">
            {line.tasks.map((task) => (
              <li key={task.id}>
                ☐ {task.title} <span className="text-soft">{t`due ${calendarDay(task.due_on)}`}</span>
              </li>
            ))}
          </ul>
        )}
        <ProblemNote problem={problemOf(open.error)} />
      </div>
      <div className="flex gap-2 sm:flex-col">
        <Button kind="primary" className="flex-1" busy={open.isPending} onClick={go}>
          {unit?.open_call_id ? t`Go on` : t`Open the call`}
        </Button>
        <Button className="flex-1" onClick={() => setMoving(true)}>{t`Move`}</Button>
      </div>
      <Sheet open={moving} onOpenChange={setMoving} title={t`Move the visit`}>
        <MoveForm visit={v} onDone={() => setMoving(false)} />
      </Sheet>
    </li>
  )
}

function When({ value, onChange }: { value: string; onChange: (v: string) => void }) {
  return (
    <label className="block">
      <span className="block text-sm font-bold text-soft">{t`When`}</span>
      <input
        type="datetime-local"
        value={value}
        onChange={(e) => onChange(e.target.value)}
        className="figure min-h-12 w-full border-2 border-line bg-field px-3"
      />
    </label>
  )
}

function MoveForm({ visit, onDone }: { visit: Schemas['VisitOut']; onDone: () => void }) {
  const edit = useEditVisit()
  const people = usePeople()
  const [at, setAt] = useState(localInput(visit.starts_at))
  const [who, setWho] = useState(String(visit.visitor_id))
  const save = (more: Partial<Schemas['VisitEdit']>) =>
    edit.mutate({ id: visit.id, edit: { version: visit.version, ...more } }, { onSuccess: onDone })
  return (
    <Form
      label={t`Move the visit`}
      className="grid gap-3"
      onSubmit={() => save({ starts_at: new Date(at).toISOString(), visitor_id: Number(who) })}
    >
      <When value={at} onChange={setAt} />
      <Pick
        label={t`Who goes`}
        value={who}
        onChange={setWho}
        options={(people.data ?? []).map((p) => ({ value: String(p.id), label: p.name }))}
      />
      <ProblemNote problem={problemOf(edit.error)} />
      <div className="flex flex-wrap gap-2">
        <Button kind="primary" type="submit" busy={edit.isPending} disabled={!at}>{t`Move it`}</Button>
        <Button
          busy={edit.isPending}
          onClick={() => save({ status: 'cancelled' })}
        >{t`Cancel the visit`}</Button>
      </div>
    </Form>
  )
}

export function PlanForm({
  visitor,
  unitId,
  onDone,
}: {
  visitor: number | null
  unitId?: number
  onDone: () => void
}) {
  const plan = usePlanVisit()
  const people = usePeople()
  const units = useUnits()
  const [unit, setUnit] = useState(unitId ? String(unitId) : '')
  const [who, setWho] = useState(String(visitor ?? ''))
  const [at, setAt] = useState('')
  const [purpose, setPurpose] = useState('')
  return (
    <Form
      label={t`Plan a visit`}
      className="grid gap-3"
      onSubmit={() =>
        plan.mutate(
          {
            unit_id: Number(unit),
            visitor_id: Number(who),
            starts_at: new Date(at).toISOString(),
            minutes: 90,
            purpose: purpose.trim(),
          },
          { onSuccess: onDone },
        )
      }
    >
      {!unitId && (
        <Pick
          label={t`Unit`}
          value={unit}
          onChange={setUnit}
          options={[
            { value: '', label: t`choose` },
            ...(units.data ?? []).map((u) => ({ value: String(u.id), label: `${u.site.name}: ${u.name}` })),
          ]}
        />
      )}
      <Pick
        label={t`Who goes`}
        value={who}
        onChange={setWho}
        options={(people.data ?? []).map((p) => ({ value: String(p.id), label: p.name }))}
      />
      <When value={at} onChange={setAt} />
      <TextField label={t`What for`} value={purpose} onChange={setPurpose} />
      <ProblemNote problem={problemOf(plan.error)} />
      <Button
        kind="primary"
        type="submit"
        busy={plan.isPending}
        disabled={!unit || !who || !at || purpose.trim().length < 2}
      >{t`Plan it`}</Button>
    </Form>
  )
}
