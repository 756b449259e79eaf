import { useCallback, useEffect, useRef, useState } from 'react'

/**
 * Form state that survives a reload or a lost connection, until it is saved. Untouched, and after a save, it shows
 * what the server holds; once touched it keeps what it began from, so that a change of somebody else is noticed.
 */
export function useDraft<T extends object>(
  key: string,
  start: T,
): [T, (change: Partial<T>) => void, () => void] {
  const place = `orange-crank.draft.${key}`
  const [kept, setKept] = useState<T | null>(() => {
    const found = stored<T>(place)
    return found === null ? null : { ...start, ...found }
  })
  const begun = useRef(start)
  begun.current = start
  useEffect(() => {
    if (kept !== null) sessionStorage.setItem(place, JSON.stringify(kept))
  }, [place, kept])
  const change = useCallback((part: Partial<T>) => {
    setKept((old) => ({ ...(old ?? begun.current), ...part }))
  }, [])
  const clear = useCallback(() => {
    sessionStorage.removeItem(place)
    setKept(null)
  }, [place])
  return [kept ?? start, change, clear]
}

/** The next free number of a list whose rows have no other name. */
export function nextId(rows: { id: number }[]): number {
  return Math.max(0, ...rows.map((r) => r.id)) + 1
}

function stored<T>(place: string): Partial<T> | null {
  try {
    const text = sessionStorage.getItem(place)
    return text ? (JSON.parse(text) as Partial<T>) : null
  } catch {
    return null
  }
}
