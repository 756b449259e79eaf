import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { answer, client, type Schemas } from '../../api/client'

export function useDay(personId: number | null, day: string | null) {
  return useQuery({
    queryKey: ['day', personId, day],
    enabled: personId !== null,
    queryFn: () =>
      answer(
        client.GET('/api/people/{person_id}/day', {
          params: { path: { person_id: personId as number }, query: day ? { day } : {} },
        }),
      ),
  })
}

export function useTasks(personId: number | null, unitId?: number) {
  return useQuery({
    queryKey: ['tasks', personId, unitId],
    queryFn: () =>
      answer(
        client.GET('/api/tasks', {
          params: {
            query: { ...(personId ? { person_id: personId } : {}), ...(unitId ? { unit_id: unitId } : {}) },
          },
        }),
      ),
  })
}

/** Whatever moves a task or a visit moves the lists that show it. */
function useFollow() {
  const cache = useQueryClient()
  return () =>
    Promise.all(['day', 'tasks', 'unit', 'fleet'].map((of) => cache.invalidateQueries({ queryKey: [of] })))
}

export function useMoveTask() {
  return useMutation({
    mutationFn: ({ id, move }: { id: number; move: Schemas['TaskMove'] }) =>
      answer(client.POST('/api/tasks/{task_id}/moves', { params: { path: { task_id: id } }, body: move })),
    onSettled: useFollow(),
  })
}

export function useAddTask() {
  return useMutation({
    mutationFn: (entry: Schemas['NewTask']) => answer(client.POST('/api/tasks', { body: entry })),
    onSuccess: useFollow(),
  })
}

export function usePlanVisit() {
  return useMutation({
    mutationFn: (entry: Schemas['NewVisit']) => answer(client.POST('/api/visits', { body: entry })),
    onSuccess: useFollow(),
  })
}

export function useEditVisit() {
  return useMutation({
    mutationFn: ({ id, edit }: { id: number; edit: Schemas['VisitEdit'] }) =>
      answer(client.PUT('/api/visits/{visit_id}', { params: { path: { visit_id: id } }, body: edit })),
    onSettled: useFollow(),
  })
}

/** A moment as a field of date and time takes it, in this device's zone. */
export function localInput(iso: string): string {
  const at = new Date(iso)
  const two = (n: number) => String(n).padStart(2, '0')
  return `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}T${two(at.getHours())}:${two(at.getMinutes())}`
}

/** The calendar day some days from another; no clock has a say. */
export function dayFrom(day: string, days: number): string {
  const [y, m, d] = day.split('-').map(Number)
  const at = new Date(Date.UTC(y ?? 0, (m ?? 1) - 1, (d ?? 1) + days))
  const two = (n: number) => String(n).padStart(2, '0')
  return `${at.getUTCFullYear()}-${two(at.getUTCMonth() + 1)}-${two(at.getUTCDate())}`
}
