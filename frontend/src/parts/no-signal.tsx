import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useSyncExternalStore } from 'react'
import { at, LINE, line } from '../api/client'
import { heard, takeAlong } from '../api/kept'
import { clock, day } from '../quantities/format'

const AFTER_MS = 4_000
const AGAIN_MS = 15 * 60_000
const LOOK_MS = 5_000

const listen = (look: () => void) => {
  window.addEventListener(LINE, look)
  return () => window.removeEventListener(LINE, look)
}

/** Says that what is shown is of an earlier moment; and, while there is signal, takes along what may be needed. */
export function NoSignal() {
  const cache = useQueryClient()
  const of = useSyncExternalStore(listen, () => line.read_ms)
  useEffect(() => {
    const take = () => takeAlong().catch(() => undefined)
    const first = window.setTimeout(take, AFTER_MS)
    const again = window.setInterval(take, AGAIN_MS)
    return () => {
      window.clearTimeout(first)
      window.clearInterval(again)
    }
  }, [])
  const lost = of !== null
  useEffect(() => {
    if (!lost) return
    const look = window.setInterval(() => fetch(at('/api/live')).then(heard, () => undefined), LOOK_MS)
    return () => {
      window.clearInterval(look)
      // Back in signal, nothing of an earlier moment stays on the screen as if it were now.
      cache.invalidateQueries()
    }
  }, [lost, cache])
  if (of === null) return null
  const moment = new Date(of).toISOString()
  return (
    <p
      role="status"
      className="flex shrink-0 flex-wrap gap-x-3 border-b-2 border-ink bg-unknown px-3 py-1 text-on-dead"
    >
      <b>No signal.</b>
      <span>
        Shown as of {day(moment)} {clock(moment)}. Nothing can be saved until the signal is back. Whether a
        unit is dead now is unknown: prove it yourself.
      </span>
    </p>
  )
}
