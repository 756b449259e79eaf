import { t } from '@lingui/core/macro'
import { useQueryClient } from '@tanstack/react-query'
import { createContext, lazy, type ReactNode, Suspense, useContext, useEffect, useState } from 'react'
import {
  actAs,
  actingPerson,
  PERSON_KEY,
  type Person,
  PRACTICE,
  problemOf,
  SIGN_OUT_WAITS,
  SIGNED_OUT,
  signOutFirst,
  TAKEN_OVER,
} from '../api/client'
import { early } from './early'
import { ProblemNote } from './problem'
import { cover, useSession } from './session'
import { Sheet } from './sheet'

/** How often a sign-out that waits is tried again. */
const OUT_AGAIN_MS = 5_000

const BeginShop = lazy(early(() => import('./begin-shop').then((m) => ({ default: m.BeginShop }))))
const SignIn = lazy(early(() => import('./sign-in').then((m) => ({ default: m.SignIn }))))
const Join = lazy(() => import('./join').then((m) => ({ default: m.Join })))
const ThisDevice = lazy(early(() => import('./this-device').then((m) => ({ default: m.ThisDevice }))))

const PersonContext = createContext<{ person: Person | null; may: string[]; change: () => void }>({
  person: null,
  may: [],
  change: () => undefined,
})

export function usePerson() {
  return useContext(PersonContext)
}

/** Anyone who is at work signs in first; every record keeps the name. */
export function WhoGate({ children }: { children: ReactNode }) {
  const cache = useQueryClient()
  const session = useSession()
  const [asking, setAsking] = useState(false)
  const [joining, setJoining] = useState(() => location.pathname.endsWith('/join'))
  const now = session.data
  const person = now?.person ?? null
  // Signed out in the middle of something, it stays as it was typed, under the sign-in.
  const [at, setAt] = useState<Person | null>(null)
  const [elsewhere, setElsewhere] = useState(false)
  if (person && person.id !== at?.id) setAt(person)
  actAs(at?.id ?? null)
  useEffect(() => {
    const look = () => cache.invalidateQueries({ queryKey: ['session'] })
    const taken = () => {
      setElsewhere(true)
      look()
    }
    const kept = ({ key, newValue }: StorageEvent) => {
      if (key === PERSON_KEY && newValue !== String(actingPerson())) taken()
      if (key !== SIGN_OUT_WAITS || !newValue) return
      setAt(null)
      cover(cache)
    }
    const out = () => localStorage.getItem(SIGN_OUT_WAITS) && signOutFirst().then(look, () => undefined)
    window.addEventListener(SIGNED_OUT, look)
    window.addEventListener(TAKEN_OVER, taken)
    window.addEventListener('storage', kept)
    window.addEventListener('online', out)
    const again = window.setInterval(out, OUT_AGAIN_MS)
    return () => {
      window.removeEventListener(SIGNED_OUT, look)
      window.removeEventListener(TAKEN_OVER, taken)
      window.removeEventListener('storage', kept)
      window.removeEventListener('online', out)
      window.clearInterval(again)
    }
  }, [cache])
  if (session.isPending) return <p className="p-6">{t`Starting…`}</p>
  if (!now)
    return (
      <div className="mx-auto max-w-xl p-6">
        <ProblemNote problem={problemOf(session.error)} onRetry={() => session.refetch()} />
      </div>
    )
  const starting = <p className="p-6">{t`Starting…`}</p>
  if (joining)
    return (
      <Suspense fallback={starting}>
        <Join onDone={() => setJoining(false)} />
      </Suspense>
    )
  if (!now.begun)
    return (
      <Suspense fallback={starting}>
        <BeginShop />
      </Suspense>
    )
  return (
    <>
      {!person && !at && (
        <Suspense fallback={starting}>
          <main className="mx-auto max-w-xl p-4 pt-10">
            <SignIn session={now} />
          </main>
        </Suspense>
      )}
      {at && (
        // Signed out in the middle: over whatever is open, which stays as it was typed.
        <Sheet open={!person} onOpenChange={() => undefined} title={t`Sign in again`}>
          <SignIn session={now} headed={false} />
        </Sheet>
      )}
      {at && (
        <div key={at.id} hidden={!person} className="contents">
          <PersonContext.Provider
            value={{
              person: at,
              may: (PRACTICE ? now.may_in_practice : now.may) ?? [],
              change: () => setAsking(true),
            }}
          >
            {elsewhere && (
              <p
                role="status"
                className="flex items-center gap-3 border-b-2 border-ink bg-unknown px-3 text-on-dead"
              >
                <b>{t`${at.name} took over on this device.`}</b> {t`Saves go under that name.`}
                <button
                  type="button"
                  className="ml-auto min-h-11 px-3"
                  onClick={() => setElsewhere(false)}
                >{t`OK`}</button>
              </p>
            )}
            {children}
            <Sheet open={asking && person !== null} onOpenChange={setAsking} title={t`Who's working?`}>
              <ThisDevice
                session={now}
                onDone={() => setAsking(false)}
                onOut={() => {
                  setAsking(false)
                  setAt(null)
                }}
              />
            </Sheet>
          </PersonContext.Provider>
        </div>
      )}
    </>
  )
}
