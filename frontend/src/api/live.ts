import { useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { at } from './client'
import { OF_A_CALL } from './queries'

/** How long the answer to this phone's own write may take before what was heard of it is read [ms]. */
const OWN_MS = 1_000

/** Hear of what another phone wrote: the call it moved is read anew, and the lists with it. */
export function useMoves() {
  const cache = useQueryClient()
  useEffect(() => {
    if (typeof EventSource === 'undefined') return
    const moves = new EventSource(at('/api/moves'))
    const look = (id: number, entries: number) => {
      const held = cache.getQueryData<{ entries: number }>(['call', id])
      if (held && held.entries >= entries) return
      cache.invalidateQueries({ queryKey: ['call', id] })
      cache.invalidateQueries({ queryKey: ['calls'] })
      for (const of of OF_A_CALL) cache.invalidateQueries({ queryKey: [of, id] })
    }
    moves.addEventListener('call', (event) => {
      const { call_id: id, entries } = JSON.parse((event as MessageEvent<string>).data) as {
        call_id: number
        entries: number
      }
      // While this phone writes itself, the answer brings the call along: looked at once it is there.
      if (cache.isMutating() > 0) setTimeout(() => look(id, entries), OWN_MS)
      else look(id, entries)
    })
    // A line that broke and came back may have missed something.
    moves.addEventListener('ready', () => cache.invalidateQueries({ queryKey: ['call'] }))
    return () => moves.close()
  }, [cache])
}
