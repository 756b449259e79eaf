import { describe, expect, it } from 'vitest'
import { parseCount, parseFigure, readFigure } from './figure'

describe('a figure as people type it', () => {
  it.each([
    ['4,300', 'ft', 4300],
    ['1,234.50', '', 1234.5],
    ['12,345,678', '', 12345678],
    ['35.4 A', 'A', 35.4],
    ['35.4a', 'A', 35.4],
    ['35.4 amps', 'A', 35.4],
    ['230 V', 'V', 230],
    ['440 volts', 'V AC', 440],
    ['45 uF', 'µF', 45],
    ['45 mfd', 'µF', 45],
    ['1.8 ohms', 'Ω', 1.8],
    ['97 °F', '°F', 97],
    ['310 feet', 'ft', 310],
    ["310'", 'ft', 310],
    ['16,7', 'A', 16.7],
    ['−4', '°F', -4],
    ['.5', 's', 0.5],
    ['1/2', 'hp', 0.5],
    ['1 1/2 hp', 'hp', 1.5],
    ['35.', 'A', 35],
  ])('understands %j in %j', (typed, unit, value) => {
    expect(readFigure(typed, unit)).toEqual({ kind: 'figure', value })
    expect(parseFigure(typed, unit)).toBe(value)
  })

  it.each([
    ['208/230', 'V', 'Two numbers'],
    ['1/0', 'hp', 'Enter a number'],
    ['1/3', 'A', 'Two numbers'],
    ['2 x 1.4', 'A', 'One figure'],
    ['35.4 V', 'A', 'Enter a number in A'],
    ['35.4 A', '', 'Enter the number only'],
    ['4,30,0', 'ft', 'one number'],
    ['0,300', 'ft', 'one number'],
    ['1.2.3', '', 'one number'],
    ['17.9 13.1', 'A', 'Enter a number in A'],
    ['seventeen', '', 'Enter a number'],
    ['1e9', '', 'Enter the number only'],
    ['NaN', 'A', 'Enter a number'],
    ['0x10', '', 'One figure'],
    ['open', 'Ω', 'Enter a number'],
  ])('refuses %j in %j, saying why, and never reads half of it', (typed, unit, why) => {
    const read = readFigure(typed, unit)
    expect(read.kind).toBe('wrong')
    expect(read.kind === 'wrong' && read.why).toContain(why)
    expect(parseFigure(typed, unit)).toBeNull()
  })

  it('tells nothing typed from something wrong', () => {
    expect(readFigure('  ', 'A')).toEqual({ kind: 'none' })
  })

  it('counts only whole things', () => {
    expect(parseCount('3')).toBe(3)
    expect(parseCount('2.6')).toBeNull()
  })

  it('reads every number it could have written, with and without thousands', () => {
    for (let i = 0; i < 400; i++) {
      const value = Math.round(Math.random() * 10 ** (1 + (i % 8))) / 100
      expect(parseFigure(String(value))).toBe(value)
      expect(parseFigure(value.toLocaleString('en-US', { maximumFractionDigits: 2 }))).toBe(value)
    }
  })
})
