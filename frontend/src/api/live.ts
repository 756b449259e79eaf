import { useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { OF_A_CALL } from './queries'

/** Hear of what another phone wrote: the call it moved is read anew, and the lists with it. */
export function useMoves() {
  const cache = useQueryClient()
  useEffect(() => {
    if (typeof EventSource === 'undefined') return
    const moves = new EventSource('/api/moves')
    moves.addEventListener('call', (event) => {
      const { call_id: id, entries } = JSON.parse((event as MessageEvent<string>).data) as {
        call_id: number
        entries: number
      }
      const held = cache.getQueryData<{ entries: number }>(['call', id])
      if (held && held.entries >= entries) return
      cache.invalidateQueries({ queryKey: ['call', id] })
      cache.invalidateQueries({ queryKey: ['calls'] })
      for (const of of OF_A_CALL) cache.invalidateQueries({ queryKey: [of, id] })
    })
    // A line that broke and came back may have missed something.
    moves.addEventListener('ready', () => cache.invalidateQueries({ queryKey: ['call'] }))
    return () => moves.close()
  }, [cache])
}
