import { t } from '@lingui/core/macro'
import { createContext, type ReactNode, useContext, useEffect, useMemo, useState } from 'react'
import { at, type Schemas } from '../api/client'
import { listen } from '../api/event-line'

export type LiveValue = Schemas['LiveValue']

type Line = {
  /** Which meter is read; empty where none is. */
  key: string
  connect: (key: string) => void
  now: Schemas['LiveValues'] | null
  lost: Schemas['Lost'] | null
}

export const MeterContext = createContext<Line | null>(null)
const KEPT = 'orange-crank.meter'

/** One line to a meter for a call: it holds while one goes from rung to rung, and comes back by itself. */
export function MeterLine({ callId, children }: { callId: number; children: ReactNode }) {
  const [key, setKey] = useState(() => sessionStorage.getItem(KEPT) ?? '')
  const [now, setNow] = useState<Schemas['LiveValues'] | null>(null)
  const [lost, setLost] = useState<Schemas['Lost'] | null>(null)
  const [visible, setVisible] = useState(document.visibilityState !== 'hidden')
  useEffect(() => {
    // A tab no one looks at holds no line: browsers give each server only a few.
    const look = () => setVisible(document.visibilityState !== 'hidden')
    document.addEventListener('visibilitychange', look)
    return () => document.removeEventListener('visibilitychange', look)
  }, [])
  useEffect(() => {
    setNow(null)
    setLost(null)
    if (!key || !visible) return
    return listen({
      address: at(`/api/meters/${key}/stream?call=${callId}`),
      names: ['values', 'lost'],
      hear: (name, data) => {
        setNow(name === 'values' ? JSON.parse(data) : null)
        setLost(name === 'values' ? null : JSON.parse(data))
      },
      down: () => {
        setNow(null)
        setLost({
          detail: t`The connection to the meter is down.`,
          next_step: t`It reconnects automatically. Type the reading in the meantime.`,
        })
      },
    })
  }, [key, callId, visible])
  const line = useMemo(
    () => ({
      key,
      connect: (next: string) => {
        if (next) sessionStorage.setItem(KEPT, next)
        else sessionStorage.removeItem(KEPT)
        setKey(next)
      },
      now,
      lost,
    }),
    [key, now, lost],
  )
  return <MeterContext.Provider value={line}>{children}</MeterContext.Provider>
}

export function useMeterLine(): Line | null {
  return useContext(MeterContext)
}

/** What the meter gives now that may be taken as a reading. */
export function useLive(quantity: string): LiveValue | null {
  const line = useContext(MeterContext)
  return line?.now?.values.find((v) => v.fill?.quantity === quantity) ?? null
}
