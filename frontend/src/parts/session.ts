import { type QueryClient, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { answer, client, problemOf, rememberPerson, type Schemas, SIGN_OUT_WAITS } from '../api/client'
import { readAs, reads } from '../quantities/reads'

export type Session = Schemas['SignedInNow']

const KEY = ['session']

/** Who is signed in on this device; asked once, and again when the server says that no one is. */
export function useSession() {
  return useQuery({
    queryKey: KEY,
    queryFn: async ({ client: cache }) => {
      const now = await answer(client.GET('/api/session'))
      // Signed out from elsewhere, this device may no longer be in the hands it was.
      if (!now.person) import('../api/kept').then((m) => m.forget())
      keep(cache, now)
      return now
    },
    staleTime: Number.POSITIVE_INFINITY,
  })
}

function keep(cache: QueryClient, now: Session) {
  if (!now.person) return
  rememberPerson(now.person.id)
  if (now.reads) readAs(now.reads)
  cache.setQueryData(['people'], now.people)
}

/** A step that changes who is signed in: what is shown from then on is read again, as theirs. */
export function useSigning<T>(step: (entry: T) => Promise<Session>, done?: () => void) {
  const cache = useQueryClient()
  return useMutation({
    mutationFn: step,
    onSuccess: (now) => {
      keep(cache, now)
      const others = (query: { queryKey: readonly unknown[] }) => query.queryKey[0] !== KEY[0]
      // What one person read on this device is not the next one's to find.
      import('../api/kept').then((m) => m.forget(now))
      if (!now.person) cache.removeQueries({ predicate: others })
      cache.setQueryData(KEY, now)
      if (now.person) cache.invalidateQueries({ predicate: (q) => others(q) && q.queryKey[0] !== 'people' })
      done?.()
    },
  })
}

export const becomeDemo = (person: { id: number }) =>
  answer(client.POST('/api/session/demo', { body: { person_id: person.id } }))

/** What a device without signal knows once it is signed out: no one, and nothing of the shop. */
const OUT: Session = {
  person: null,
  may: [],
  may_in_practice: [],
  shared: false,
  proved: true,
  has_pin: false,
  demo: false,
  begun: true,
  can_sign_in: true,
  people: [],
  reads,
}

export const signOut = async () => {
  // What lies on the device goes first: no signal may come between.
  const { forget } = await import('../api/kept')
  await forget()
  try {
    const now = await answer(client.DELETE('/api/session'))
    // Clear answers cached meanwhile, before the sign-in screen shows.
    await forget()
    return now
  } catch (refused) {
    if (problemOf(refused)?.status !== 0) throw refused
    // Covered at once; the server hears of it before anything else is sent.
    localStorage.setItem(SIGN_OUT_WAITS, 'yes')
    return OUT
  }
}

/** A tab of this browser signed out without signal: every other tab is covered too. */
export const cover = (cache: QueryClient) => {
  cache.removeQueries({ predicate: (q) => q.queryKey[0] !== KEY[0] })
  cache.setQueryData(KEY, OUT)
}
