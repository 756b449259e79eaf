import { t } from '@lingui/core/macro'
import createClient, { type Middleware } from 'openapi-fetch'
import { otherwise, reads } from '../quantities/reads'
import type { components, paths } from './schema'

export type Schemas = components['schemas']
export type Problem = Schemas['Problem']
export type Finding = Schemas['Finding']
export type Verdict = Finding['verdict']
export type Call = Schemas['CallOut']
export type CallSummary = Schemas['CallSummary']
export type Person = Schemas['PersonOut']
export type Rung = Schemas['Rung']
export type Unit = Schemas['UnitOut']
export type Reference = Schemas['Reference']
export type Plate = Schemas['Plate']
export type NewReading = Schemas['NewReading']

/** A refusal by the server, or the network being away, in the server's own shape. */
export class Refusal extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail)
  }
}

/** In practice the same screens use practice records, under this path. */
export const BASE = /^\/practice(\/|$)/.test(location.pathname) ? '/practice' : ''
export const PRACTICE = BASE !== ''

/** Routes that have no practice records: the server answers them outside of /practice only. */
export const SHOP_ONLY =
  /^\/api\/(?:(?:session|invitations|passphrase|pin|passkeys|reads|reminders|network|keeping|audit|backups|archives?|imports|customers|calendar-key|security|practice|demo|health|live|ready|pack|shop)(?![\w-])|people(?:\/[^/]+(?:\/(?:invitation|devices).*)?)?$)/

const baseOf = (path: string) => (SHOP_ONLY.test(path) ? '' : BASE)

/** An address the browser fetches directly: pictures, files, streams. */
export const at = (path: string) => baseOf(path) + path

export const PERSON_KEY = 'orange-crank.person'

/** Whose drafts are on this device; who is at work is the server's to know. */
export function rememberedPerson(): number | null {
  const kept = Number(localStorage.getItem(PERSON_KEY))
  return kept > 0 ? kept : null
}

export function rememberPerson(id: number | null) {
  if (id === null) localStorage.removeItem(PERSON_KEY)
  else localStorage.setItem(PERSON_KEY, String(id))
}

/** Who this page works for; each save names them, so that a stale tab never writes in another's name. */
let acting: number | null = null
export const actingPerson = () => acting
export const actAs = (id: number | null) => {
  acting = id
}
/** The name of the header, and the event when the server says that another person is signed in. */
export const FOR_PERSON = 'For-Person'
export const TAKEN_OVER = 'orange-crank:taken-over'

/** Set while a sign-out waits for the signal: nothing else is sent before it. */
export const SIGN_OUT_WAITS = 'orange-crank.sign-out'
export async function signOutFirst() {
  if (!localStorage.getItem(SIGN_OUT_WAITS)) return
  const out = await globalThis.fetch('/api/session', { method: 'DELETE' })
  if (!out.ok) throw new TypeError(t`not signed out yet`)
  localStorage.removeItem(SIGN_OUT_WAITS)
}

/** Told to the page when the server says that no one is signed in on this device any more. */
export const SIGNED_OUT = 'orange-crank:signed-out'

/** Answers are written in the reader's language. */
const language: Middleware = {
  onRequest({ request }) {
    request.headers.set('Accept-Language', reads.language)
    return request
  },
}

const who: Middleware = {
  onResponse({ request, response }) {
    // A passphrase that does not match is refused in the same way: there a person is just signing in.
    if (response.status === 401 && !/\/api\/(session|invitations|passphrase|pin|passkeys)/.test(request.url))
      window.dispatchEvent(new Event(SIGNED_OUT))
  },
}

/** Keys of entries under way: the same entry sent again keeps its key, a changed one gets a new one. */
const keys = new Map<string, string>()
const SAVES = new Set(['POST', 'PUT', 'PATCH'])

const once: Middleware = {
  async onRequest({ request }) {
    if (
      !SAVES.has(request.method) ||
      /\/api\/(calc|lab|wiring|uploads|archives$|session|invitations|passphrase|pin|passkeys|shop\/begin)/.test(
        request.url,
      )
    )
      return request
    if (!request.headers.has('Idempotency-Key')) {
      const entry = `${request.method} ${request.url} ${await request.clone().text()}`
      const key = keys.get(entry) ?? crypto.randomUUID()
      keys.set(entry, key)
      request.headers.set('Idempotency-Key', key)
    }
    return request
  },
  onResponse({ request, response }) {
    // Answered, well or refused: the next entry of the same words is a new one. An answer of a fault is none.
    if (response.status >= 500) return
    if (response.headers.has('Idempotency-Replayed')) import('../parts/had-been-saved').then((m) => m.tell())
    const used = request.headers.get('Idempotency-Key')
    for (const [entry, key] of keys) if (key === used) keys.delete(entry)
  },
}

/** Told with each reading: of which moment it is where it came from the device, null where the server answered. */
export const LINE = 'orange-crank:line'
export type LineTold = { read_ms: number | null }
/** The last that was told of it. */
export const line: LineTold = { read_ms: null }

/** What waits on the device until the server can be reached: see outbox.ts. Told whenever that changes. */
export const OUTBOX = 'orange-crank:outbox'
export const outboxCount = () => Number(localStorage.getItem(OUTBOX) ?? 0)
export const CALL_URL = /\/api\/calls\/\d+$/
const MAY_WAIT =
  /\/api\/calls\/\d+\/(make-safe|safety-events|readings|reading-sets|tests|changes|photos|sounds|work\/plans)(\?|$)/
/** Send an entry; where no server answers it waits on the device, and what stands in for the answer says so. */
export async function send(request: Request): Promise<Response> {
  if (acting !== null) request.headers.set(FOR_PERSON, String(acting))
  const waits = !PRACTICE && request.method === 'POST' && MAY_WAIT.test(request.url)
  const outbox = waits ? await import('./outbox').catch(() => null) : null
  const answered = await (outbox ? outbox.sendOrKeep(request) : globalThis.fetch(request))
  if (answered.headers.has('Wrong-Person')) window.dispatchEvent(new Event(TAKEN_OVER))
  return answered
}

/** What was read is kept on the device, and shown again where there is no signal: see kept.ts. */
async function read(request: Request): Promise<Response> {
  await signOutFirst()
  if (request.method !== 'GET')
    return send(request).catch((lost) => {
      // Left by a newer question, or out of time: that tells nothing of the line.
      if (!PRACTICE && lost instanceof TypeError) import('./kept').then((m) => m.lost())
      throw lost
    })
  const kept = PRACTICE ? null : () => import('./kept')
  const asked_ms = performance.now()
  try {
    const response = await globalThis.fetch(request)
    if (kept) {
      const copy = response.clone()
      kept().then((m) => m.keep(request.url, copy, asked_ms))
      if (outboxCount() > 0 && response.ok && CALL_URL.test(request.url))
        return (await import('./outbox')).withWaiting(response, false)
    }
    return response
  } catch (lost) {
    const found = await kept?.().then((m) => m.find(request.url))
    if (found) return found
    throw lost
  }
}

const made = createClient<paths>({ baseUrl: location.origin, fetch: read })
/** The client of this page: in practice it uses practice records where the route has them. */
export const client = new Proxy(made, {
  get(of, verb: keyof typeof made) {
    if (!PRACTICE || verb === 'use' || verb === 'eject') return of[verb]
    const call = of[verb] as (path: string, init?: object) => unknown
    return (path: string, init?: object) => call(path, { ...init, baseUrl: location.origin + baseOf(path) })
  },
})
/** What the server says, told in the units that are read here. */
const asRead: Middleware = {
  async onResponse({ response }) {
    if (!otherwise() || !response.headers.get('content-type')?.includes('json')) return
    const { told } = await import('../quantities/told')
    return new Response(told(await response.text()), response)
  },
}
client.use(language, who, once, asRead)

export const NO_NETWORK: Problem = {
  title: t`No connection`,
  detail: t`No answer from the server. Your entry may or may not be saved; it is still here.`,
  next_step: t`Save again when it answers. It counts once.`,
  code: 'no_network',
  errors: [],
  status: 0,
}

/** Unwrap an answer, or throw its refusal. */
export async function answer<T>(pending: Promise<{ data?: T; error?: unknown; response: Response }>) {
  let settled: { data?: T; error?: unknown; response: Response }
  try {
    settled = await pending
  } catch {
    throw new Refusal(NO_NETWORK)
  }
  if (settled.response.ok && settled.data !== undefined) return settled.data
  const told = settled.error as Partial<Problem> | undefined
  throw new Refusal({
    title: told?.title ?? t`Refused`,
    detail: told?.detail ?? t`The server answered ${settled.response.status}.`,
    code: told?.code ?? 'refused',
    errors: told?.errors ?? [],
    next_step: told?.next_step ?? null,
    status: settled.response.status,
  })
}

export function problemOf(error: unknown): Problem | null {
  if (error === null || error === undefined) return null
  return error instanceof Refusal ? error.problem : { ...NO_NETWORK, detail: String(error) }
}

/** What the server said about one field, by the end of its path. */
export function fieldProblem(problem: Problem | null, field: string): string | undefined {
  const hit = problem?.errors?.find((e) => e.field === field || e.field.endsWith(`.${field}`))
  return hit ? t`Enter ${hit.wanted}.` : undefined
}
