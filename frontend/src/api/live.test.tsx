import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { renderHook } from '@testing-library/react'
import type { ReactNode } from 'react'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { useMoves } from './live'

class Line {
  static last: Line
  heard: Record<string, (event: MessageEvent<string>) => void> = {}
  closed = false
  constructor(readonly address: string) {
    Line.last = this
  }
  addEventListener(name: string, listen: (event: MessageEvent<string>) => void) {
    this.heard[name] = listen
  }
  close() {
    this.closed = true
  }
  say(name: string, data: unknown) {
    this.heard[name]?.({ data: JSON.stringify(data) } as MessageEvent<string>)
  }
}

afterEach(() => vi.unstubAllGlobals())

function listening() {
  vi.stubGlobal('EventSource', Line)
  const cache = new QueryClient()
  const asked = vi.spyOn(cache, 'invalidateQueries')
  const hook = renderHook(() => useMoves(), {
    wrapper: ({ children }: { children: ReactNode }) => (
      <QueryClientProvider client={cache}>{children}</QueryClientProvider>
    ),
  })
  return { cache, asked, hook }
}

describe('what another phone wrote', () => {
  it('is read again as soon as it is heard of', () => {
    const { cache, asked } = listening()
    cache.setQueryData(['call', 4], { entries: 7 })
    Line.last.say('call', { call_id: 4, entries: 8 })
    expect(asked).toHaveBeenCalledWith({ queryKey: ['call', 4] })
    expect(asked).toHaveBeenCalledWith({ queryKey: ['why', 4] })
  })

  it('is not asked for where this phone wrote it itself', () => {
    const { cache, asked } = listening()
    cache.setQueryData(['call', 4], { entries: 8 })
    Line.last.say('call', { call_id: 4, entries: 8 })
    expect(asked).not.toHaveBeenCalled()
  })

  it('waits for the answer to this phone’s own write, and is read if that did not bring it', () => {
    vi.useFakeTimers()
    const { cache, asked } = listening()
    vi.spyOn(cache, 'isMutating').mockReturnValue(1)
    cache.setQueryData(['call', 4], { entries: 7 })
    Line.last.say('call', { call_id: 4, entries: 8 })
    Line.last.say('call', { call_id: 4, entries: 9 })
    expect(asked).not.toHaveBeenCalled()
    cache.setQueryData(['call', 4], { entries: 8 })
    vi.advanceTimersByTime(1_500)
    expect(asked).toHaveBeenCalledWith({ queryKey: ['call', 4] })
    expect(asked.mock.calls.filter(([f]) => JSON.stringify(f) === '{"queryKey":["calls"]}')).toHaveLength(1)
    vi.useRealTimers()
  })

  it('is caught up with after the line broke, and the line is let go with the screen', () => {
    const { asked, hook } = listening()
    Line.last.say('ready', null)
    expect(asked).toHaveBeenCalledWith({ queryKey: ['call'] })
    hook.unmount()
    expect(Line.last.closed).toBe(true)
  })
})
