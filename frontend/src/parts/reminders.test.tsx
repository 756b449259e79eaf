import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { render } from '@testing-library/react'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { Reminders } from './reminders'

const kept = vi.hoisted(() => ({ tasks: [] as object[] }))
vi.mock('../api/kept', () => ({ keptTasks: async () => kept.tasks }))

const told: { title: string; body: string }[] = []
class Told {
  static permission = 'granted'
  constructor(title: string, { body }: { body: string }) {
    told.push({ title, body })
  }
}

beforeEach(() => {
  vi.useFakeTimers()
  vi.stubGlobal('Notification', Told)
  Told.permission = 'granted'
  told.length = 0
  kept.tasks = []
  localStorage.clear()
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

function watch(minutes: number) {
  const cache = new QueryClient()
  const due_at = new Date(Date.now() + minutes * 60_000).toISOString()
  cache.setQueryData(
    ['calls'],
    [{ id: 4, site: { name: 'Ferry' }, unit: 'Split', clocks: [{ id: 7, due_at }] }],
  )
  return render(
    <QueryClientProvider client={cache}>
      <Reminders />
    </QueryClientProvider>,
  )
}

test('a clock that ran out is told of once, whatever screens and tabs are open', async () => {
  const first = watch(2)
  await vi.advanceTimersByTimeAsync(60_000)
  expect(told).toEqual([])
  await vi.advanceTimersByTimeAsync(65_000)
  expect(told).toEqual([{ title: 'Cool: retest the windings', body: 'Ferry, Split' }])
  await vi.advanceTimersByTimeAsync(600_000)
  first.unmount()
  watch(-1)
  await vi.advanceTimersByTimeAsync(60_000)
  expect(told).toHaveLength(1)
})

test('without leave nothing is told, and it is told once leave is given', async () => {
  Told.permission = 'default'
  watch(-1)
  await vi.advanceTimersByTimeAsync(30_000)
  expect(told).toEqual([])
  Told.permission = 'granted'
  await vi.advanceTimersByTimeAsync(10_000)
  expect(told).toHaveLength(1)
})

test("tasks that are due are told of once a day, one's own and nobody's", async () => {
  localStorage.setItem('orange-crank.person', '1')
  const task = { title: 'Capacitor again', site: 'Ferry', due_on: '2000-01-01', status: 'open' }
  kept.tasks = [
    { ...task, assigned_id: 2 },
    { ...task, assigned_id: 1 },
    { ...task, assigned_id: null, title: 'Filter' },
  ]
  watch(600)
  await vi.advanceTimersByTimeAsync(60_000)
  expect(told).toEqual([{ title: '2 tasks are due', body: 'Capacitor again, Ferry' }])
  await vi.advanceTimersByTimeAsync(86_400_000)
  expect(told.filter((t) => t.title === '2 tasks are due')).toHaveLength(2)
})
