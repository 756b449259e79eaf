import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { answer, type Call, client, type NewReading, type Plate, type Schemas } from './client'

export function usePeople() {
  return useQuery({
    queryKey: ['people'],
    queryFn: () => answer(client.GET('/api/people')),
    staleTime: 60_000,
  })
}

/** A price as it is written, in the shop's currency. */
export function usePrice(): (value: number) => string {
  const shop = useQuery({ queryKey: ['shop'], queryFn: () => answer(client.GET('/api/shop')) })
  const currency = shop.data?.details.currency ?? 'USD'
  return (value) =>
    new Intl.NumberFormat('en-US', {
      style: 'currency',
      currency,
      minimumFractionDigits: Number.isInteger(value) ? 0 : 2,
    }).format(value)
}

export function useReference() {
  return useQuery({
    queryKey: ['reference'],
    queryFn: () => answer(client.GET('/api/reference')),
    staleTime: Number.POSITIVE_INFINITY,
  })
}

/** Whether the server answers, and whether it runs the demo. */
export function useHealth() {
  return useQuery({
    queryKey: ['health'],
    queryFn: () => answer(client.GET('/api/health')),
    staleTime: 60_000,
  })
}

export function useCalls() {
  return useQuery({
    queryKey: ['calls'],
    queryFn: () => answer(client.GET('/api/calls')),
    refetchInterval: 30_000,
  })
}

export function useUnits() {
  return useQuery({ queryKey: ['units'], queryFn: () => answer(client.GET('/api/units')) })
}

export function useSites() {
  return useQuery({ queryKey: ['sites'], queryFn: () => answer(client.GET('/api/sites')) })
}

export function useUnit(id: number) {
  return useQuery({
    queryKey: ['unit', id],
    queryFn: () => answer(client.GET('/api/units/{unit_id}', { params: { path: { unit_id: id } } })),
  })
}

export function useStandards(near = true) {
  return useQuery({
    queryKey: ['standards'],
    enabled: near,
    queryFn: () => answer(client.GET('/api/standards')),
  })
}

export function useCall(id: number) {
  return useQuery({
    queryKey: ['call', id],
    queryFn: () => answer(client.GET('/api/calls/{call_id}', { params: { path: { call_id: id } } })),
    refetchInterval: 30_000,
  })
}

/** What hangs on a call beside itself; it follows whenever the call moves on. */
export const OF_A_CALL = [
  'why',
  'work',
  'call-circuit',
  'start-of-call',
  'aid',
  'photos',
  'captures',
  'hand-over',
  'options',
] as const

/** Keep the fresh call in the cache and let the lists follow. */
function useKeepCall() {
  const cache = useQueryClient()
  return (call: Call) => {
    cache.setQueryData(['call', call.id], call)
    // Lists are read again when they are looked at again: the screen that shows one is being left.
    for (const queryKey of [['calls'], ['unit', call.unit_id], ['units']])
      cache.invalidateQueries({ queryKey, refetchType: 'none' })
    // Photographs and recordings are asked for again where one is added: nothing else changes them here.
    for (const of of OF_A_CALL)
      if (of !== 'photos' && of !== 'captures') cache.invalidateQueries({ queryKey: [of, call.id] })
  }
}

export function useOpenCall() {
  return useMutation({
    mutationFn: (entry: Schemas['NewCall']) => answer(client.POST('/api/calls', { body: entry })),
    onSuccess: useKeepCall(),
  })
}

const at = (id: number) => ({ path: { call_id: id } })

export function useEditCall(id: number) {
  return useMutation({
    mutationFn: (edit: Schemas['CallEdit']) =>
      answer(client.PATCH('/api/calls/{call_id}', { params: at(id), body: edit })),
    onSuccess: useKeepCall(),
  })
}

export function useSavePlate(id: number) {
  return useMutation({
    mutationFn: (entry: { plate: Plate; base_number: number }) =>
      answer(client.POST('/api/calls/{call_id}/plates', { params: at(id), body: entry })),
    onSuccess: useKeepCall(),
  })
}

export function useMakeSafe(id: number) {
  return useMutation({
    mutationFn: (record: Schemas['NewMakeSafe']) =>
      answer(client.POST('/api/calls/{call_id}/make-safe', { params: at(id), body: record })),
    onSuccess: useKeepCall(),
  })
}

export function useSafetyEvent(id: number) {
  return useMutation({
    mutationFn: (event: Schemas['NewSafetyEvent']) =>
      answer(client.POST('/api/calls/{call_id}/safety-events', { params: at(id), body: event })),
    onSuccess: useKeepCall(),
  })
}

export function useAddChange(id: number) {
  return useMutation({
    mutationFn: (change: Schemas['NewChange']) =>
      answer(client.POST('/api/calls/{call_id}/changes', { params: at(id), body: change })),
    onSuccess: useKeepCall(),
  })
}

export function useLiftStop(id: number) {
  return useMutation({
    mutationFn: (lift: Schemas['NewLift']) =>
      answer(client.POST('/api/calls/{call_id}/stops/lift', { params: at(id), body: lift })),
    onSuccess: useKeepCall(),
  })
}

export function useAddReading(id: number) {
  const cache = useQueryClient()
  return useMutation({
    mutationFn: (entry: NewReading) =>
      answer(client.POST('/api/calls/{call_id}/readings', { params: at(id), body: entry })),
    onSuccess: () =>
      Promise.all([
        cache.invalidateQueries({ queryKey: ['call', id] }),
        cache.invalidateQueries({ queryKey: ['calls'] }),
        cache.invalidateQueries({ queryKey: ['unit'] }),
      ]),
  })
}

export function useAddReadingSet(id: number) {
  return useMutation({
    mutationFn: (readings: NewReading[]) =>
      answer(client.POST('/api/calls/{call_id}/reading-sets', { params: at(id), body: { readings } })),
    onSuccess: useKeepCall(),
  })
}

export function useAddTest(id: number) {
  return useMutation({
    mutationFn: (test: Schemas['NewTest']) =>
      answer(client.POST('/api/calls/{call_id}/tests', { params: at(id), body: test })),
    onSuccess: useKeepCall(),
  })
}

export function useAddSite() {
  const cache = useQueryClient()
  return useMutation({
    mutationFn: (entry: Schemas['NewSite']) => answer(client.POST('/api/sites', { body: entry })),
    onSuccess: () => cache.invalidateQueries({ queryKey: ['sites'] }),
  })
}

export function useAddUnit() {
  const cache = useQueryClient()
  return useMutation({
    mutationFn: (entry: Schemas['NewUnit']) => answer(client.POST('/api/units', { body: entry })),
    onSuccess: () => cache.invalidateQueries({ queryKey: ['units'] }),
  })
}

export function useReloadDemo() {
  const cache = useQueryClient()
  return useMutation({
    mutationFn: () => answer(client.POST('/api/demo/reload', { body: { confirm: 'reload the demo' } })),
    onSuccess: () => cache.invalidateQueries(),
  })
}
