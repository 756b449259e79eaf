import { afterEach, describe, expect, it, vi } from 'vitest'
import { early, fetchRest } from './early'

afterEach(() => vi.unstubAllGlobals())

describe('code that comes later', () => {
  it('waits for signal and asks again, instead of failing', async () => {
    vi.stubGlobal('fetch', () => Promise.reject(new Error('no signal')))
    let signal = false
    const load = early(() => (signal ? Promise.resolve('code') : Promise.reject(new Error('not fetched'))))
    const came = load()
    await new Promise((then) => setTimeout(then, 5))
    signal = true
    window.dispatchEvent(new Event('online'))
    expect(await came).toBe('code')
  })

  it('fails where the server answers and the code is gone', async () => {
    vi.stubGlobal('fetch', () => Promise.resolve({ ok: true }))
    await expect(early(() => Promise.reject(new Error('gone')))()).rejects.toThrow('gone')
  })

  it('is fetched once the first view stands', async () => {
    const load = vi.fn(() => Promise.resolve('code'))
    early(load)
    fetchRest()
    await vi.waitFor(() => expect(load).toHaveBeenCalled(), { timeout: 2_000 })
  })
})
