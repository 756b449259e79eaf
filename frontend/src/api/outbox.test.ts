import 'fake-indexeddb/auto'
import { readFileSync } from 'node:fs'
import fc from 'fast-check'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { runs } from '../test-runs'
import { type Call, OUTBOX, outboxCount, rememberPerson, type Schemas, TAKEN_OVER } from './client'
import { forget, keep, store } from './kept'
import { again, aside, flush, list, sendOrKeep } from './outbox'

/** A server that keeps readings as ours does: each key once, corrections by number, in the order they come. */
class Server {
  line: 'up' | 'slow' | 'down' | 'answers lost' | 'faulty' = 'up'
  kept: { id: number; value: number; supersedes: number | null; key: string; waited: number }[] = []
  refuses = (value: number) => value >= 900
  tried = 0

  call(): Call {
    const [first] = JSON.parse(readFileSync('../tests/golden/ahead.json', 'utf-8')) as {
      ahead: Call['ahead']
    }[]
    return {
      id: 4,
      status: 'open',
      unit: 'Split',
      site: { name: 'Ferry' },
      ahead: first?.ahead,
      state: { state: 'as_found', words: 'LIVE', why: '', caution_read: true, version: 0 },
      allowed: {},
      readings: this.kept.map((r) => ({
        id: r.id,
        entry: { quantity: 'outdoor_f', value: r.value },
        unit: '°F',
        superseded_by_id: this.kept.find((o) => o.supersedes === r.id)?.id ?? null,
      })),
      events: [],
      changes: [],
      tests: [],
      ladder: { readings: [], stops: [], rungs: [], make_safe: null },
    } as unknown as Call
  }

  answer = async (input: Request | string, init: RequestInit = {}): Promise<Response> => {
    const request = input instanceof Request ? input : new Request(new URL(input, location.origin), init)
    if (this.line === 'down') throw new TypeError('no line')
    if (this.line === 'faulty') return new Response('{}', { status: 503 })
    this.tried += 1
    const key = request.headers.get('Idempotency-Key') ?? ''
    const { readings } = JSON.parse(await request.text()) as {
      readings: { value: number; supersedes_id?: number | null }[]
    }
    let answered = json(this.call())
    if (!this.kept.some((r) => r.key === key)) {
      const bad = readings.find(
        (r) =>
          this.refuses(r.value) ||
          (r.supersedes_id && this.kept.some((o) => o.supersedes === r.supersedes_id)) ||
          (r.supersedes_id && !this.kept.some((o) => o.id === r.supersedes_id)),
      )
      if (bad) answered = json({ title: 'Refused', detail: `Not ${bad.value}.`, errors: [] }, 409)
      else {
        for (const r of readings)
          this.kept.push({
            id: 100 + this.kept.length,
            value: r.value,
            supersedes: r.supersedes_id ?? null,
            key,
            waited: Number(request.headers.get('Waited-Seconds') ?? 0),
          })
        answered = json(this.call())
      }
    }
    if (this.line === 'answers lost') throw new TypeError('the answer is lost')
    return this.line === 'slow' ? byAndBy(answered, new Promise((done) => setTimeout(done, 3))) : answered
  }
}

const json = (body: unknown, status = 200) =>
  new Response(JSON.stringify(body), { status, headers: { 'Content-Type': 'application/json' } })

/** An answer whose body comes later than its head. */
async function byAndBy(answered: Response, comes: Promise<unknown>) {
  const text = await answered.text()
  const body = new ReadableStream({
    async start(stream) {
      await comes
      stream.enqueue(new TextEncoder().encode(text))
      stream.close()
    },
  })
  return new Response(body, { status: answered.status, headers: answered.headers })
}

let server: Server
beforeEach(async () => {
  server = new Server()
  vi.stubGlobal('fetch', server.answer)
  rememberPerson(1)
  await (await store()).clear('outbox')
  localStorage.removeItem(OUTBOX)
  await forget()
  await keep(`${location.origin}/api/calls/4`, json(server.call()))
  await keep(
    `${location.origin}/api/reference`,
    json({ quantities: [{ quantity: 'outdoor_f', work: 'any' }], call_tests: [] }),
  )
})
afterEach(() => vi.unstubAllGlobals())

const enter = (value: number, supersedes_id?: number | null, key: string = crypto.randomUUID()) =>
  sendOrKeep(
    new Request(`${location.origin}/api/calls/4/reading-sets`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json', 'Idempotency-Key': key },
      body: JSON.stringify({
        readings: [{ quantity: 'outdoor_f', value, ...(supersedes_id ? { supersedes_id } : {}) }],
      }),
    }),
  )

const values = () => server.kept.map((r) => r.value)

const act = fc.oneof(
  { weight: 4, arbitrary: fc.constant('enter' as const) },
  { weight: 2, arbitrary: fc.constant('correct' as const) },
  { weight: 1, arbitrary: fc.constant('enter what is refused' as const) },
  { weight: 1, arbitrary: fc.constant('flush' as const) },
  { weight: 3, arbitrary: fc.constantFrom('up', 'slow', 'down', 'answers lost', 'faulty') },
)

test('whatever the line does, each entry arrives once, in its order, and none is dropped', async () => {
  await fc.assert(
    fc.asyncProperty(fc.array(act, { maxLength: 24 }), async (acts) => {
      server.kept = []
      server.line = 'up'
      await (await store()).clear('outbox')
      localStorage.removeItem(OUTBOX)
      await keep(`${location.origin}/api/calls/4`, json(server.call()))
      const entered: { value: number; corrects: number | null }[] = []
      let last: { id: number; value: number } | null = null
      for (const [i, one] of acts.entries()) {
        if (one === 'up' || one === 'slow' || one === 'down' || one === 'answers lost' || one === 'faulty')
          server.line = one
        else if (one === 'flush') await flush()
        else {
          const value = one === 'enter what is refused' ? 900 + i : i + 1
          const corrects: typeof last = one === 'correct' ? last : null
          const answered = await enter(value, corrects?.id)
          if (answered.status === 503) {
            // A server with a fault of its own says so: nothing is kept, and the entry stays on the screen.
            expect(values()).not.toContain(value)
            continue
          }
          if (answered.status === 409) continue
          entered.push({ value, corrects: corrects?.value ?? null })
          const call = (await answered.json()) as Call
          const shown = call.readings.findLast((r) => r.entry.value === value)
          expect(shown).toBeDefined()
          last = shown ? { id: shown.id, value } : null
        }
      }
      server.line = 'up'
      await flush()
      const refused = (await list())
        .filter((w) => w.fate === 'refused')
        .map((w) => w.said as { readings: { value: number }[] })
      const refusedValues = refused.flatMap((r) => r.readings.map((e) => e.value))
      expect(values()).toEqual(entered.map((e) => e.value).filter((v) => !refusedValues.includes(v)))
      expect(outboxCount()).toBe(refused.length)
      const byId = new Map(server.kept.map((r) => [r.id, r.value]))
      for (const r of server.kept) {
        const said = entered.find((e) => e.value === r.value)
        const expected = refusedValues.includes(said?.corrects ?? -1) ? null : (said?.corrects ?? null)
        expect([r.value, r.supersedes === null ? null : byId.get(r.supersedes)]).toEqual([r.value, expected])
      }
    }),
    runs(120),
  )
}, 60_000)

test('the same entry pressed twice without signal waits once', async () => {
  server.line = 'down'
  await enter(7, null, 'one-and-the-same')
  await enter(7, null, 'one-and-the-same')
  expect(await list()).toHaveLength(1)
  server.line = 'up'
  await flush()
  expect(values()).toEqual([7])
})

test('how long it waited is counted by the device, whatever its clock says', async () => {
  vi.useFakeTimers({ toFake: ['Date'] })
  vi.setSystemTime(new Date('1999-12-31T23:00:00Z'))
  await keep(`${location.origin}/api/calls/4`, json(server.call()))
  server.line = 'down'
  await enter(7)
  vi.setSystemTime(new Date('1999-12-31T23:20:00Z'))
  await enter(8)
  vi.setSystemTime(new Date('2000-01-01T00:00:00Z'))
  server.line = 'up'
  await flush()
  vi.useRealTimers()
  expect(server.kept.map((r) => Math.round(r.waited / 60))).toEqual([60, 40])
})

test('an answer whose body is still on its way is known to what waits behind it', async () => {
  const whole = server.answer
  let arrives = () => {}
  const onItsWay = new Promise<void>((done) => {
    arrives = done
  })
  vi.stubGlobal('fetch', async (input: Request | string, init?: RequestInit) => {
    vi.stubGlobal('fetch', whole)
    return byAndBy(await whole(input, init), onItsWay)
  })
  await enter(7)
  server.line = 'down'
  setTimeout(arrives, 50)
  const second = (await (await enter(7)).json()) as Call
  expect(second.readings.length).toBe(2)
  await enter(8, second.readings.at(-1)?.id)
  server.line = 'up'
  await flush()
  expect(server.kept.map((r) => r.supersedes)).toEqual([null, null, 101])
})

test('a reading that was sent meanwhile is corrected under its number, in another tab too', async () => {
  server.line = 'down'
  const shown = ((await (await enter(7)).json()) as Call).readings.at(-1)
  expect(shown?.id).toBeLessThan(0)
  server.line = 'up'
  await flush()
  vi.resetModules()
  const other = await import('./outbox')
  const correction = new Request(`${location.origin}/api/calls/4/reading-sets`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json', 'Idempotency-Key': crypto.randomUUID() },
    body: JSON.stringify({ readings: [{ quantity: 'outdoor_f', value: 8, supersedes_id: shown?.id }] }),
  })
  expect((await other.sendOrKeep(correction)).status).toBe(200)
  expect(server.kept.map((r) => [r.value, r.supersedes])).toEqual([
    [7, null],
    [8, 100],
  ])
})

test('numbers that cannot be read or kept hold nothing up', async () => {
  server.line = 'down'
  const shown = ((await (await enter(7)).json()) as Call).readings.at(-1)
  localStorage.setItem('orange-crank:numbers', '{broken')
  const full = vi.spyOn(Storage.prototype, 'setItem').mockImplementation((name) => {
    if (name === 'orange-crank:numbers') throw new DOMException('full', 'QuotaExceededError')
  })
  server.line = 'up'
  await flush()
  expect(await list()).toEqual([])
  expect((await enter(8, shown?.id)).status).toBe(200)
  full.mockRestore()
  expect(server.kept.map((r) => [r.value, r.supersedes])).toEqual([
    [7, null],
    [8, null],
  ])
})

test('a device without room says so, keeps nothing half, and saves once there is room', async () => {
  server.line = 'down'
  const full = vi.spyOn(IDBObjectStore.prototype, 'add').mockImplementation(() => {
    throw new DOMException('no room', 'QuotaExceededError')
  })
  const refused = await enter(7, null, 'the-same-entry')
  expect(refused.status).toBe(507)
  expect(((await refused.json()) as { next_step: string }).next_step).toMatch(/Free up storage/)
  expect(await list()).toEqual([])
  full.mockRestore()
  expect((await enter(7, null, 'the-same-entry')).status).toBe(202)
  expect(await list()).toHaveLength(1)
})

test('the count of what waits takes the room of what is only remembered', async () => {
  server.line = 'down'
  localStorage.setItem('orange-crank:numbers', '[]')
  const real = Storage.prototype.setItem
  const full = vi.spyOn(Storage.prototype, 'setItem').mockImplementation(function (
    this: Storage,
    name,
    text,
  ) {
    if (this.getItem('orange-crank:numbers')) throw new DOMException('full', 'QuotaExceededError')
    real.call(this, name, text)
  })
  expect((await enter(7)).status).toBe(202)
  full.mockRestore()
  expect(outboxCount()).toBe(1)
})

test('an answer to somebody who has left since is not kept for the next', async () => {
  const whole = server.answer
  vi.stubGlobal('fetch', async (input: Request | string, init?: RequestInit) => {
    const answered = await whole(input, init)
    rememberPerson(2)
    await forget()
    return answered
  })
  await enter(7)
  await flush()
  const kept = await (await store()).getAllKeys('answers')
  expect(kept).not.toContain(`${location.origin}/api/calls/4`)
})

test('somebody else sends nothing of it, and it is there when its own are back', async () => {
  server.line = 'down'
  await enter(7)
  server.line = 'up'
  rememberPerson(2)
  await flush()
  expect(values()).toEqual([])
  const mine = await enter(8)
  expect(mine.status).toBe(200)
  rememberPerson(1)
  await flush()
  expect(values()).toEqual([8, 7])
})

test('what was refused goes with its reason under a key of its own, or is put aside and kept', async () => {
  server.line = 'down'
  await enter(901)
  await enter(902)
  server.line = 'up'
  await flush()
  const [one, two] = await list()
  expect([one?.problem?.detail, two?.fate]).toEqual(['Not 901.', 'refused'])
  server.refuses = () => false
  await again(one?.seq ?? 0, 'Locked out all the while')
  expect(values()).toEqual([901])
  expect(server.kept[0]?.key).not.toBe(one?.key)
  await aside(two?.seq ?? 0)
  expect((await list()).map((w) => w.fate)).toEqual(['aside'])
  expect(outboxCount()).toBe(0)
})

test('what is not surely allowed is refused here, with what opens it', async () => {
  server.line = 'down'
  const answered = await sendOrKeep(
    new Request(`${location.origin}/api/calls/4/safety-events`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json', 'Idempotency-Key': crypto.randomUUID() },
      body: JSON.stringify({ kind: 'went_live', covers_on: true } satisfies Partial<
        Schemas['NewSafetyEvent']
      >),
    }),
  )
  expect(answered.status).toBe(409)
  expect(((await answered.json()) as { next_step: string }).next_step).toMatch(/tick it/)
  expect(await list()).toEqual([])
})

test('a call that was not taken along takes nothing: what is typed stays where it is', async () => {
  server.line = 'down'
  await forget()
  await expect(enter(7)).rejects.toThrow('no line')
  expect(await list()).toEqual([])
})

test('without signal a closed call takes nothing and says how to go on', async () => {
  server.line = 'down'
  await keep(`${location.origin}/api/calls/4`, json({ ...server.call(), ahead: null, status: 'closed' }))
  const answered = await enter(7)
  expect(answered.status).toBe(409)
  expect(((await answered.json()) as { next_step: string }).next_step).toBe('Open it again.')
  expect(await list()).toEqual([])
})

test('without signal a gate that is shut takes nothing: no live reading on a unit made safe here', async () => {
  server.line = 'down'
  const [first] = JSON.parse(readFileSync('../tests/golden/ahead.json', 'utf-8')) as {
    records: [object, string[]][]
  }[]
  const send = (what: string, body: object) =>
    sendOrKeep(
      new Request(`${location.origin}/api/calls/4/${what}`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/json', 'Idempotency-Key': crypto.randomUUID() },
        body: JSON.stringify(body),
      }),
    )
  await keep(
    `${location.origin}/api/reference`,
    json({
      quantities: [
        { quantity: 'running_a', work: 'live' },
        { quantity: 'winding_cs_ohm', work: 'dead' },
      ],
      call_tests: [],
    }),
  )
  const live = { quantity: 'running_a', value: 12 }
  const dead = { quantity: 'winding_cs_ohm', value: 2.3 }
  expect((await send('readings', dead)).status).toBe(409)
  expect((await send('safety-events', { kind: 'caution_read' })).status).toBe(202)
  expect((await send('readings', live)).status).toBe(202)
  const safe = { record: first?.records[0]?.[0], volts_taken_at: new Date().toISOString(), state_version: 0 }
  expect((await send('make-safe', safe)).status).toBe(202)
  const refused = await send('readings', live)
  expect(refused.status).toBe(409)
  expect(((await refused.json()) as { next_step: string }).next_step).toMatch(/going live/)
  expect((await send('readings', dead)).status).toBe(202)
  expect((await list()).map((w) => w.kind)).toEqual(['safety-events', 'readings', 'make-safe', 'readings'])
})

test('what another person is signed in for waits for its own', async () => {
  server.line = 'down'
  await enter(72)
  server.line = 'up'
  const asked: (string | null)[] = []
  vi.stubGlobal('fetch', async (_: string, init: RequestInit) => {
    asked.push(new Headers(init.headers).get('For-Person'))
    return new Response('{"title":"Another person is signed in"}', {
      status: 409,
      headers: { 'Wrong-Person': 'true' },
    })
  })
  const taken = vi.fn()
  window.addEventListener(TAKEN_OVER, taken)
  await flush()
  expect(asked).toEqual(['1'])
  expect(taken).toHaveBeenCalledOnce()
  expect((await list()).map((w) => w.fate)).toEqual(['waiting'])
})
