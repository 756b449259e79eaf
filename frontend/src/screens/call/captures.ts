import { useQuery } from '@tanstack/react-query'
import { answer, client, type Schemas } from '../../api/client'

export type Capture = Schemas['CaptureOut']

export function useCaptures(callId: number, near = true) {
  return useQuery({
    queryKey: ['captures', callId],
    enabled: near,
    staleTime: 60_000,
    queryFn: () =>
      answer(client.GET('/api/calls/{call_id}/captures', { params: { path: { call_id: callId } } })),
  })
}

/** A stretch of a capture with as much again on either side, so that it may be moved before more comes. */
export function useTrace(id: number | null, range: [number, number] | null) {
  const span = range ? range[1] - range[0] : 0
  return useQuery({
    queryKey: ['trace', id, range],
    enabled: id !== null,
    placeholderData: (old) => old,
    queryFn: () =>
      answer(
        client.GET('/api/captures/{capture_id}/trace', {
          params: {
            path: { capture_id: id ?? 0 },
            query: range
              ? { points: 9000, from_s: Math.max(0, range[0] - span), to_s: Math.max(0.01, range[1] + span) }
              : { points: 3000 },
          },
        }),
      ),
  })
}

/** The start with the largest cycle: a compressor's rather than its fan's. */
export function largestStart(capture: Capture) {
  return [...capture.report.starts].sort((a, b) => b.max_cycle_rms_a - a.max_cycle_rms_a)[0]
}
