import { t } from '@lingui/core/macro'
import { useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { type Call, rememberedPerson, type Schemas } from '../api/client'
import { keptTasks } from '../api/kept'
import { canBeTold, reminders } from './told-closed'
import { usePerson } from './who'

const LOOK_MS = 5_000
const TOLD = 'orange-crank.told'
const KEPT = 200

/** Each thing is notified once on this device, whatever tabs are open. */
function first(name: string): boolean {
  const told = JSON.parse(localStorage.getItem(TOLD) ?? '[]') as string[]
  if (told.includes(name)) return false
  localStorage.setItem(TOLD, JSON.stringify([...told, name].slice(-KEPT)))
  return true
}

export const mayTell = () => 'Notification' in window && Notification.permission === 'granted'

async function tell(name: string, title: string, body: string, path: string) {
  if (!mayTell() || !first(name)) return
  const worker = await navigator.serviceWorker?.getRegistration()
  if (worker)
    await worker.showNotification(title, { body, tag: name, data: { path }, icon: '/crank-192.png' })
  else new Notification(title, { body, tag: name })
}

const today = () => new Date().toLocaleDateString('en-CA')

/** Tells of a cooling clock that ran out and of tasks that are due, while the program is open on this device. */
export function Reminders() {
  const cache = useQueryClient()
  const { person } = usePerson()
  const who = person?.id
  useEffect(() => {
    // Without signal the server hears of it at the next opening.
    if (who && canBeTold()) reminders().catch(() => undefined)
  }, [who])
  useEffect(() => {
    const look = async () => {
      const lists = cache.getQueriesData<Schemas['CallSummary'][]>({ queryKey: ['calls'] })
      const calls = cache.getQueriesData<Call>({ queryKey: ['call'] })
      const known = [...lists.flatMap(([, list]) => list ?? []), ...calls.flatMap(([, c]) => c ?? [])]
      for (const call of known)
        for (const clock of call.clocks ?? [])
          if (Date.parse(clock.due_at) <= Date.now())
            tell(
              // The name the server tells it by: told by both, it is shown once.
              `clock-${clock.id}-${Math.floor(Date.parse(clock.started_at) / 1000)}`,
              t`Cool: retest the windings`,
              `${call.site.name}, ${call.unit}`,
              `/calls/${call.id}/dead_tests`,
            )
      if (!mayTell()) return
      const mine = [null, rememberedPerson()]
      const due = (await keptTasks()).filter(
        (task) => task.due_on <= today() && mine.includes(task.assigned_id),
      )
      const [task] = due
      if (task)
        tell(
          `tasks-${today()}`,
          due.length === 1 ? t`One task is due` : t`${due.length} tasks are due`,
          `${task.title}, ${task.site}`,
          '/due',
        )
    }
    look()
    const timer = window.setInterval(look, LOOK_MS)
    return () => window.clearInterval(timer)
  }, [cache])
  return null
}
