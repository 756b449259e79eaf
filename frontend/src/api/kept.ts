import { type DBSchema, type IDBPDatabase, openDB } from 'idb'
import { at, LINE, line, type Schemas } from './client'

/**
 * What was read is kept on the device, under its address, and shown where the server cannot be reached: with the
 * moment it is of, and never as if it were now. Nothing of it is a verdict anew: it is what the server said then.
 */
interface Kept extends DBSchema {
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
const NEVER = /\/api\/(health|ready|live|audit|network|moves|passkeys|pack|people\/\d+\/devices)/

function tell(read_ms: number | null) {
  if (line.read_ms === read_ms) return
  // The oldest of what is shown counts.
  line.read_ms = read_ms === null ? null : Math.min(line.read_ms ?? read_ms, read_ms)
  window.dispatchEvent(new Event(LINE))
}

/** The server answers again. */
export const heard = () => tell(null)

let opened: Promise<IDBPDatabase<Kept>> | null = null

function store(): Promise<IDBPDatabase<Kept>> {
  opened ??= openDB<Kept>('orange-crank', 1, {
    upgrade(db) {
      db.createObjectStore('answers', { keyPath: 'url' }).createIndex('read_ms', 'read_ms')
    },
  })
  return opened
}

const available = () => typeof indexedDB !== 'undefined'

async function put(url: string, body: string, read_ms: number) {
  if (body.length > LARGEST) return
  await (await store()).put('answers', { url, body, read_ms })
}

/** Keep an answer that was read; one that was refused is none. */
export async function keep(url: string, answer: Response) {
  tell(null)
  if (!available() || !answer.ok || NEVER.test(url)) return
  if (!answer.headers.get('Content-Type')?.startsWith('application/json')) return
  try {
    await put(url, await answer.text(), Date.now())
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
    const session = await db.get('answers', location.origin + at('/api/session'))
    const shared = session ? (JSON.parse(session.body) as Schemas['SignedInNow']).shared : false
    if (!row || Date.now() - row.read_ms > (shared ? LONGEST_SHARED_MS : LONGEST_MS)) return null
    tell(row.read_ms)
    return new Response(row.body, { headers: { 'Content-Type': 'application/json' } })
  } catch {
    return null
  }
}

/** Forget everything: somebody else is at work on this device, or nobody is. */
export async function forget() {
  if (!available()) return
  await (await store()).clear('answers')
}

/** Take along what may be needed without signal, each call and unit under its own address. */
export async function takeAlong() {
  const answer = await fetch(at('/api/pack'))
  if (!available() || !answer.ok) return
  const pack = (await answer.json()) as Schemas['Pack']
  const read_ms = Date.now()
  const home = location.origin + at('/api')
  for (const call of pack.calls) await put(`${home}/calls/${call.id}`, JSON.stringify(call), read_ms)
  for (const page of pack.units) await put(`${home}/units/${page.unit.id}`, JSON.stringify(page), read_ms)
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
