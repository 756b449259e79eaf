import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { answer, client, fieldProblem, Refusal } from './client'

const change = (what: string) =>
  answer(client.POST('/api/calls/{call_id}/changes', { params: { path: { call_id: 4 } }, body: { what } }))

let sent: Request[] = []
let reply: () => Promise<Response>

const json = (body: unknown, status = 201) =>
  Promise.resolve(
    new Response(JSON.stringify(body), { status, headers: { 'Content-Type': 'application/json' } }),
  )

beforeEach(() => {
  sent = []
  reply = () => json({ id: 4 })
  vi.stubGlobal('fetch', (request: Request) => {
    sent.push(request)
    return reply()
  })
})
afterEach(() => vi.unstubAllGlobals())

const keys = () => sent.map((r) => r.headers.get('Idempotency-Key'))

describe('an entry on its way', () => {
  it('goes under a key of its own, and names nobody: the device is signed in', async () => {
    await change('Capacitor replaced')
    expect([...(sent[0]?.headers.keys() ?? [])].filter((name) => /person/i.test(name))).toEqual([])
    expect(keys()[0]).toMatch(/^[0-9a-f-]{36}$/)
  })

  it('keeps its key when the answer was lost, and when the server failed', async () => {
    reply = () => Promise.reject(new TypeError('network'))
    await expect(change('Capacitor replaced')).rejects.toBeInstanceOf(Refusal)
    reply = () => json({ title: 'away', detail: 'x' }, 503)
    await expect(change('Capacitor replaced')).rejects.toBeInstanceOf(Refusal)
    reply = () => json({ id: 4 })
    await change('Capacitor replaced')
    expect(new Set(keys()).size).toBe(1)
  })

  it('gets a new key once it was corrected, and once it was saved', async () => {
    reply = () => json({ title: 'no', detail: 'x' }, 409)
    await expect(change('Capacitr')).rejects.toBeInstanceOf(Refusal)
    reply = () => json({ id: 4 })
    await change('Capacitor')
    await change('Capacitor')
    expect(new Set(keys()).size).toBe(3)
  })

  it('needs none where nothing is kept', async () => {
    await client.POST('/api/calc/bleed', { body: { capacitance_uf: 45, rated_v: 440 } as never })
    expect(keys()).toEqual([null])
  })
})

describe('a refusal', () => {
  it('comes out with its fields and what to do next', async () => {
    reply = () =>
      json(
        {
          title: 'Check the entry',
          detail: 'x',
          errors: [{ field: 'plate.mca_a', wanted: 'a number' }],
          next_step: 'Again',
        },
        422,
      )
    const refused = await change('x').catch((e: Refusal) => e)
    expect(refused).toBeInstanceOf(Refusal)
    const problem = (refused as Refusal).problem
    expect(problem.next_step).toBe('Again')
    expect(fieldProblem(problem, 'mca_a')).toBe('Enter a number.')
    expect(fieldProblem(problem, 'mocp_a')).toBeUndefined()
  })
})
