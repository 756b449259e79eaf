import 'fake-indexeddb/auto'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { LINE, line } from './client'
import { find, forget, keep, keepCall, takeAlong } from './kept'

const home = location.origin
const json = (body: unknown) =>
  new Response(JSON.stringify(body), { headers: { 'Content-Type': 'application/json' } })

beforeEach(async () => {
  vi.useRealTimers()
  await forget()
})

describe('what was read', () => {
  it('is found again as it was, with the moment it is of', async () => {
    const told: (number | null)[] = []
    const hear = () => told.push(line.read_ms)
    window.addEventListener(LINE, hear)
    await keep(`${home}/api/calls/4`, json({ id: 4, note: '“½ Ω”' }))
    const found = await find(`${home}/api/calls/4`)
    expect(await found?.json()).toEqual({ id: 4, note: '“½ Ω”' })
    expect(Math.abs(Number(told[0]) - Date.now())).toBeLessThan(5_000)
    await keep(`${home}/api/calls/5`, json({ id: 5 }))
    expect(told[1]).toBeNull()
    window.removeEventListener(LINE, hear)
  })

  it('is not there for another address, after it was forgotten, or of what is never kept', async () => {
    await keep(`${home}/api/calls/4`, json({ id: 4 }))
    await keep(`${home}/api/health`, json({ records: 'ok' }))
    await keep(`${home}/api/audit/trail`, json([]))
    await keep(`${home}/api/people/1/devices`, json([]))
    expect(await find(`${home}/api/calls/5`)).toBeNull()
    for (const path of ['health', 'audit/trail', 'people/1/devices'])
      expect(await find(`${home}/api/${path}`)).toBeNull()
    await forget()
    expect(await find(`${home}/api/calls/4`)).toBeNull()
  })

  it('of whoever was at work before comes too late', async () => {
    const asked_ms = performance.now() - 1
    await forget()
    await keep(`${home}/api/calls/4`, json({ id: 4 }), asked_ms)
    expect(await find(`${home}/api/calls/4`)).toBeNull()
  })

  it('that was long on its way covers nothing that tells more, and a clock set back hides nothing', async () => {
    const asked_ms = performance.now()
    await new Promise((done) => setTimeout(done, 2))
    await keepCall({ id: 4, readings: [1] } as never, performance.now())
    await keep(`${home}/api/calls/4`, json({ id: 4, readings: [] }), asked_ms)
    expect(await (await find(`${home}/api/calls/4`))?.json()).toEqual({ id: 4, readings: [1] })
    vi.useFakeTimers({ toFake: ['Date'] })
    vi.setSystemTime(Date.now() - 86_400_000)
    await keep(`${home}/api/calls/4`, json({ id: 4, readings: [1, 2] }))
    expect(await (await find(`${home}/api/calls/4`))?.json()).toEqual({ id: 4, readings: [1, 2] })
  })

  it('begins with who is at work now, and nobody else', async () => {
    await keep(`${home}/api/calls/4`, json({ id: 4 }))
    await forget({ person: { id: 2 }, people: [{ id: 2 }] } as never)
    expect(await find(`${home}/api/calls/4`)).toBeNull()
    expect(await (await find(`${home}/api/session`))?.json()).toMatchObject({ person: { id: 2 } })
  })

  it('is never a refusal, nor a file', async () => {
    await keep(`${home}/api/calls/4`, new Response('{}', { status: 404 }))
    await keep(`${home}/api/calls/5`, new Response('a,b', { headers: { 'Content-Type': 'text/csv' } }))
    expect(await find(`${home}/api/calls/4`)).toBeNull()
    expect(await find(`${home}/api/calls/5`)).toBeNull()
  })

  it('is of no use after a month, and after an hour on a tablet that goes from hand to hand', async () => {
    const hours = (n: number) => vi.setSystemTime(Date.now() + n * 3_600_000)
    for (const [shared, after, there] of [
      [false, 29 * 24, true],
      [false, 31 * 24, false],
      [true, 0.9, true],
      [true, 1.1, false],
    ] as const) {
      vi.useRealTimers()
      await forget()
      vi.useFakeTimers({ toFake: ['Date'] })
      await keep(`${home}/api/session`, json({ person: { id: 1 }, shared }))
      await keep(`${home}/api/calls/4`, json({ id: 4 }))
      hours(after)
      expect((await find(`${home}/api/calls/4`)) !== null).toBe(there)
    }
  })

  it('holds what was taken along, each under its own address', async () => {
    const lists = { call_list: [1], unit_list: [2], sites: [3], people: [4], standards: [5], reference: {} }
    const pack = { made_at: 'x', calls: [{ id: 4 }, { id: 7 }], units: [{ unit: { id: 2 } }], ...lists }
    vi.stubGlobal('fetch', () => Promise.resolve(json(pack)))
    await takeAlong()
    expect(await (await find(`${home}/api/calls/7`))?.json()).toEqual({ id: 7 })
    expect(await (await find(`${home}/api/units/2`))?.json()).toEqual({ unit: { id: 2 } })
    expect(await (await find(`${home}/api/calls`))?.json()).toEqual([1])
    expect(await (await find(`${home}/api/standards`))?.json()).toEqual([5])
    vi.unstubAllGlobals()
  })
})
