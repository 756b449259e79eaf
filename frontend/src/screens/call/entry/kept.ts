import { useRef, useState } from 'react'
import { type Call, type NewReading, type Problem, problemOf, type Schemas } from '../../../api/client'
import { useAddReadingSet } from '../../../api/queries'
import { afterPointer } from '../../../parts/pointer'

export type Entry = Partial<NewReading> & Pick<NewReading, 'quantity' | 'value'>
type Taken = Schemas['ReadingOut']

const slot = (of: { quantity: string; spot?: string | null | undefined }) => `${of.quantity} ${of.spot ?? ''}`
/** What belongs to an entry beside its value: the same again is nothing new. */
const BESIDE = [
  'value',
  'mode',
  'conductor',
  'volts',
  'outdoor_f',
  'rest_min',
  'learning_starts',
  'outcome',
  'seconds',
  'later_a',
  'lead_ohm',
  'accuracy_pct',
  'aid',
  'note',
] as const

function same(taken: Taken | undefined, entry: Entry): boolean {
  return taken !== undefined && BESIDE.every((name) => (taken.entry[name] ?? null) === (entry[name] ?? null))
}

/**
 * Saves each field of a rung as it is left, in order, each once. A value typed over another goes with the reading it
 * replaces: the server decides between a slip and a second measurement. Without an answer the same batch is
 * sent again first, under its key, before anything newer.
 */
export function useKept(call: Call, reason = '') {
  const add = useAddReadingSet(call.id)
  const made = useRef(new Map<string, number>())
  const held = useRef(call)
  if (call.entries >= held.current.entries) held.current = call
  const line = useRef<Promise<void>>(Promise.resolve())
  /** Sent and not answered, with what stood on the record before: what is there since may be this. */
  const waiting = useRef<{ batch: NewReading[]; known: Set<number> } | null>(null)
  const [problem, setProblem] = useState<Problem | null>(null)
  const [busy, setBusy] = useState(0)

  const mine = (of: { quantity: string; spot?: string | null | undefined }): Taken | undefined => {
    const id = made.current.get(slot(of))
    const found = held.current.readings.find((r) => r.id === id)
    // Corrected from the list of readings meanwhile: the newer one is this field's.
    if (found?.superseded_by_id) {
      made.current.set(slot(of), found.superseded_by_id)
      return mine(of)
    }
    return found
  }

  const put = async (batch: NewReading[], known = new Set(held.current.readings.map((r) => r.id))) => {
    waiting.current = { batch, known }
    const answered = await add.mutateAsync(batch)
    waiting.current = null
    held.current = answered
    for (const entry of batch) {
      const taken = answered.readings.filter(
        (r) => slot(r.entry) === slot(entry) && r.superseded_by_id === null && !known.has(r.id),
      )
      const own = taken.find((r) => r.entry.value === entry.value) ?? taken.at(-1)
      if (own) made.current.set(slot(entry), own.id)
    }
  }

  const send = async (entries: Entry[]) => {
    try {
      if (waiting.current) await put(waiting.current.batch, waiting.current.known)
      const fresh = entries.filter((e) => !same(mine(e), e))
      if (fresh.length > 0)
        await put(
          fresh.map((e) => {
            const old = mine(e)
            return {
              ...e,
              ...(reason.trim() ? { without_make_safe: reason.trim() } : {}),
              ...(old ? { supersedes_id: old.id, typed_over: true } : {}),
            } as NewReading
          }),
        )
      setProblem(null)
      return true
    } catch (error) {
      const told = problemOf(error)
      // Refused: it will not be taken by being sent again. Unanswered: it waits.
      if (told?.status && told.status < 500) waiting.current = null
      if (told?.status === 409) for (const e of entries) made.current.delete(slot(e))
      setProblem(told)
      return false
    }
  }

  const keep = (entries: Entry[]): Promise<boolean> => {
    setBusy((n) => n + 1)
    const done = line.current
      .then(() => new Promise<void>((go) => afterPointer(go)))
      .then(() => send(entries))
    line.current = done.then(() => setBusy((n) => n - 1))
    return done
  }

  /** What follows is another one, not a correction of the last. */
  const again = (quantities: string[]) => {
    for (const key of [...made.current.keys()])
      if (quantities.some((q) => key.startsWith(`${q} `))) made.current.delete(key)
  }

  return { keep, again, mine, problem, busy: busy > 0 }
}

export type Kept = ReturnType<typeof useKept>
