import { figure } from './format'
import { reads } from './reads'

/**
 * Units a figure is kept in, and how it is read and typed here. `Δ°F` is the difference of two temperatures: it is
 * kept in °F as well, but turns into K.
 */
type Kept = { word: string; of: (kept: number) => number; kept: (typed: number) => number }

const METERS = 0.3048
// Two digits after the point: finer than any meter or tape, and the same figure when it is typed again.
const round = (value: number) => Math.round(value * 100) / 100

const CELSIUS: Kept = { word: '°C', of: (f) => (f - 32) / 1.8, kept: (c) => round(c * 1.8 + 32) }
const KELVIN: Kept = { word: 'K', of: (f) => f / 1.8, kept: (k) => round(k * 1.8) }
const METER: Kept = { word: 'm', of: (ft) => ft * METERS, kept: (m) => round(m / METERS) }

const asKept = (word: string): Kept => ({ word, of: (v) => v, kept: (v) => v })

/** How a unit is read here. */
export function inUnit(unit: string): Kept {
  if (unit === '°F') return reads.temperature === 'C' ? CELSIUS : asKept('°F')
  if (unit === 'Δ°F') return reads.temperature === 'C' ? KELVIN : asKept('°F')
  if (unit === 'ft') return reads.distance === 'm' ? METER : asKept('ft')
  return asKept(unit)
}

/** What else may be written behind a figure in a unit, whatever is read here: "35 C", "12 m". */
export const ALSO: Record<string, [RegExp, Kept][]> = {
  '°F': [
    [/^(f|°f|deg\.? ?f)$/i, asKept('°F')],
    [/^(c|°c|deg\.? ?c)$/i, CELSIUS],
  ],
  'Δ°F': [
    [/^(f|°f|deg\.? ?f)$/i, asKept('°F')],
    [/^(k|c|°c)$/i, KELVIN],
  ],
  ft: [
    [/^(ft|feet|foot|')$/i, asKept('ft')],
    [/^(m|met(er|re)s?)$/i, METER],
  ],
}

export const unitWord = (unit: string) => inUnit(unit).word

/** A kept figure as it is read here: one digit finer than the core writes is none of its own. */
export function shownIn(value: number, unit: string): number {
  const shown = inUnit(unit).of(value)
  return unitWord(unit) === unit.replace('Δ', '') ? shown : Math.round(shown * 10) / 10
}

/** A kept figure with its unit, as it is read here. */
export function measure(value: number, unit: string, digits = 4): string {
  return `${figure(shownIn(value, unit), digits)} ${unitWord(unit)}`.trim()
}

/** A kept figure as text for a field that is typed in what is read here. */
export const typed = (value: number | null | undefined, unit: string) =>
  value === null || value === undefined ? '' : figure(shownIn(value, unit), 6)

const DIFFERENCES =
  /^(superheat|subcooling|condensing_over|rise_|delta_t|plus_minus|compare_outdoor|over_f|apart_f)/

/** The unit of a quantity by its name: a difference of temperatures is one by its name alone. */
export const unitOf = (name: string, unit: string) => (unit === '°F' && DIFFERENCES.test(name) ? 'Δ°F' : unit)
