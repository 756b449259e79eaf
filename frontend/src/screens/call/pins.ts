import type { Call } from '../../api/client'

/** The pins as found by ohms on this unit; the usual order where no one looked. */
export function pinsOf(call: Call): string[] | undefined {
  const found = call.readings.filter((r) => r.entry.quantity === 'pins_found' && r.superseded_by_id === null)
  const words = found.at(-1)?.entry.value
  return typeof words === 'string' ? words.split(' ') : undefined
}
