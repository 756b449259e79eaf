/** How anyone who is signed in reads: °F or °C, feet or meters, dates and hours. */
export type Reads = {
  temperature: 'F' | 'C'
  distance: 'ft' | 'm'
  region: 'en-US' | 'en-CA' | 'en-GB' | 'en-IE' | 'en-AU' | 'en-NZ'
  hours: 12 | 24
  language: 'en' | 'es'
}

export const AS_WRITTEN: Reads = {
  temperature: 'F',
  distance: 'ft',
  region: 'en-US',
  hours: 12,
  language: 'en',
}
const KEPT = 'orange-crank.reads'

function kept(): Reads {
  try {
    return { ...AS_WRITTEN, ...JSON.parse(localStorage.getItem(KEPT) ?? '{}') }
  } catch {
    return AS_WRITTEN
  }
}

/** How figures are read on this page, from its opening to its end: nothing typed in one unit is taken in another. */
export const reads: Reads = kept()

/** Whose dates and hours are written: the reader's language as their country writes it. */
export const locale = () => `${reads.language}${reads.region.slice(2)}`

/** Whether figures and sentences are told otherwise than the core writes them. */
export const otherwise = () => reads.temperature === 'C' || reads.distance === 'm'

/** Which units are typed on this page, as the drafts of it are named; nothing where they are the core's own. */
export const typedIn = () => (otherwise() ? `${reads.temperature}${reads.distance}.` : '')

let opening = false

/** A sheet that closes goes a step back, and would call the opening off: it is left to finish, and asked again. */
function openAnew(after_ms: number) {
  window.setTimeout(() => {
    openAnew(3_000)
    location.reload()
  }, after_ms)
}

/** Read otherwise from now on: the page opens again, with what was typed in each unit kept apart. */
export function readAs(next: Reads) {
  if (opening || (Object.keys(AS_WRITTEN) as (keyof Reads)[]).every((k) => next[k] === reads[k])) return
  try {
    localStorage.setItem(KEPT, JSON.stringify(next))
  } catch {
    // A device that keeps nothing reads as the core writes.
    return
  }
  opening = true
  openAnew(200)
}
