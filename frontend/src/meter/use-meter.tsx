import { createContext, type ReactNode, useContext, useEffect, useMemo, useState } from 'react'
import { at, type Schemas } from '../api/client'

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
    // A tab nobody looks at holds no line: browsers give each server only a few.
    const look = () => setVisible(document.visibilityState !== 'hidden')
    document.addEventListener('visibilitychange', look)
    return () => document.removeEventListener('visibilitychange', look)
  }, [])
  useEffect(() => {
    setNow(null)
    setLost(null)
    if (!key || !visible || typeof EventSource === 'undefined') return
    const line = new EventSource(at(`/api/meters/${key}/stream?call=${callId}`))
    line.addEventListener('values', (event) => {
      setNow(JSON.parse((event as MessageEvent<string>).data))
      setLost(null)
    })
    line.addEventListener('lost', (event) => {
      setNow(null)
      setLost(JSON.parse((event as MessageEvent<string>).data))
    })
    line.onerror = () => {
      setNow(null)
      setLost({
        detail: 'The line to the meter is down.',
        next_step: 'It is tried again by itself. Type the reading meanwhile.',
      })
    }
    return () => line.close()
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
