import { t } from '@lingui/core/macro'
import { useEffect, useState } from 'react'
import type { Schemas } from '../api/client'

function useNow(): number {
  const [now, setNow] = useState(Date.now)
  useEffect(() => {
    const timer = window.setInterval(() => setNow(Date.now()), 1000)
    return () => window.clearInterval(timer)
  }, [])
  return now
}

/** Minutes and seconds left, or that it is time. */
export function ClockWord({ clock }: { clock: Schemas['Clock'] }) {
  const left = Math.round((Date.parse(clock.due_at) - useNow()) / 1000)
  if (left <= 0) return <b role="alert" className="bg-orange px-2 text-on-orange">{t`● Cool: retest now`}</b>
  return (
    <span className="figure border-2 border-ink bg-field px-2">{t`◔ cooling ${Math.floor(left / 60)}:${String(left % 60).padStart(2, '0')}`}</span>
  )
}
