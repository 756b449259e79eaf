import { useCallback, useEffect, useRef, useState } from 'react'
import { rememberedPerson } from '../api/client'
import { typedIn } from '../quantities/reads'

// A draft outlives a killed tab, and not the week.
const KEPT_MS = 3 * 24 * 3_600_000
const DRAFT = 'orange-crank.draft.'

/** Each person's drafts are their own, and those in each unit: a tablet is handed on, and 95 is not 95. */
export function draftPlace(key: string): string {
  return `${DRAFT}${rememberedPerson() ?? 0}.${typedIn()}${key}`
}

const BEAT = 'orange-crank.tab.'
const BEAT_MS = 3_000
const TAB = 'orange-crank.tab'

/** This tab's number: two tabs on one form keep a draft each, and one that was killed leaves its own behind. */
function tab(): string {
  const known = sessionStorage.getItem(TAB)
  if (known) return known
  const fresh = Math.random().toString(36).slice(2, 10)
  sessionStorage.setItem(TAB, fresh)
  return fresh
}

/** Show other tabs that this one lives; one that was closed or killed stops doing so. */
export function beat() {
  const mark = () => {
    try {
      localStorage.setItem(BEAT + tab(), String(Date.now()))
    } catch {
      // Without a store there are no drafts to share.
    }
  }
  mark()
  window.setInterval(mark, BEAT_MS)
  window.addEventListener('pagehide', () => localStorage.removeItem(BEAT + tab()))
  window.addEventListener('pageshow', mark)
}

function lives(other: string): boolean {
  return Date.now() - Number(localStorage.getItem(BEAT + other) ?? 0) < 3 * BEAT_MS
}

export function keepDraft(place: string, body: object) {
  try {
    localStorage.setItem(`${place}@${tab()}`, JSON.stringify({ at: Date.now(), body }))
  } catch {
    // A full or closed store keeps no draft; what is typed stays on the screen.
  }
}

export function dropDraft(place: string) {
  localStorage.removeItem(`${place}@${tab()}`)
}

function read(key: string): { at: number; body: unknown } | null {
  try {
    const found = JSON.parse(localStorage.getItem(key) ?? '') as { at: number; body: unknown }
    return Date.now() - found.at < KEPT_MS ? found : null
  } catch {
    return null
  }
}

/** What this tab kept there; else what a tab that is gone left behind, taken over. */
export function storedDraft<T>(place: string): Partial<T> | null {
  const own = read(`${place}@${tab()}`)
  if (own) return own.body as Partial<T>
  for (const key of Object.keys(localStorage)) {
    if (!key.startsWith(`${place}@`) || lives(key.slice(place.length + 1))) continue
    const left = read(key)
    localStorage.removeItem(key)
    if (!left) continue
    keepDraft(place, left.body as object)
    return left.body as Partial<T>
  }
  return null
}

/** Throw away drafts whose time is over; all of them where everything is thrown away. */
export function sweepDrafts(all = false) {
  for (const key of Object.keys(localStorage)) {
    if (key.startsWith(DRAFT) && (all || read(key) === null)) localStorage.removeItem(key)
    if (key.startsWith(BEAT) && !lives(key.slice(BEAT.length))) localStorage.removeItem(key)
  }
}

/**
 * Form state that survives a reload or a lost connection, until it is saved. Untouched, and after a save, it shows
 * what the server holds; once touched it keeps what it began from, so that a change of another person is noticed.
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
