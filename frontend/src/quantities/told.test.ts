import { readFileSync } from 'node:fs'
import fc from 'fast-check'
import { afterEach, describe, expect, it } from 'vitest'
import { runs } from '../test-runs'
import { readFigure } from './figure'
import { clock, day } from './format'
import { inUnit, measure, shownIn, typed, unitOf, unitWord } from './measures'
import { AS_WRITTEN, otherwise, type Reads, reads, typedIn } from './reads'
import { told } from './told'

// Written by the core's own test: what it says, and how it is notified.
const cases = JSON.parse(readFileSync('../tests/golden/told.json', 'utf-8')) as {
  said: string
  reads: Reads
  told: string
}[]
const metric = () => Object.assign(reads, { temperature: 'C', distance: 'm' })

afterEach(() => {
  Object.assign(reads, AS_WRITTEN)
})

describe('what the core says', () => {
  it.each(cases)('is told as the core tells it: $told', ({ said, reads: as, told: wanted }) => {
    expect(told(said, as)).toBe(wanted)
  })

  it('stands as it is where it is read as it is written', () => {
    for (const { said } of cases) expect(told(said, AS_WRITTEN)).toBe(said)
  })

  it('is told once: told again it stays', () => {
    const as: Reads = { ...AS_WRITTEN, temperature: 'C', distance: 'm' }
    for (const { said } of cases) expect(told(told(said, as), as)).toBe(told(said, as))
  })

  it('leaves what somebody typed alone', () => {
    const as: Reads = { ...AS_WRITTEN, temperature: 'C', distance: 'm' }
    fc.assert(
      fc.property(fc.string(), (words) => {
        const plain = words.replace(/[\u00a0\u202f]/g, ' ')
        expect(told(plain, as)).toBe(plain)
        expect(told(`${plain} 44 °F in the morning, 30 ft up`, as)).toContain(
          '44 °F in the morning, 30 ft up',
        )
      }),
      runs(),
    )
  })
})

describe('a figure typed in other units', () => {
  it('is kept in the core’s', () => {
    metric()
    expect(readFigure('35', '°F')).toEqual({ kind: 'figure', value: 95 })
    expect(readFigure('10', 'Δ°F')).toEqual({ kind: 'figure', value: 18 })
    expect(readFigure('30', 'ft')).toEqual({ kind: 'figure', value: 98.43 })
    expect(readFigure('-40', '°F')).toEqual({ kind: 'figure', value: -40 })
  })

  it('says its unit where it is another, whatever is read here', () => {
    expect(readFigure('35 C', '°F')).toEqual({ kind: 'figure', value: 95 })
    expect(readFigure('12 m', 'ft')).toEqual({ kind: 'figure', value: 39.37 })
    expect(readFigure('95 F', '°F')).toEqual({ kind: 'figure', value: 95 })
    expect(readFigure('5 K', 'Δ°F')).toEqual({ kind: 'figure', value: 9 })
    metric()
    expect(readFigure('95 F', '°F')).toEqual({ kind: 'figure', value: 95 })
    expect(readFigure('100 ft', 'ft')).toEqual({ kind: 'figure', value: 100 })
    expect(readFigure('95 V', '°F')).toEqual({ kind: 'wrong', why: 'Enter a number in °C, not “V”.' })
  })

  it('is shown as it was typed, to the tenth that was typed', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: -600, max: 1_500 }),
        fc.constantFrom('°F', 'Δ°F', 'ft'),
        fc.boolean(),
        (tenths, unit, other) => {
          Object.assign(reads, AS_WRITTEN, other ? { temperature: 'C', distance: 'm' } : {})
          const text = String(tenths / 10)
          const read = readFigure(text, unit)
          expect(read.kind).toBe('figure')
          if (read.kind === 'figure') expect(Number(typed(read.value, unit))).toBeCloseTo(Number(text), 5)
        },
      ),
      runs(),
    )
  })

  it('says its other unit beside the field and behind a figure', () => {
    metric()
    expect(unitWord('°F')).toBe('°C')
    expect(unitWord('Δ°F')).toBe('K')
    expect(measure(95, '°F')).toBe('35 °C')
    expect(measure(18, 'Δ°F')).toBe('10 K')
    expect(measure(25, 'ft')).toBe('7.6 m')
    expect(measure(24.875, 'A')).toBe('24.88 A')
    expect(shownIn(24.875, 'A')).toBe(24.875)
    expect(inUnit('V').kept(240)).toBe(240)
    Object.assign(reads, AS_WRITTEN)
    expect(measure(61.54, '°F')).toBe('61.54 °F')
    expect(unitWord('Δ°F')).toBe('°F')
  })

  it('is a difference by its name', () => {
    expect(unitOf('superheat_low_f', '°F')).toBe('Δ°F')
    expect(unitOf('outdoor_f', '°F')).toBe('°F')
    expect(unitOf('rise_ft', 'ft')).toBe('ft')
  })
})

describe('drafts', () => {
  it('are kept apart by what they were typed in', () => {
    expect(typedIn()).toBe('')
    expect(otherwise()).toBe(false)
    metric()
    expect(typedIn()).toBe('Cm.')
    expect(otherwise()).toBe(true)
  })
})

describe('dates and hours', () => {
  const moment = '2031-05-06T00:05:00'
  it('are those of a region', () => {
    expect(day(moment)).toBe('May 6, 2031')
    expect(clock(moment)).toMatch(/^12:05\sam$/)
    Object.assign(reads, { region: 'en-GB', hours: 12 })
    expect(day(moment)).toBe('6 May 2031')
    expect(clock(moment)).toMatch(/^12:05\sam$/)
    Object.assign(reads, { region: 'en-AU', hours: 24 })
    expect(clock('2031-05-06T15:05:00')).toBe('15:05')
  })
})
