import { t } from '@lingui/core/macro'
import { gateOf, lacking, notReady, readingsIn, standIn, withMade } from './ahead'
import {
  type Call,
  FOR_PERSON,
  OUTBOX,
  outboxCount,
  type Problem,
  rememberedPerson,
  type Schemas,
  SIGNED_OUT,
  signOutFirst,
  TAKEN_OVER,
} from './client'
import { available, keepCall, keptCall, store, unheard } from './kept'

/**
 * Entries made without signal wait here in their order, each under its key: the server keeps each once, however
 * often it is sent. What it refuses stays, with what it said, until a person decides.
 */
export type Waiting = {
  seq: number
  key: string
  /** Whose it is: sent by no one else. */
  person: number
  by: string
  call: number
  where: string
  path: string
  kind: string
  type: string | null
  /** As it goes over the line; bytes, since not every browser keeps a Blob for long. */
  body: ArrayBuffer
  /** Of what can be read: the body, as JSON. */
  said: unknown
  made_ms: number
  fate: 'waiting' | 'refused' | 'aside'
  problem: Problem | null
  /** The readings that were on the call before it was first sent: what is there since may be its own. */
  known: number[]
  tried?: boolean
}

const GATES: Record<string, (said: unknown) => string | null> = {
  'make-safe': () => 'make_safe',
  'safety-events': (said) =>
    ({ caution_read: 'read_caution', control_live: 'control_live', went_live: 'go_live', lapsed: 'record' })[
      (said as { kind: 'lapsed' }).kind
    ],
  changes: () => 'note_change',
  'work/plans': () => 'tick_move',
  photos: () => 'record',
  sounds: () => 'record',
}
const TAKE = { any: 'take_any', dead: 'take_dead', control: 'take_control', live: 'take_live' } as const

/** Everything here: how many wait or were refused, for anyone who shows it. */
async function tell() {
  const db = await store()
  const open = (await db.getAll('outbox')).filter((w) => w.fate !== 'aside').length
  try {
    localStorage.setItem(OUTBOX, String(open))
  } catch {
    // What was remembered for convenience makes room for what must be known.
    localStorage.removeItem(NUMBERS)
    localStorage.setItem(OUTBOX, String(open))
  }
  window.dispatchEvent(new Event(OUTBOX))
}

export async function list(): Promise<Waiting[]> {
  if (!available()) return []
  return (await store()).getAll('outbox')
}

const mine = (w: Waiting) => w.person === rememberedPerson()
const anyWaiting = async () => (await list()).some((w) => w.fate === 'waiting' && mine(w))

/** What waits of one call, in its order; what was refused is no part of the call. */
async function waitingOf(call: number): Promise<Waiting[]> {
  return (await list()).filter((w) => w.call === call && w.fate === 'waiting' && mine(w))
}

const bytes = (said: unknown) => new TextEncoder().encode(JSON.stringify(said)).buffer as ArrayBuffer

const json = (body: unknown, status = 200) =>
  new Response(JSON.stringify(body), { status, headers: { 'Content-Type': 'application/json' } })

/** A call as read, with what waits laid upon it; read from the device, what is open is what surely is. */
export async function withWaiting(read: Response, unheard: boolean): Promise<Response> {
  const call = (await read.json()) as Call
  const made = await waitingOf(call.id)
  return json(unheard || made.length > 0 ? withMade(call, made) : call)
}

/** Longer than this without an answer, a line is as good as none; pictures and sounds take their time. */
const LIGHT_MS = 25_000
const HEAVY_MS = 180_000
/** Longer ago than this the server takes nothing to have been made. */
const LONGEST_S = 30 * 86_400
const givesUp = (type: string | null) =>
  AbortSignal.timeout(type?.startsWith('application/json') ? LIGHT_MS : HEAVY_MS)

/** Answers whose calls are still on their way into the device. */
let building: Promise<unknown> = Promise.resolve()

/** Send an entry at once where nothing waits before it; else it takes its place in the row. */
export async function sendOrKeep(made: Request): Promise<Response> {
  if (outboxCount() > 0 && (await anyWaiting())) await flush()
  // What was refused of the row is decided by itself; while any of it waits, this waits behind it.
  const waits = outboxCount() > 0 && (await anyWaiting())
  const request = await addressed(made)
  if (waits) return take(request, new TypeError(t`no server`))
  const copy = request.clone()
  const asked_ms = performance.now()
  try {
    const signal = givesUp(request.headers.get('Content-Type'))
    const answered = await globalThis.fetch(request, { signal })
    if (answered.ok && available())
      building = Promise.allSettled([building, built(answered.clone(), asked_ms)])
    return answered
  } catch (lost) {
    return take(copy, lost)
  }
}

/** An entry was answered: the call it made is what the next one is built upon. */
async function built(answered: Response, asked_ms: number) {
  if (!answered.headers.get('Content-Type')?.startsWith('application/json')) return
  const body = (await answered.json()) as Partial<Call>
  if (body.ladder && body.id) await keepCall(body as Call, asked_ms)
}

/** The numbers of readings that waited once, by what stood in for them: a correction may have been begun before. */
const NUMBERS = 'orange-crank:numbers'
const KEPT_NUMBERS = 200
function numbers(): Map<number, number> {
  try {
    return new Map(JSON.parse(localStorage.getItem(NUMBERS) ?? '[]') as [number, number][])
  } catch {
    return new Map()
  }
}

function remember(given: Map<number, number>) {
  try {
    localStorage.setItem(NUMBERS, JSON.stringify([...numbers(), ...given].slice(-KEPT_NUMBERS)))
  } catch {
    // A device without room forgets them: a correction begun before is then a reading of its own.
  }
}

/** A correction of what was sent meanwhile names it by its number; of what was refused, it is a reading of its own. */
async function addressed(request: Request): Promise<Request> {
  if (!request.headers.get('Content-Type')?.startsWith('application/json')) return request
  const text = await request.clone().text()
  if (!/"supersedes_id":\s*-/.test(text)) return request
  const said: unknown = JSON.parse(text)
  const entry = { kind: /[^/]*$/.exec(new URL(request.url).pathname)?.[0] ?? '', said }
  const standing = new Set(
    (await list())
      .filter((w) => w.fate === 'waiting')
      .flatMap((w) => readingsIn(w).map((_, i) => standIn(w, i))),
  )
  for (const r of readingsIn(entry)) {
    const id = r.supersedes_id ?? 0
    if (id < 0 && !standing.has(id)) r.supersedes_id = numbers().get(id) ?? null
  }
  return new Request(request, { body: JSON.stringify(said) })
}

const refusal = (gate: Schemas['Gate']): Response =>
  json(
    {
      title: t`Not open yet`,
      detail: gate.why ?? t`Not open now.`,
      next_step: gate.next_step ?? null,
      code: 'gate_closed',
      errors: [],
      status: 409,
    } satisfies Problem,
    409,
  )

async function workOf(entry: { kind: string; said: unknown }): Promise<(keyof typeof TAKE)[]> {
  const reference = await (await store()).get('answers', `${location.origin}/api/reference`)
  const known = reference ? (JSON.parse(reference.body) as Schemas['Reference']) : null
  if (entry.kind === 'tests') {
    const { topic } = entry.said as { topic: string }
    return [known?.call_tests.find((test) => test.topic === topic)?.work ?? 'live']
  }
  return readingsIn(entry).map(
    (r) => known?.quantities.find((q) => q.quantity === r.quantity)?.work ?? 'live',
  )
}

/** Whether what travelled with the call surely allows an entry; else the gate that shuts it. */
async function shutBy(call: Call, kind: string, said: unknown): Promise<Schemas['Gate'] | null> {
  const made = await waitingOf(call.id)
  const { ahead } = call
  if (!ahead)
    return { ok: false, why: t`This call is closed.`, next_step: t`Open it again.`, with_reason: false }
  const [undone] = (said as { kind?: string } | null)?.kind === 'went_live' ? notReady(ahead, said) : []
  if (undone) return { ok: false, why: t`Going live is not ready.`, next_step: undone, with_reason: false }
  const plain = GATES[kind]?.(said)
  const names = plain ? [plain] : (await workOf({ kind, said })).map((work) => TAKE[work])
  for (const [i, name] of names.entries()) {
    const gate = gateOf(ahead, made, name)
    const entry = kind === 'tests' ? said : readingsIn({ kind, said })[i]
    const { without_make_safe, supersedes_id } = (entry ?? {}) as Record<string, unknown>
    if (gate.ok || supersedes_id || (gate.with_reason && without_make_safe)) continue
    return gate
  }
  return null
}

const NO_ROOM = () =>
  json(
    {
      title: t`No room on this device`,
      detail: t`This phone is out of storage. Not saved; what you typed is still here.`,
      next_step: t`Free up storage or find a signal, then save again.`,
      code: 'no_room',
      errors: [],
      status: 507,
    } satisfies Problem,
    507,
  )

/** Take an entry in that found no server, and answer it with what stands in for the server's answer. */
async function take(request: Request, lost: unknown): Promise<Response> {
  const url = new URL(request.url)
  const [, number, kind = ''] = /\/api\/calls\/(\d+)\/(.*)$/.exec(url.pathname) ?? []
  const person = rememberedPerson()
  await building
  const call = available() && person !== null ? await keptCall(Number(number)) : null
  // Not taken along, or before limits came with it: nothing is known of what it may take.
  if (!call || person === null || (call.status === 'open' && !call.ahead)) throw lost
  const body = await request.arrayBuffer()
  const type = request.headers.get('Content-Type')
  const said = type?.startsWith('application/json') ? JSON.parse(new TextDecoder().decode(body)) : null
  const shut = await shutBy(call, kind, said)
  if (shut) return refusal(shut)
  await unheard(call.id)
  const db = await store()
  const people = await db.get('answers', `${location.origin}/api/people`)
  const names = people ? (JSON.parse(people.body) as Schemas['PersonOut'][]) : []
  const entry: Omit<Waiting, 'seq'> = {
    key: request.headers.get('Idempotency-Key') ?? crypto.randomUUID(),
    person,
    by: names.find((p) => p.id === person)?.name ?? '',
    call: call.id,
    where: `${call.site.name}, ${call.unit}`,
    path: url.pathname + url.search,
    kind,
    type,
    body,
    said,
    made_ms: Date.now(),
    fate: 'waiting',
    problem: null,
    known: call.readings.map((r) => r.id),
  }
  // Pressed twice on a lost line, the same entry comes with the same key: it waits once.
  const there = (await list()).find((w) => w.key === entry.key)
  let seq: number
  try {
    seq = there?.seq ?? ((await db.add('outbox', entry as Waiting)) as number)
  } catch {
    return NO_ROOM()
  }
  await tell()
  // A browser short of room lets go what no one asked it to keep.
  navigator.storage?.persist?.().catch(() => undefined)
  return standsIn(call, { ...entry, seq })
}

/** What an entry that waits is answered with: what was read last, with it laid upon. */
async function standsIn(call: Call, entry: Waiting): Promise<Response> {
  if (entry.kind === 'photos' || entry.kind === 'sounds') return json({ waiting: true }, 202)
  if (entry.kind === 'work/plans') {
    const kept = await (await store()).get('answers', `${location.origin}/api/calls/${call.id}/work`)
    const work = kept ? (JSON.parse(kept.body) as Schemas['WorkOut']) : null
    if (!work) return json({ waiting: true }, 202)
    return json(withPlan(work, entry.said as Schemas['WorkPlan']), 202)
  }
  return json(withMade(call, await waitingOf(call.id)), 202)
}

function withPlan(work: Schemas['WorkOut'], plan: Schemas['WorkPlan']): Schemas['WorkOut'] {
  const plans = work.plans.map((p) =>
    p.plan.work === plan.work && p.plan.title === plan.title ? { ...p, plan } : p,
  )
  return { ...work, plans }
}

let flushing: Promise<unknown> = Promise.resolve()

/** Send what waits, in its order, until the server cannot be reached. */
export function flush(): Promise<unknown> {
  const sent: Promise<unknown> = flushing.then(async () =>
    // Two tabs of one device do not send side by side.
    navigator.locks ? await navigator.locks.request('orange-crank.outbox', sendAll) : await sendAll(),
  )
  flushing = sent.catch(() => null)
  return sent
}

async function sendAll() {
  await building
  await signOutFirst()
  const db = await store()
  for (const { seq } of await list()) {
    const entry = await db.get('outbox', seq)
    if (entry?.fate !== 'waiting' || !mine(entry)) continue
    if (!entry.tried) {
      const now = (await keptCall(entry.call))?.readings.map((r) => r.id)
      Object.assign(entry, { tried: true, known: now ?? entry.known })
      await db.put('outbox', entry)
    }
    let answered: Response
    const asked_ms = performance.now()
    try {
      answered = await globalThis.fetch(entry.path, {
        method: 'POST',
        body: await bodyOf(entry),
        headers: {
          ...(entry.type ? { 'Content-Type': entry.type } : {}),
          'Idempotency-Key': entry.key,
          [FOR_PERSON]: String(entry.person),
          // How long it waited, by one and the same clock: whether that is right does not matter.
          'Waited-Seconds': String(Math.min(LONGEST_S, Math.max(0, (Date.now() - entry.made_ms) / 1000))),
        },
        signal: givesUp(entry.type),
      })
    } catch {
      break
    }
    if (answered.status === 401) {
      window.dispatchEvent(new Event(SIGNED_OUT))
      break
    }
    if (answered.headers.has('Wrong-Person')) {
      // Another tab or a lost answer signed another person in: it waits for its own person.
      window.dispatchEvent(new Event(TAKEN_OVER))
      break
    }
    if (answered.status === 429 || answered.status >= 500) break
    if (answered.ok) {
      await settled(entry, answered.clone(), asked_ms)
      await db.delete('outbox', seq)
    } else {
      entry.fate = 'refused'
      entry.problem = { ...((await answered.clone().json()) as Problem), status: answered.status }
      await db.put('outbox', entry)
    }
    await tell()
  }
}

/** What waits behind an entry may correct a reading it made: it is notified by which number. */
async function settled(entry: Waiting, answered: Response, asked_ms: number) {
  const body = answered.headers.get('Content-Type')?.startsWith('application/json')
    ? ((await answered.json()) as Partial<Call> & { reading?: Schemas['ReadingOut'] })
    : {}
  if (body.ladder && body.id) await keepCall(body as Call, asked_ms)
  const made = body.reading ? [body.reading] : (body.readings ?? [])
  const fresh = made.filter((r) => !entry.known.includes(r.id))
  const given = new Map<number, number>()
  readingsIn(entry).forEach((said, i) => {
    const at = fresh.findIndex(
      (r) =>
        r.entry.quantity === said.quantity &&
        (r.entry.spot ?? null) === (said.spot ?? null) &&
        r.entry.value === said.value,
    )
    const [found] = at < 0 ? [] : fresh.splice(at, 1)
    if (found) given.set(standIn(entry, i), found.id)
  })
  if (given.size === 0) return
  remember(given)
  const db = await store()
  for (const later of await list()) {
    const readings = readingsIn(later).filter((r) => given.has(r.supersedes_id ?? 0))
    if (readings.length === 0) continue
    for (const r of readings) r.supersedes_id = given.get(r.supersedes_id ?? 0) ?? null
    await db.put('outbox', {
      ...later,
      body: bytes(later.said),
    })
  }
}

/** What is sent: a correction of a reading the server refused corrects nothing there, and is a reading of its own. */
async function bodyOf(entry: Waiting): Promise<ArrayBuffer> {
  const readings = readingsIn(entry).filter((r) => (r.supersedes_id ?? 0) < 0)
  if (readings.length === 0) return entry.body
  for (const r of readings) r.supersedes_id = null
  const body = bytes(entry.said)
  await (await store()).put('outbox', { ...entry, body })
  return body
}

/** Send one again that was refused; said otherwise, it is another entry. */
export async function again(seq: number, reason?: string) {
  const db = await store()
  const entry = await db.get('outbox', seq)
  if (!entry) return
  if (reason) {
    for (const r of entry.kind === 'tests' ? [entry.said as object] : readingsIn(entry))
      Object.assign(r, { without_make_safe: reason })
    entry.body = bytes(entry.said)
    entry.key = crypto.randomUUID()
  }
  await db.put('outbox', { ...entry, fate: 'waiting', problem: null })
  await tell()
  await flush()
}

/** Put one aside that was refused: it is kept here, and asked about no more. */
export async function aside(seq: number) {
  const db = await store()
  const entry = await db.get('outbox', seq)
  if (entry) await db.put('outbox', { ...entry, fate: 'aside' })
  await tell()
}

/** What is not surely done of a make-safe record, by what travelled with its call. */
export const notSure = (call: Call, record: unknown) => (call.ahead ? lacking(call.ahead, record) : [])

const OLD_MS = 30 * 86_400_000

/** Let go what was put aside a month ago. */
export async function sweepOutbox() {
  const db = await store()
  for (const w of await list())
    if (w.fate === 'aside' && Date.now() - w.made_ms > OLD_MS) await db.delete('outbox', w.seq)
  await tell()
}
