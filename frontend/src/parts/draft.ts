import { useCallback, useEffect, useState } from 'react'

/** Form state that survives a reload or a lost connection, until it is saved. */
export function useDraft<T extends object>(
  key: string,
  start: T,
): [T, (change: Partial<T>) => void, () => void] {
  const place = `orange-crank.draft.${key}`
  const [value, setValue] = useState<T>(() => ({ ...start, ...kept<T>(place) }))
  const [touched, setTouched] = useState(() => kept<T>(place) !== null)
  useEffect(() => {
    if (touched) sessionStorage.setItem(place, JSON.stringify(value))
  }, [place, touched, value])
  const change = useCallback((part: Partial<T>) => {
    setTouched(true)
    setValue((old) => ({ ...old, ...part }))
  }, [])
  const clear = useCallback(() => {
    sessionStorage.removeItem(place)
    setTouched(false)
    setValue(start)
  }, [place, start])
  return [value, change, clear]
}

/** The next free number of a list whose rows have no other name. */
export function nextId(rows: { id: number }[]): number {
  return Math.max(0, ...rows.map((r) => r.id)) + 1
}

function kept<T>(place: string): Partial<T> | null {
  try {
    const text = sessionStorage.getItem(place)
    return text ? (JSON.parse(text) as Partial<T>) : null
  } catch {
    return null
  }
}
