import { createContext, lazy, type ReactNode, Suspense, useContext, useState } from 'react'
import { type Person, problemOf, rememberedPerson, rememberPerson } from '../api/client'
import { usePeople } from '../api/queries'
import { Button } from './button'
import { early } from './early'
import { ProblemNote } from './problem'
import { Sheet } from './sheet'

const BeginShop = lazy(early(() => import('./begin-shop').then((m) => ({ default: m.BeginShop }))))

const PersonContext = createContext<{ person: Person | null; change: () => void }>({
  person: null,
  change: () => undefined,
})

export function usePerson() {
  return useContext(PersonContext)
}

/** Asks once who is at work, and again on request. Every record keeps the name. */
export function WhoGate({ children }: { children: ReactNode }) {
  const people = usePeople()
  const [id, setId] = useState(rememberedPerson)
  const [asking, setAsking] = useState(false)
  const person = people.data?.find((p) => p.id === id) ?? null
  const pick = (chosen: Person) => {
    rememberPerson(chosen.id)
    setId(chosen.id)
    setAsking(false)
  }
  const list = (
    <ul className="grid gap-2">
      {people.data?.map((p) => (
        <li key={p.id}>
          <button
            type="button"
            onClick={() => pick(p)}
            className="flex min-h-14 w-full items-center gap-3 border-2 border-line bg-field px-3 text-left"
          >
            <span className="figure w-10 border-r border-faint text-lg">{p.initials}</span>
            <span className="font-bold">{p.name}</span>
            <span className="ml-auto text-soft">{p.role}</span>
          </button>
        </li>
      ))}
    </ul>
  )
  if (people.isPending) return <p className="p-6">Starting…</p>
  if (people.isError)
    return (
      <div className="mx-auto max-w-xl p-6">
        <ProblemNote problem={problemOf(people.error)} onRetry={() => people.refetch()} />
      </div>
    )
  if (people.data.length === 0)
    return (
      <Suspense fallback={<p className="p-6">Starting…</p>}>
        <BeginShop />
      </Suspense>
    )
  if (!person)
    return (
      <main className="mx-auto max-w-xl p-4 pt-10">
        <h1 className="text-2xl font-bold">Who is at work?</h1>
        <p className="pb-4 text-soft">Every reading keeps the name of who took it.</p>
        {list}
      </main>
    )
  return (
    <PersonContext.Provider value={{ person, change: () => setAsking(true) }}>
      {children}
      <Sheet open={asking} onOpenChange={setAsking} title="Who is at work?">
        {list}
        <Button kind="quiet" className="mt-2" onClick={() => setAsking(false)}>
          Stay {person.name}
        </Button>
      </Sheet>
    </PersonContext.Provider>
  )
}
