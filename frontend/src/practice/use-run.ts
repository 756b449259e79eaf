import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { createContext, useContext, useState } from 'react'
import { answer, client, type Schemas } from '../api/client'

export type RunState = Schemas['RunState']
export type Act = Schemas['Act']

/** The unit of a practice call as it is now, and what is done to it. */
export function useRun(callId: number) {
  const cache = useQueryClient()
  const key = ['practice', callId]
  const params = { path: { call_id: callId } }
  const run = useQuery({
    queryKey: key,
    queryFn: () => answer(client.GET('/api/practice/calls/{call_id}', { params })),
  })
  // Acts go one after another: a tap while the last one is on its way waits for it and takes the next number.
  const act = useMutation({
    scope: { id: `practice-${callId}` },
    mutationFn: (next: Act) =>
      answer(
        client.POST('/api/practice/calls/{call_id}/acts', {
          params,
          body: { number: (cache.getQueryData<RunState>(key)?.run.acts ?? 0) + 1, act: next },
        }),
      ),
    onSuccess: (state) => cache.setQueryData(key, state),
    onError: () => cache.invalidateQueries({ queryKey: key }),
  })
  // Whether the unit lies open: beside the rung where there is room, else over it.
  const [open, setOpen] = useState(false)
  return { run, act, open, setOpen }
}

export type RunHand = ReturnType<typeof useRun>
export const RunContext = createContext<RunHand | null>(null)

export function useRunHand(): RunHand | null {
  return useContext(RunContext)
}
