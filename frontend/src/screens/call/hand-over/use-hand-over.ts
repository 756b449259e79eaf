import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { answer, client, type Schemas } from '../../../api/client'

export type HandOver = Schemas['HandOverOut']
const at = (id: number) => ({ path: { call_id: id } })

export function useHandOver(callId: number) {
  return useQuery({
    queryKey: ['hand-over', callId],
    queryFn: () => answer(client.GET('/api/calls/{call_id}/hand-over', { params: at(callId) })),
  })
}

/** Keep the fresh hand-over in the cache; the call and its ladder follow. */
function useKeepHandOver(callId: number) {
  const cache = useQueryClient()
  return (fresh: HandOver) => {
    cache.setQueryData(['hand-over', callId], fresh)
    return cache.invalidateQueries({ queryKey: ['call', callId] })
  }
}

export function useConfirm(callId: number) {
  return useMutation({
    mutationFn: (entry: Schemas['Confirmed']) =>
      answer(client.POST('/api/calls/{call_id}/hand-over/confirm', { params: at(callId), body: entry })),
    onSuccess: useKeepHandOver(callId),
  })
}

export function useBill(callId: number) {
  return useMutation({
    scope: { id: `bill-${callId}` },
    mutationFn: (entry: Schemas['Billed']) =>
      answer(client.POST('/api/calls/{call_id}/hand-over/bill', { params: at(callId), body: entry })),
    onSuccess: useKeepHandOver(callId),
  })
}

export function usePay(callId: number) {
  return useMutation({
    mutationFn: (entry: Schemas['Payment']) =>
      answer(client.POST('/api/calls/{call_id}/hand-over/payments', { params: at(callId), body: entry })),
    onSuccess: useKeepHandOver(callId),
  })
}

export function useHandTo(callId: number) {
  return useMutation({
    mutationFn: (entry: Schemas['HandedOver']) =>
      answer(client.POST('/api/calls/{call_id}/hand-over', { params: at(callId), body: entry })),
    onSuccess: useKeepHandOver(callId),
  })
}

export function useOptions(callId: number, near: boolean) {
  return useQuery({
    queryKey: ['options', callId],
    enabled: near,
    queryFn: () => answer(client.GET('/api/calls/{call_id}/hand-over/options', { params: at(callId) })),
  })
}

export function useAgree(callId: number) {
  const cache = useQueryClient()
  const keep = useKeepHandOver(callId)
  return useMutation({
    mutationFn: (entry: Schemas['NewAgreement']) =>
      answer(client.POST('/api/calls/{call_id}/hand-over/agree', { params: at(callId), body: entry })),
    onSuccess: keep,
    // The price may have moved: show what is there now.
    onError: () => cache.invalidateQueries({ queryKey: ['options', callId] }),
  })
}

export function useTasksOfCall(callId: number) {
  return useQuery({
    queryKey: ['tasks', 'call', callId],
    queryFn: () => answer(client.GET('/api/calls/{call_id}/tasks', { params: at(callId) })),
  })
}

export function useKeepFollowUps(callId: number) {
  const cache = useQueryClient()
  return useMutation({
    mutationFn: (codes: string[]) =>
      answer(client.POST('/api/calls/{call_id}/hand-over/tasks', { params: at(callId), body: { codes } })),
    onSuccess: (tasks) => {
      cache.setQueryData(['tasks', 'call', callId], tasks)
      return cache.invalidateQueries({ queryKey: ['tasks'], refetchType: 'none' })
    },
  })
}

/** An amount as it is written; what it comes to is the server's. */
export function amount(value: number | null | undefined, currency: string): string {
  if (value === null || value === undefined) return t`not known`
  return new Intl.NumberFormat('en-US', { style: 'currency', currency }).format(value)
}
