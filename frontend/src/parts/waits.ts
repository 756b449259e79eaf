import { useSyncExternalStore } from 'react'
import { LINE, line, OUTBOX, outboxCount } from '../api/client'

const listen =
  (...events: string[]) =>
  (look: () => void) => {
    for (const event of events) window.addEventListener(event, look)
    return () => {
      for (const event of events) window.removeEventListener(event, look)
    }
  }
const toLine = listen(LINE)
const toBox = listen(OUTBOX, 'storage')

/** Of which moment what is shown is, where it comes from this device; null while the server answers. */
export const useReadAt = () => useSyncExternalStore(toLine, () => line.read_ms)

/** How many entries wait on this device or were refused. */
export const useWaits = () => useSyncExternalStore(toBox, outboxCount)
