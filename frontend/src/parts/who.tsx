import { useQueryClient } from '@tanstack/react-query'
import { createContext, lazy, type ReactNode, Suspense, useContext, useEffect, useState } from 'react'
import { type Person, problemOf, SIGNED_OUT } from '../api/client'
import { early } from './early'
import { ProblemNote } from './problem'
import { useSession } from './session'
import { Sheet } from './sheet'

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

/** Whoever is at work signs in first; every record keeps the name. */
export function WhoGate({ children }: { children: ReactNode }) {
  const cache = useQueryClient()
  const session = useSession()
  const [asking, setAsking] = useState(false)
  const [joining, setJoining] = useState(() => location.pathname.endsWith('/join'))
  const now = session.data
  const person = now?.person ?? null
  // Signed out in the middle of something, it stays as it was typed, under the sign-in.
  const [at, setAt] = useState<Person | null>(null)
  if (person && person.id !== at?.id) setAt(person)
  useEffect(() => {
    const look = () => cache.invalidateQueries({ queryKey: ['session'] })
    window.addEventListener(SIGNED_OUT, look)
    return () => window.removeEventListener(SIGNED_OUT, look)
  }, [cache])
  if (session.isPending) return <p className="p-6">Starting…</p>
  if (!now)
    return (
      <div className="mx-auto max-w-xl p-6">
        <ProblemNote problem={problemOf(session.error)} onRetry={() => session.refetch()} />
      </div>
    )
  const starting = <p className="p-6">Starting…</p>
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
        <Sheet open={!person} onOpenChange={() => undefined} title="Sign in again">
          <SignIn session={now} headed={false} />
        </Sheet>
      )}
      {at && (
        <div key={at.id} hidden={!person} className="contents">
          <PersonContext.Provider value={{ person: at, may: now.may ?? [], change: () => setAsking(true) }}>
            {children}
            <Sheet open={asking && person !== null} onOpenChange={setAsking} title="Who is at work?">
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
