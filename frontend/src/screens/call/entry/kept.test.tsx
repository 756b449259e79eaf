import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { act, renderHook, waitFor } from '@testing-library/react'
import type { ReactNode } from 'react'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { Call, NewReading } from '../../../api/client'
import { type Entry, useKept } from './kept'

type Row = { id: number; entry: NewReading; superseded_by_id: number | null }

/** A server that keeps readings, loses answers or refuses when told to, and knows a request's key. */
function server() {
  const rows: Row[] = []
  const sent: NewReading[][] = []
  const keys: string[] = []
  const answered = new Map<string, Call>()
  const state = { lose: 0, away: 0, refuse: 0, entries: 1 }
  const call = () =>
    ({ id: 4, entries: state.entries, readings: rows.map((r) => ({ ...r })), unit_id: 1 }) as unknown as Call
  const keep = (batch: NewReading[]) => {
    for (const entry of batch) {
      const id = rows.length + 1
      const old = rows.find((r) => r.id === entry.supersedes_id)
      if (old) old.superseded_by_id = id
      rows.push({ id, entry, superseded_by_id: null })
    }
    state.entries += batch.length
  }
  const fetch = vi.fn(async (input: RequestInfo | URL) => {
    const request = input as Request
    if (state.away > 0) {
      state.away -= 1
      throw new TypeError('no network')
    }
    const { readings } = (await request.clone().json()) as { readings: NewReading[] }
    const key = request.headers.get('Idempotency-Key') ?? ''
    keys.push(key)
    sent.push(readings)
    if (state.refuse > 0) {
      state.refuse -= 1
      return Response.json({ title: 'Conflict', detail: 'corrected meanwhile', errors: [] }, { status: 409 })
    }
    if (!answered.has(key)) {
      keep(readings)
      answered.set(key, call())
    }
    if (state.lose > 0) {
      state.lose -= 1
      throw new TypeError('the answer was lost')
    }
    return Response.json(answered.get(key), { status: 201 })
  })
  vi.stubGlobal('fetch', fetch)
  return { rows, sent, keys, state, call }
}

function hook(call: Call) {
  const cache = new QueryClient({ defaultOptions: { mutations: { networkMode: 'always' } } })
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={cache}>{children}</QueryClientProvider>
  )
  return renderHook(() => useKept(call), { wrapper })
}

const amps = (value: number): Entry => ({ quantity: 'fan_a', value })
const standing = (rows: Row[]) => rows.filter((r) => r.superseded_by_id === null).map((r) => r.entry.value)

afterEach(() => vi.unstubAllGlobals())

describe('what is kept as it is left', () => {
  it('is sent once, and corrected within the visit, never said twice', async () => {
    const s = server()
    const { result } = hook(s.call())
    await act(() => result.current.keep([amps(1.2)]))
    await act(() => result.current.keep([amps(1.2)]))
    expect(s.sent).toHaveLength(1)
    await act(() => result.current.keep([amps(1.4)]))
    expect(standing(s.rows)).toEqual([1.4])
    expect(s.rows).toHaveLength(2)
    expect(s.sent[1]?.[0]?.supersedes_id).toBe(1)
  })

  it('keeps the order of two quick ones: the second corrects the first', async () => {
    const s = server()
    const { result } = hook(s.call())
    await act(async () => {
      const one = result.current.keep([amps(1.2)])
      const two = result.current.keep([amps(1.3)])
      await Promise.all([one, two])
    })
    expect(standing(s.rows)).toEqual([1.3])
  })

  it('with the answer lost is found again under its key, and what is said after corrects it', async () => {
    const s = server()
    const { result } = hook(s.call())
    s.state.lose = 1
    await act(async () => {
      expect(await result.current.keep([amps(1.2)])).toBe(false)
    })
    expect(result.current.problem?.title).toBe('No connection')
    await act(() => result.current.keep([amps(1.5)]))
    expect(s.keys[0]).toBe(s.keys[1])
    expect(standing(s.rows)).toEqual([1.5])
    expect(s.rows).toHaveLength(2)
    await waitFor(() => expect(result.current.problem).toBeNull())
  })

  it('without a connection is not there, and is there once after it', async () => {
    const s = server()
    const { result } = hook(s.call())
    s.state.away = 2
    await act(() => result.current.keep([amps(1.2)]))
    await act(() => result.current.keep([amps(1.2)]))
    expect(s.rows).toHaveLength(0)
    await act(() => result.current.keep([amps(1.2)]))
    expect(standing(s.rows)).toEqual([1.2])
    expect(s.rows).toHaveLength(1)
  })

  it('refused because somebody else corrected it is a reading of its own the next time', async () => {
    const s = server()
    const { result } = hook(s.call())
    await act(() => result.current.keep([amps(1.2)]))
    s.state.refuse = 1
    await act(() => result.current.keep([amps(1.3)]))
    expect(result.current.problem?.status).toBe(409)
    await act(() => result.current.keep([amps(1.3)]))
    expect(s.sent.at(-1)?.[0]?.supersedes_id).toBeUndefined()
  })

  it('keeps poles apart, and another start beside the first', async () => {
    const s = server()
    const { result } = hook(s.call())
    const drop = (spot: string, value: number): Entry => ({ quantity: 'contactor_drop_v', value, spot })
    await act(() => result.current.keep([drop('L1–T1', 0.1), drop('L2–T2', 0.2)]))
    await act(() => result.current.keep([drop('L2–T2', 0.3)]))
    expect(standing(s.rows)).toEqual([0.1, 0.3])
    await act(() => result.current.keep([{ quantity: 'inrush_a', value: 58, volts: 228 }]))
    result.current.again(['inrush_a'])
    await act(() => result.current.keep([{ quantity: 'inrush_a', value: 43, volts: 229 }]))
    expect(standing(s.rows)).toEqual([0.1, 0.3, 58, 43])
  })

  it('takes nobody else’s reading for its own', async () => {
    const s = server()
    s.rows.push({ id: 1, entry: { quantity: 'fan_a', value: 9 } as NewReading, superseded_by_id: null })
    const { result } = hook(s.call())
    await act(() => result.current.keep([amps(1.2)]))
    expect(standing(s.rows)).toEqual([9, 1.2])
  })
})
