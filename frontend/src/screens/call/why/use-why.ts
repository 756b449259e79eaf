import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { answer, client, type Schemas } from '../../../api/client'

export type Why = Schemas['WhyOut']
export type Ranked = Schemas['Ranked']
export type Evidence = Schemas['Evidence']
export type WhyRecord = Schemas['WhyRecord']

export function useWhy(callId: number) {
  return useQuery({
    queryKey: ['why', callId],
    queryFn: () => answer(client.GET('/api/calls/{call_id}/why', { params: { path: { call_id: callId } } })),
    retry: false,
  })
}

function useKeep(callId: number) {
  const cache = useQueryClient()
  return (why: Why) => {
    cache.setQueryData(['why', callId], why)
    cache.invalidateQueries({ queryKey: ['call', callId] })
    cache.invalidateQueries({ queryKey: ['calls'] })
  }
}

export function useTell(callId: number) {
  return useMutation({
    mutationFn: (record: WhyRecord) =>
      answer(
        client.POST('/api/calls/{call_id}/why', { params: { path: { call_id: callId } }, body: record }),
      ),
    onSuccess: useKeep(callId),
  })
}

/** Skip a test that cannot be done here, or offer it again. */
export function useSkip(callId: number) {
  return useMutation({
    mutationFn: (entry: { test: string; skipped: boolean }) =>
      answer(
        client.POST('/api/calls/{call_id}/skipped-tests', {
          params: { path: { call_id: callId } },
          body: entry,
        }),
      ),
    onSuccess: useKeep(callId),
  })
}

export function useDecide(callId: number) {
  return useMutation({
    mutationFn: (entry: Schemas['NewDecision']) =>
      answer(
        client.POST('/api/calls/{call_id}/decisions', {
          params: { path: { call_id: callId } },
          body: entry,
        }),
      ),
    onSuccess: useKeep(callId),
  })
}

/** Replace what was seen of one quantity at one place; nothing else is touched. */
export function withSeen(record: WhyRecord, evidence: Evidence[]): WhyRecord {
  const same = (a: Evidence, b: Evidence) => a.quantity === b.quantity
  const kept = (record.seen ?? []).filter((old) => !evidence.some((e) => same(old, e)))
  return { ...record, seen: [...kept, ...evidence] }
}
