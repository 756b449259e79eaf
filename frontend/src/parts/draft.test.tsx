import { act, renderHook } from '@testing-library/react'
import { beforeEach, describe, expect, it } from 'vitest'
import { useDraft } from './draft'

type Plate = { rla: string; base: number }

describe('a draft', () => {
  beforeEach(() => localStorage.clear())

  it('shows what the server holds until it is touched, and again after it is saved', () => {
    const { result, rerender } = renderHook(({ start }) => useDraft<Plate>('plate', start), {
      initialProps: { start: { rla: '16.7', base: 1 } },
    })
    act(() => result.current[1]({ rla: '17.9' }))
    expect(result.current[0]).toEqual({ rla: '17.9', base: 1 })
    rerender({ start: { rla: '17.9', base: 2 } })
    act(() => result.current[2]())
    expect(result.current[0]).toEqual({ rla: '17.9', base: 2 })
    rerender({ start: { rla: '18.2', base: 3 } })
    expect(result.current[0]).toEqual({ rla: '18.2', base: 3 })
  })

  it('keeps the version it was begun on, so that another hand is noticed', () => {
    const { result, rerender } = renderHook(({ start }) => useDraft<Plate>('plate', start), {
      initialProps: { start: { rla: '16.7', base: 1 } },
    })
    act(() => result.current[1]({ rla: '17.9' }))
    rerender({ start: { rla: '20', base: 2 } })
    expect(result.current[0]).toEqual({ rla: '17.9', base: 1 })
  })

  it('survives a reload, and a broken store', () => {
    const first = renderHook(() => useDraft<Plate>('plate', { rla: '', base: 0 }))
    act(() => first.result.current[1]({ rla: '9' }))
    first.unmount()
    const again = renderHook(() => useDraft<Plate>('plate', { rla: '', base: 0 }))
    expect(again.result.current[0].rla).toBe('9')
    localStorage.setItem('orange-crank.draft.0.other@gone', '{')
    const other = renderHook(() => useDraft<Plate>('other', { rla: 'x', base: 0 }))
    expect(other.result.current[0].rla).toBe('x')
  })
})
