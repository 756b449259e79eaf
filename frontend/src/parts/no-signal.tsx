import { t } from '@lingui/core/macro'
import { useQueryClient } from '@tanstack/react-query'
import { lazy, Suspense, useEffect } from 'react'
import { at } from '../api/client'
import { heard, lost as noLine, takeAlong } from '../api/kept'
import { clock, day } from '../quantities/format'
import { early } from './early'
import { Reminders } from './reminders'
import { useReadAt, useWaits } from './waits'

const AFTER_MS = 4_000
const AGAIN_MS = 15 * 60_000
const LOOK_MS = 5_000

// Needed where nothing can be fetched any more.
const Outbox = lazy(early(() => import('./outbox').then((m) => ({ default: m.OutboxBar }))))

/** Says that what is shown is of an earlier moment; and, while there is signal, takes along what may be needed. */
export function NoSignal() {
  const cache = useQueryClient()
  const of = useReadAt()
  useEffect(() => {
    const take = () => takeAlong().catch(() => undefined)
    window.addEventListener('offline', noLine)
    const first = window.setTimeout(take, AFTER_MS)
    const again = window.setInterval(take, AGAIN_MS)
    return () => {
      window.removeEventListener('offline', noLine)
      window.clearTimeout(first)
      window.clearInterval(again)
    }
  }, [])
  const lost = of !== null
  useEffect(() => {
    if (!lost) return
    // What waits is sent before anything is read again: nothing just entered is missing for a moment.
    const look = window.setInterval(
      () =>
        fetch(at('/api/live'))
          .then(() => import('../api/outbox'))
          .then((box) => box.flush())
          .then(heard, () => undefined),
      LOOK_MS,
    )
    return () => {
      window.clearInterval(look)
      // Back in signal, nothing of an earlier moment stays on the screen as if it were now.
      cache.invalidateQueries()
    }
  }, [lost, cache])
  const waits = useWaits()
  const moment = new Date(of ?? 0).toISOString()
  return (
    <>
      <Reminders />
      {of !== null && (
        <p
          role="status"
          className="flex shrink-0 flex-wrap gap-x-3 border-b-2 border-ink bg-unknown px-3 py-1 text-on-dead"
        >
          <b>{t`No signal.`}</b>
          <span>{t`Data from ${day(moment)} ${clock(moment)}. Entries are saved here and sent later. Prove every unit dead yourself.`}</span>
        </p>
      )}
      {waits > 0 && (
        <Suspense fallback={null}>
          <Outbox lost={lost} />
        </Suspense>
      )}
    </>
  )
}
