import { t } from '@lingui/core/macro'
import { ALSO, inUnit, unitWord } from './measures'

/** What was typed into a figure's field: nothing, a figure, or something that is none, and why. */
export type Typed = { kind: 'none' } | { kind: 'figure'; value: number } | { kind: 'wrong'; why: string }

/** How a unit may be written behind a figure, as people type it. */
const WRITTEN: Record<string, RegExp> = {
  A: /^(a|amps?)$/i,
  V: /^(v|volts?|vac|vdc)$/i,
  'V AC': /^(v|volts?|vac)$/i,
  µF: /^([uµμ]f|mfd|mf)$/i,
  Ω: /^(ohms?|Ω|Ω)$/i,
  MΩ: /^(mohms?|megohms?|MΩ)$/i,
  min: /^(min|mins|minutes?)$/i,
  s: /^(s|sec|secs|seconds?)$/i,
  in: /^(in|inch|inches|")$/i,
  ton: /^tons?$/i,
  '%': /^%$/,
  '± %': /^%$/,
  W: /^w(atts?)?$/i,
  kW: /^kw$/i,
  VA: /^va$/i,
  Hz: /^hz$/i,
  hp: /^hp$/i,
  psig: /^(psig?|psi)$/i,
}
/** Horsepower is printed as a fraction: 1/3, 1 1/2. */
const HORSEPOWER = /^(?:(\d+)[\s-]+)?(\d{1,2})\s*\/\s*(\d{1,2})(?:\s*hp)?$/i
const PLAIN = /^[+-]?(\d+\.?\d*|\.\d+)$/
const THOUSANDS = /^[+-]?[1-9]\d{0,2}(,\d{3})+(\.\d+)?$/
const DECIMAL_COMMA = /^[+-]?\d+,\d{1,2}$/

/**
 * Read a figure as people type it: "4,300", "1,234.50", "35.4 A", "35 C". What cannot be one figure is refused with
 * why; nothing is ever half-read. The figure is in the unit it is kept in, whatever it is read and typed in here.
 */
export function readFigure(text: string, unit = ''): Typed {
  const typed = text.trim().replace('−', '-')
  if (typed === '') return { kind: 'none' }
  const parts = unit === 'hp' ? HORSEPOWER.exec(typed) : null
  if (parts) {
    const value = Number(parts[1] ?? 0) + Number(parts[2]) / Number(parts[3])
    return Number.isFinite(value) ? { kind: 'figure', value } : wrong(t`Enter a number, like 1/3.`)
  }
  if (/\d\s*\/\s*\d/.test(typed)) return wrong(t`Two numbers. Enter the one for this supply.`)
  if (/\d\s*[x×*]\s*\d/i.test(typed)) return wrong(t`One figure here; add a row for each.`)
  const parted = /^([+-]?[\d.,]+)\s*(\D.*)?$/.exec(typed)
  const digits = parted?.[1]
  if (digits === undefined) return wrong(t`Enter a number, like 16.7.`)
  const written = parted?.[2]?.trim() ?? ''
  const also = ALSO[unit]?.find(([word]) => word.test(written))
  if (written !== '' && !also && !(WRITTEN[unit]?.test(written) ?? false))
    return wrong(unit ? t`Enter a number in ${unitWord(unit)}, not “${written}”.` : t`Enter the number only.`)
  const plain = THOUSANDS.test(digits)
    ? digits.replaceAll(',', '')
    : DECIMAL_COMMA.test(digits)
      ? digits.replace(',', '.')
      : digits
  return PLAIN.test(plain)
    ? { kind: 'figure', value: (also?.[1] ?? inUnit(unit)).kept(Number(plain)) }
    : wrong(t`Enter one number, like 1,234.5 or 16.7.`)
}

function wrong(why: string): Typed {
  return { kind: 'wrong', why }
}

/** The figure that was typed, or null where there is none; FigureField says what is wrong with the rest. */
export function parseFigure(text: string, unit = ''): number | null {
  const typed = readFigure(text, unit)
  return typed.kind === 'figure' ? typed.value : null
}

/** A whole number as typed, or null. */
export function parseCount(text: string): number | null {
  const value = parseFigure(text)
  return value !== null && Number.isInteger(value) ? value : null
}
