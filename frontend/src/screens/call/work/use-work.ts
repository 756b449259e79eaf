import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { answer, client, type Schemas } from '../../../api/client'

const at = (id: number) => ({ path: { call_id: id } })

export function useWork(callId: number) {
  return useQuery({
    queryKey: ['work', callId],
    queryFn: () => answer(client.GET('/api/calls/{call_id}/work', { params: at(callId) })),
  })
}

export function useVan(personId: number | null) {
  return useQuery({
    queryKey: ['van', personId],
    staleTime: 60_000,
    enabled: personId !== null,
    queryFn: () =>
      answer(client.GET('/api/vans/{person_id}', { params: { path: { person_id: personId as number } } })),
  })
}

/** Keep the fresh work in the cache; the call, its ladder and the van follow. */
function useKeepWork(callId: number, stock = true) {
  const cache = useQueryClient()
  return (work: Schemas['WorkOut']) => {
    cache.setQueryData(['work', callId], work)
    const moved = stock ? [['van'], ['parts']] : []
    return Promise.all([['call', callId], ...moved].map((queryKey) => cache.invalidateQueries({ queryKey })))
  }
}

export function useSavePlan(callId: number) {
  const cache = useQueryClient()
  return useMutation({
    // An answer asked for before the tick must not take the tick away again.
    onMutate: () => cache.cancelQueries({ queryKey: ['work', callId] }),
    // One after the other: two quick ticks must not overtake each other.
    scope: { id: `plan-${callId}` },
    mutationFn: (plan: Schemas['WorkPlan']) =>
      answer(client.POST('/api/calls/{call_id}/work/plans', { params: at(callId), body: plan })),
    // A plan and its ticks move no stock.
    onSuccess: useKeepWork(callId, false),
  })
}

export function useFit(callId: number) {
  return useMutation({
    mutationFn: (fitting: Schemas['Fitting']) =>
      answer(client.POST('/api/calls/{call_id}/work/fitted', { params: at(callId), body: fitting })),
    onSuccess: useKeepWork(callId),
  })
}

export function useKeep(callId: number) {
  return useMutation({
    mutationFn: (kept: Schemas['Kept']) =>
      answer(client.POST('/api/calls/{call_id}/work/kept', { params: at(callId), body: kept })),
    onSuccess: useKeepWork(callId),
  })
}

export function useBackupProof(callId: number) {
  return useMutation({
    mutationFn: (proof: Schemas['BackupProof']) =>
      answer(client.POST('/api/calls/{call_id}/work/backup-proof', { params: at(callId), body: proof })),
    onSuccess: useKeepWork(callId),
  })
}

export function useSaySource(callId: number) {
  return useMutation({
    scope: { id: `source-${callId}` },
    mutationFn: (supply: Schemas['BackupSupply']) =>
      answer(client.POST('/api/calls/{call_id}/work/backup-source', { params: at(callId), body: supply })),
    onSuccess: useKeepWork(callId, false),
  })
}

export function useAsWired(callId: number) {
  return useMutation({
    mutationFn: (checked: Schemas['AsWired']) =>
      answer(client.POST('/api/calls/{call_id}/work/as-wired', { params: at(callId), body: checked })),
    onSuccess: useKeepWork(callId, false),
  })
}
