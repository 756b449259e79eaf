import { useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { at } from './client'
import { listen } from './event-line'
import { OF_A_CALL } from './queries'

/** How long the answer to this phone's own write may take before what was heard of it is read [ms]. */
const OWN_MS = 1_000

/** Hear of what another phone wrote: the call it moved is read again, and the lists with it. */
export function useMoves() {
  const cache = useQueryClient()
  useEffect(() => {
    const look = (id: number, entries: number) => {
      const held = cache.getQueryData<{ entries: number }>(['call', id])
      if (held && held.entries >= entries) return
      cache.invalidateQueries({ queryKey: ['call', id] })
      cache.invalidateQueries({ queryKey: ['calls'] })
      for (const of of OF_A_CALL) cache.invalidateQueries({ queryKey: [of, id] })
    }
    // A line that broke and came back may have missed something.
    const catchUp = () => cache.invalidateQueries({ queryKey: ['call'] })
    return listen({
      address: at('/api/moves'),
      names: ['call', 'ready'],
      resumed: catchUp,
      hear: (name, data) => {
        if (name === 'ready') return catchUp()
        const { call_id: id, entries } = JSON.parse(data) as { call_id: number; entries: number }
        // While this phone writes itself, the answer brings the call along: looked at once it is there.
        if (cache.isMutating() > 0) setTimeout(() => look(id, entries), OWN_MS)
        else look(id, entries)
      },
    })
  }, [cache])
}
