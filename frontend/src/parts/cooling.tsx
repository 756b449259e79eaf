import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, type Call, client, problemOf, type Schemas } from '../api/client'
import { parseFigure } from '../quantities/figure'
import { clock as clockTime } from '../quantities/format'
import { measure } from '../quantities/measures'
import { Button } from './button'
import { ClockWord } from './clock-word'
import { FigureField } from './field'
import { Form } from './figures'
import { ProblemNote } from './problem'
import { canBeTold, reminders } from './told-closed'

/** Start a cooling clock, see those that run, be told when one is due. */
export function Cooling({ call }: { call: Call }) {
  const cache = useQueryClient()
  const keep = (fresh: Call) => {
    cache.setQueryData(['call', call.id], fresh)
    cache.invalidateQueries({ queryKey: ['calls'] })
  }
  const path = { call_id: call.id }
  const [minutes, setMinutes] = useState('30')
  const [shell, setShell] = useState('')
  const begin = useMutation({
    mutationFn: () =>
      answer(
        client.POST('/api/calls/{call_id}/clocks', {
          params: { path },
          body: {
            minutes: parseFigure(minutes, 'min') ?? 30,
            ...(shell.trim() ? { shell_f: parseFigure(shell, '°F') } : {}),
          } as Schemas['NewClock'],
        }),
      ),
    onSuccess: (fresh) => {
      keep(fresh)
      if ('Notification' in window && Notification.permission === 'default') Notification.requestPermission()
    },
  })
  const told = useQuery({ queryKey: ['reminders'], queryFn: reminders, enabled: canBeTold(), retry: false })
  const end = useMutation({
    mutationFn: (id: number) =>
      answer(
        client.POST('/api/calls/{call_id}/clocks/{clock_id}/end', {
          params: { path: { ...path, clock_id: id } },
        }),
      ),
    onSuccess: keep,
  })
  return (
    <section aria-label={t`Cooling clock`} className="border-t-2 border-line pt-2">
      <h3 className="text-lg font-bold">{t`Cooling clock`}</h3>
      <p className="pb-2 text-soft">{t`An open overload is hot, not failed. Power off and wait (longer on hot days), then remeasure the windings. Water on the shell only, locked out, terminal cover on and dry.`}</p>
      <ul>
        {call.clocks.map((c) => (
          <li key={c.id} className="flex flex-wrap items-center gap-3 border-b border-faint py-1">
            <ClockWord clock={c} />
            <span className="text-sm text-soft">{t`${c.person}, since ${clockTime(c.started_at)}${c.shell_f ? t`, shell ${measure(c.shell_f, '°F')}` : ''}`}</span>
            <Button onClick={() => end.mutate(c.id)}>{t`End`}</Button>
          </li>
        ))}
      </ul>
      <Form
        label={t`Start a cooling clock`}
        className="grid grid-cols-2 items-end gap-3 pt-2 sm:grid-cols-3"
        onSubmit={() => begin.mutate()}
      >
        <FigureField label={t`Minutes`} unit="min" value={minutes} onChange={setMinutes} />
        <FigureField label={t`Shell, if known`} unit="°F" value={shell} onChange={setShell} />
        <Button type="submit" busy={begin.isPending}>{t`Start the clock`}</Button>
      </Form>
      <p className="pt-1 text-sm text-soft">
        {told.data?.on && !told.data.trouble
          ? t`You get a notice when time is up, even with the program closed. Without signal it comes late.`
          : t`You get a notice only while the program is open. Otherwise set your own alarm, or turn on reminders under Shop.`}
      </p>
      <ProblemNote problem={problemOf(begin.error ?? end.error)} />
    </section>
  )
}
