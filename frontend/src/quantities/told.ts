import { type Reads, reads } from './reads'

const FEET_PER_METER = 1 / 0.3048
const FIGURE = '[-−]?\\d+(?:\\.\\d+)?'
const SPAN = new RegExp(`(${FIGURE})( to | or | and |–)?(${FIGURE})?(\u00a0|\u202f)(°F|ft)\\b`, 'g')

function short(value: number): string {
  const text = Math.abs(value) >= 100 ? value.toFixed(0) : value.toFixed(1).replace(/\.0$/, '')
  return /^-?0$/.test(text) ? '0' : text.replace('-', '−')
}

/** A figure told in meters, °C or K; the core's own conversion, held to its cases by a test. */
function turned(text: string, blank: string, unit: string): string {
  const value = Number(text.replace('−', '-'))
  if (unit === 'ft') return short(value / FEET_PER_METER)
  return short(blank === '\u00a0' ? (value - 32) / 1.8 : value / 1.8)
}

/** A sentence of the server as it is read here: what carries the blanks of core/reads.py, and nothing else. */
export function told(text: string, as: Reads = reads): string {
  return text.replace(SPAN, (all, first, between, second, blank, unit) => {
    if (unit === 'ft' ? as.distance === 'ft' : as.temperature === 'F') return all
    if (Boolean(between) !== Boolean(second)) return all
    const word = unit === 'ft' ? 'm' : blank === '\u00a0' ? '°C' : 'K'
    const more = second ? between + turned(second, blank, unit) : ''
    return turned(first, blank, unit) + more + blank + word
  })
}
