import { type DBSchema, type IDBPDatabase, openDB } from 'idb'
import { at, CALL_URL, type Call, LINE, line, type Schemas } from './client'
import type { Waiting } from './outbox'

/**
 * What was read is kept on the device, under its address, and shown where the server cannot be reached: with the
 * moment it is of, and never as if it were now. Nothing of it is a verdict again: it is what the server said then.
 */
export interface Kept extends DBSchema {
  outbox: { key: number; value: Waiting }
  answers: {
    key: string
    value: { url: string; body: string; read_ms: number }
    indexes: { read_ms: number }
  }
}

const DAY_MS = 86_400_000
const LONGEST_MS = 30 * DAY_MS
/** A tablet that goes from hand to hand signs out after an hour; what is on it is not read for longer. */
const LONGEST_SHARED_MS = DAY_MS / 24
const MOST = 800
const LARGEST = 2_000_000
/** Of this moment only, or of the shop's own keeping: never shown from the device. */
const NEVER = /\/api\/(health|ready|live|keeping|audit|network|moves|passkeys|pack|people\/\d+\/devices)/

function tell(read_ms: number | null) {
  if (line.read_ms === read_ms) return
  // The oldest of what is shown counts.
  line.read_ms = read_ms === null ? null : Math.min(line.read_ms ?? read_ms, read_ms)
  window.dispatchEvent(new Event(LINE))
}

/** The server answers again. */
export const heard = () => tell(null)

/** By the count of the page, which no clock sets back. */
let forgot_ms = 0
/** Of what moment at least is what was kept last under each address. */
const newest = new Map<string, number>()
let opened: Promise<IDBPDatabase<Kept>> | null = null

export function store(): Promise<IDBPDatabase<Kept>> {
  opened ??= openDB<Kept>('orange-crank', 2, {
    upgrade(db, before) {
      if (before < 1) db.createObjectStore('answers', { keyPath: 'url' }).createIndex('read_ms', 'read_ms')
      if (before < 2) db.createObjectStore('outbox', { keyPath: 'seq', autoIncrement: true })
    },
  })
  return opened
}

const home = () => location.origin + at('/api')
export const available = () => typeof indexedDB !== 'undefined'

async function put(url: string, body: string, read_ms: number, asked_ms = Number.POSITIVE_INFINITY) {
  if (body.length > LARGEST) return
  const db = await store()
  await db.put('answers', { url, body, read_ms })
  // Forgotten while it was being written: it may have come after everything else was cleared.
  if (asked_ms < forgot_ms) await db.delete('answers', url)
}

/** Keep an answer that was read; one that was refused is none. */
export async function keep(url: string, answer: Response, asked_ms = performance.now()) {
  tell(null)
  if (!available() || !answer.ok || NEVER.test(url)) return
  if (!answer.headers.get('Content-Type')?.startsWith('application/json')) return
  try {
    const body = await answer.text()
    // Asked for by anyone who was at work before, it is not the next one's to find.
    // Nor does an answer that was long on its way cover one that tells more.
    if (asked_ms < forgot_ms || asked_ms < (newest.get(url) ?? 0)) return
    newest.set(url, asked_ms)
    await put(url, body, Date.now(), asked_ms)
  } catch {
    // A device without room keeps nothing; what is shown is not worse for it.
  }
}

/** Find what was read at an address; null where nothing is, or it is too old to be of use. */
export async function find(url: string): Promise<Response | null> {
  if (!available() || NEVER.test(url)) return null
  try {
    const db = await store()
    const row = await db.get('answers', url)
    const session = await db.get('answers', `${home()}/session`)
    const shared = session ? (JSON.parse(session.body) as Schemas['SignedInNow']).shared : false
    if (!row || Date.now() - row.read_ms > (shared ? LONGEST_SHARED_MS : LONGEST_MS)) return null
    tell(row.read_ms)
    const found = new Response(row.body, { headers: { 'Content-Type': 'application/json' } })
    return CALL_URL.test(url) ? (await import('./outbox')).withWaiting(found, true) : found
  } catch {
    return null
  }
}

/** The call as it was read last, without what waits; null where it is not on the device. */
export async function keptCall(id: number): Promise<Call | null> {
  const row = await (await store()).get('answers', `${home()}/calls/${id}`)
  return row ? (JSON.parse(row.body) as Call) : null
}

/** No server answers: what is shown is of now at best. */
export const lost = () => line.read_ms === null && tell(Date.now())

/** An entry found no server: what is shown of its call is of when it was read last. */
export async function unheard(id: number) {
  const row = await (await store()).get('answers', `${home()}/calls/${id}`)
  if (row) tell(row.read_ms)
}

/** Keep the call an entry was answered with: it is what is built upon next, and of the moment it came. */
export async function keepCall(call: Call, asked_ms: number) {
  if (!available() || asked_ms < forgot_ms) return
  const url = `${home()}/calls/${call.id}`
  newest.set(url, performance.now())
  await put(url, JSON.stringify(call), Date.now(), asked_ms)
}

/** The tasks that were due when they were taken along. */
export async function keptTasks(): Promise<Schemas['TaskOut'][]> {
  if (!available()) return []
  const row = await (await store()).get('answers', `${home()}/tasks#due`)
  return row ? (JSON.parse(row.body) as Schemas['TaskOut'][]) : []
}

/** Forget everything: another person is at work on this device, or no one is. Who is, stands from here on. */
export async function forget(now?: Schemas['SignedInNow']) {
  forgot_ms = performance.now()
  if (!available()) return
  await (await store()).clear('answers')
  if (!now?.person) return
  await put(`${home()}/session`, JSON.stringify(now), Date.now())
  await put(`${home()}/people`, JSON.stringify(now.people), Date.now())
}

/** Take along what may be needed without signal, each call and unit under its own address. */
export async function takeAlong() {
  const asked_ms = performance.now()
  const answer = await fetch(at('/api/pack'))
  if (!available() || !answer.ok) return
  const pack = (await answer.json()) as Schemas['Pack']
  if (asked_ms < forgot_ms) return
  const read_ms = Date.now()
  // All of it or nothing: never a call without its unit.
  const whole = (await store()).transaction('answers', 'readwrite')
  const lay = (path: string, body: unknown) => {
    const url = `${home()}/${path}`
    if (asked_ms < (newest.get(url) ?? 0)) return null
    newest.set(url, asked_ms)
    return whole.store.put({ url, body: JSON.stringify(body), read_ms })
  }
  const laid = [
    ...pack.calls.map((call) => lay(`calls/${call.id}`, call)),
    ...pack.units.map((page) => lay(`units/${page.unit.id}`, page)),
    ...(['reference', 'standards', 'people', 'sites'] as const).map((name) => lay(name, pack[name])),
    lay('units', pack.unit_list),
    lay('tasks#due', pack.tasks),
    lay('calls', pack.call_list),
  ]
  await Promise.all([...laid, whole.done])
  if (asked_ms < forgot_ms) return (await store()).clear('answers')
  await sweep()
}

/** Let the oldest go where there are many. */
async function sweep() {
  const db = await store()
  let over = (await db.count('answers')) - MOST
  if (over <= 0) return
  const walk = db.transaction('answers', 'readwrite')
  for (let at = await walk.store.index('read_ms').openCursor(); at && over > 0; at = await at.continue()) {
    await at.delete()
    over -= 1
  }
  await walk.done
}
