import { useCallback, useEffect, useRef, useState } from 'react'
import { rememberedPerson } from '../api/client'

// A draft outlives a killed tab, and not the week.
const KEPT_MS = 3 * 24 * 3_600_000
const DRAFT = 'orange-crank.draft.'

/** Each person's drafts are their own: a tablet is handed on. */
export function draftPlace(key: string): string {
  return `${DRAFT}${rememberedPerson() ?? 0}.${key}`
}

export function keepDraft(place: string, body: object) {
  try {
    localStorage.setItem(place, JSON.stringify({ at: Date.now(), body }))
  } catch {
    // A full or closed store keeps no draft; what is typed stays on the screen.
  }
}

export function dropDraft(place: string) {
  localStorage.removeItem(place)
}

/** Throw away drafts whose time is over; all of them where everything is thrown away. */
export function sweepDrafts(all = false) {
  for (const key of Object.keys(localStorage))
    if (key.startsWith(DRAFT) && (all || storedDraft(key) === null)) localStorage.removeItem(key)
}

/**
 * Form state that survives a reload or a lost connection, until it is saved. Untouched, and after a save, it shows
 * what the server holds; once touched it keeps what it began from, so that a change of somebody else is noticed.
 */
export function useDraft<T extends object>(
  key: string,
  start: T,
): [T, (change: Partial<T>) => void, () => void] {
  const place = draftPlace(key)
  const [kept, setKept] = useState<T | null>(() => {
    const found = storedDraft<T>(place)
    return found === null ? null : { ...start, ...found }
  })
  const begun = useRef(start)
  begun.current = start
  useEffect(() => {
    if (kept !== null) keepDraft(place, kept)
  }, [place, kept])
  const change = useCallback((part: Partial<T>) => {
    setKept((old) => ({ ...(old ?? begun.current), ...part }))
  }, [])
  const clear = useCallback(() => {
    dropDraft(place)
    setKept(null)
  }, [place])
  return [kept ?? start, change, clear]
}

/** The next free number of a list whose rows have no other name. */
export function nextId(rows: { id: number }[]): number {
  return Math.max(0, ...rows.map((r) => r.id)) + 1
}

export function storedDraft<T>(place: string): Partial<T> | null {
  try {
    const text = localStorage.getItem(place)
    if (!text) return null
    const { at, body } = JSON.parse(text) as { at: number; body: Partial<T> }
    return Date.now() - at < KEPT_MS ? body : null
  } catch {
    return null
  }
}
