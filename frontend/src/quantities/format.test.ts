import { describe, expect, it } from 'vitest'
import { parseFigure } from './figure'
import { figure, signed } from './format'

describe('a figure as typed', () => {
  it.each([
    ['16.7', 16.7],
    ['16,7', 16.7],
    [' 42 ', 42],
    ['.5', 0.5],
    ['-3', -3],
  ])('reads %s', (typed, value) => {
    expect(parseFigure(typed)).toBe(value)
  })

  it.each(['', 'seventeen', '1e9', '1.2.3', 'NaN', 'Infinity', '0x10', '12 A', '<b>1</b>'])(
    'refuses %j',
    (typed) => {
      expect(parseFigure(typed)).toBeNull()
    },
  )
})

describe('a figure as written', () => {
  it('invents no digits and keeps large ones whole', () => {
    expect(figure(16.7)).toBe('16.7')
    expect(figure(0.1 + 0.2)).toBe('0.3')
    expect(figure(22000)).toBe('22000')
    expect(figure(23.775, 6)).toBe('23.775')
  })

  it('carries a true minus', () => {
    expect(signed(-26.4)).toBe('−26')
    expect(signed(3)).toBe('+3')
  })
})
