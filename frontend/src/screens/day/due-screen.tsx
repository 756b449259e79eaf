import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { answer, client, problemOf, type Schemas } from '../../api/client'
import { usePeople } from '../../api/queries'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { TextField } from '../../parts/field'
import { FindHead } from '../../parts/find-head'
import { Pick } from '../../parts/pick'
import { ProblemNote } from '../../parts/problem'
import { Sheet } from '../../parts/sheet'
import { CallTabs } from '../../parts/tabs'
import { VerdictMark } from '../../parts/verdict'
import { usePerson } from '../../parts/who'
import { calendarDay, day } from '../../quantities/format'
import { useMoveTask, useTasks } from './use-day'

/** What is due, by person and by site; what became of each stays with it. */
export function DueScreen() {
  const { person } = usePerson()
  const people = usePeople()
  const [whose, setWhose] = useState('all')
  const [find, setFind] = useState('')
  const tasks = useTasks(whose === 'all' ? null : Number(whose))
  const wanted = find.trim().toLowerCase()
  const shown = (tasks.data ?? []).filter((task) =>
    `${task.title} ${task.why} ${task.site} ${task.unit} ${task.assigned ?? ''}`
      .toLowerCase()
      .includes(wanted),
  )
  return (
    <div className="mx-auto max-w-5xl p-3 sm:p-5">
      <CallTabs />
      <FindHead
        title={t`To do`}
        label={t`Find a task`}
        hint={t`Find site, unit, task`}
        find={find}
        onFind={setFind}
      />
      <div className="pt-2">
        <Choice
          label={t`Whose`}
          hideLabel
          value={whose}
          onChange={setWhose}
          options={[
            { value: 'all', label: t`Everyone` },
            ...(people.data ?? []).map((p) => ({ value: String(p.id), label: p.name })),
          ]}
        />
      </div>
      <ProblemNote problem={problemOf(tasks.error)} onRetry={() => tasks.refetch()} />
      <ul className="pt-3">
        {shown.map((task) => (
          <TaskLine key={task.id} task={task} />
        ))}
      </ul>
      {tasks.data && shown.length === 0 && <p className="py-3 text-soft">{t`Nothing is due.`}</p>}
      {(person?.role === 'lead' || person?.role === 'office') && <WithoutCause />}
    </div>
  )
}

export function TaskLine({ task }: { task: Schemas['TaskOut'] }) {
  const move = useMoveTask()
  const [open, setOpen] = useState(false)
  return (
    <li className="grid gap-x-4 gap-y-1 border-b border-faint py-2 sm:grid-cols-[8.5rem_1fr_auto]">
      <span className="figure">
        {calendarDay(task.due_on)}
        {task.overdue && (
          <span className="block">
            <VerdictMark verdict="watch" word={t`Overdue`} />
          </span>
        )}
      </span>
      <div className="min-w-0">
        <p className="font-bold break-words">{task.title}</p>
        <p className="text-sm break-words text-soft">
          <Link to={`/units/${task.unit_id}`}>
            {task.site}, {task.unit}
          </Link>
          {task.why && ` · ${task.why}`} · {task.assigned ?? 'unassigned'}
        </p>
        {task.steps.map((s) => (
          <p
            key={s.happened_at}
            className="text-sm text-soft"
          >{t`${s.what} by ${s.person}, ${day(s.happened_at)}${s.reason && `: “${s.reason}”`}`}</p>
        ))}
        <ProblemNote problem={problemOf(move.error)} />
      </div>
      {task.status === 'open' && (
        <div className="flex gap-2">
          <Button
            className="px-3 text-sm"
            busy={move.isPending}
            onClick={() =>
              move.mutate({ id: task.id, move: { version: task.version, what: 'done', reason: '' } })
            }
          >{t`Done`}</Button>
          <Button className="px-3 text-sm" onClick={() => setOpen(true)}>{t`Later`}</Button>
        </div>
      )}
      <Sheet open={open} onOpenChange={setOpen} title={task.title}>
        <LaterForm task={task} onDone={() => setOpen(false)} />
      </Sheet>
    </li>
  )
}

function LaterForm({ task, onDone }: { task: Schemas['TaskOut']; onDone: () => void }) {
  const move = useMoveTask()
  const people = usePeople()
  const [due, setDue] = useState<string>(task.due_on)
  const [why, setWhy] = useState('')
  const [who, setWho] = useState('')
  const say = (m: Partial<Schemas['TaskMove']> & Pick<Schemas['TaskMove'], 'what'>) =>
    move.mutate(
      { id: task.id, move: { version: task.version, reason: why.trim(), ...m } },
      { onSuccess: onDone },
    )
  return (
    <div className="grid gap-3">
      <label className="block">
        <span className="block text-sm font-bold text-soft">{t`New day`}</span>
        <input
          type="date"
          value={due}
          onChange={(e) => setDue(e.target.value)}
          className="figure min-h-12 w-full border-2 border-line bg-field px-3"
        />
      </label>
      <TextField label={t`Reason`} value={why} onChange={setWhy} hint={t`It stays with the task.`} />
      <ProblemNote problem={problemOf(move.error)} />
      <div className="flex flex-wrap gap-2">
        <Button
          kind="primary"
          busy={move.isPending}
          disabled={!due || why.trim().length < 3}
          onClick={() => say({ what: 'postponed', due_on: due })}
        >{t`Postpone`}</Button>
        <Button
          busy={move.isPending}
          disabled={why.trim().length < 3}
          onClick={() => say({ what: 'dropped' })}
        >{t`Cancel task`}</Button>
      </div>
      <Pick
        label={t`Give it to`}
        value={who}
        onChange={(v) => {
          setWho(v)
          if (v) say({ what: 'given', assigned_id: Number(v) })
        }}
        options={[
          { value: '', label: t`choose` },
          ...(people.data ?? []).map((p) => ({ value: String(p.id), label: p.name })),
        ]}
      />
    </div>
  )
}

/** For the lead: closed calls of which no one said what it was. */
function WithoutCause() {
  const list = useQuery({
    queryKey: ['tasks', 'without-cause'],
    queryFn: () => answer(client.GET('/api/calls-without-cause')),
  })
  if (!list.data?.length) return null
  return (
    <section aria-label={t`Closed without a cause`} className="pt-6">
      <h2 className="border-b-2 border-ink text-lg font-bold">
        {t`Closed without a cause`} <span className="figure text-soft">{list.data.length}</span>
      </h2>
      <p className="py-2 text-soft">{t`What was it in the end? Each answer counts when this shop's next calls are diagnosed.`}</p>
      <ul>
        {list.data.map((c) => (
          <li key={c.call_id} className="border-b border-faint">
            <Link
              to={`/calls/${c.call_id}/hand_over`}
              className="grid gap-x-4 py-2 hover:bg-plane sm:grid-cols-[8.5rem_1fr]"
            >
              <span className="figure text-soft">{day(c.closed_at)}</span>
              <span>
                <b>
                  {c.site}, {c.unit}
                </b>{' '}
                <span className="text-soft">
                  “{c.complaint}” · {c.person}
                </span>
              </span>
            </Link>
          </li>
        ))}
      </ul>
    </section>
  )
}
