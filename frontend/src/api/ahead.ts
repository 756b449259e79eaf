import { Validator } from '@cfworker/json-schema'
import { t } from '@lingui/core/macro'
import type { Call, Schemas } from './client'

/**
 * What travelled with a call, looked up: nothing here knows a rule of the job. Limits are bands, gates a table
 * of states, a sure proof a set of JSON Schemas; the core made them, and the server judges on arrival.
 */
type Ahead = NonNullable<Call['ahead']>
export type Side = Ahead['graver'][number]
type Limit = Ahead['limits'][number]
type Step = string
type Json = string | number | boolean | null | undefined
export type Entry = { quantity: string; value: Json } & Record<string, Json>

/** An entry that waits, as far as its call is concerned. */
export type Made = {
  seq: number
  kind: string
  said: unknown
  made_ms: number
  by: string
}

const BESIDES = (entry: Entry) =>
  Object.keys(entry).filter(
    (k) => k !== 'quantity' && k !== 'value' && entry[k] !== null && entry[k] !== undefined,
  )

type Found = { side: Side; rule: string; next_step?: string | null; code: string }

/** Where a value lies: its side, with what it would be judged by. */
export function lookUp(ahead: Ahead, entry: Entry, since: string[] = []): Found {
  const limit = ahead.limits.find(
    (l) =>
      l.quantity === entry.quantity &&
      Object.entries(l.when ?? {}).every(([field, values]) =>
        values.includes((entry[field] ?? null) as never),
      ),
  )
  const open: Found = { side: 'depends', rule: '', code: '' }
  if (!limit || limit.beside?.some((q) => since.includes(q))) return open
  const far = typeof entry.volts === 'number' && entry.volts > (limit.stop_above_v ?? Infinity)
  if (far) return { side: 'stop', rule: '', code: 'OVERVOLTAGE' }
  if (BESIDES(entry).some((field) => limit.heeded.includes(field))) return open
  const found = inBands(limit, entry) ?? open
  if (limit.volts_as && typeof entry.volts === 'number') {
    const volts = lookUp(ahead, { quantity: limit.volts_as, value: entry.volts }, since)
    return ahead.graver.indexOf(volts.side) > ahead.graver.indexOf(found.side) ? volts : found
  }
  return found
}

function inBands(limit: Limit, entry: Entry): Found | undefined {
  const { value } = entry
  if (typeof value === 'boolean' || typeof value === 'string')
    return limit.said?.find((s) => s.value === value)
  if (typeof value !== 'number') return undefined
  if (limit.at_v && typeof entry.volts !== 'number') return undefined
  const scaled = limit.at_v ? (value * limit.at_v) / (entry.volts as number) : value
  // In proportion to the volts a value may lie beyond what a meter shows: there the last band goes on.
  return limit.bands?.find((b) => scaled < b.high || (b.high_in && scaled === b.high)) ?? limit.bands?.at(-1)
}

/** What a test is at least by its fields, each alone; judged by all of them together once it arrives. */
export function lookUpTest(ahead: Ahead, topic: string, entry: Record<string, unknown>): Found {
  let worst: Found = { side: 'depends', rule: '', code: '' }
  // A call that was taken along by an earlier program has none.
  for (const limit of ahead.tests ?? []) {
    const value = entry[limit.field]
    if (limit.topic !== topic || value === null || value === undefined) continue
    if (limit.heeded.some((f) => entry[f] !== null && entry[f] !== undefined)) continue
    const found =
      typeof value === 'number'
        ? limit.bands?.find((b) => value < b.high || (b.high_in && value === b.high))
        : limit.said?.find((s) => s.value === value)
    if (found && graver(ahead, found.side, worst.side)) worst = found
  }
  return worst
}

const graver = ({ at_least: order = [] }: Ahead, side: Side, than: Side) =>
  order.indexOf(side) > order.indexOf(than)

/** Whether a test may stop the work: by a field that says so alone, or whose reading another field changes. */
export function testMayStop(ahead: Ahead, topic: string, entry: Record<string, unknown>): boolean {
  // A call kept by an earlier program does not say how sides compare: then anything may stop it.
  if (!ahead.at_least || ahead.stopping_tests.includes(topic)) return true
  const said = (field: string) => entry[field] !== null && entry[field] !== undefined
  return (ahead.tests ?? []).some(
    (limit) =>
      limit.topic === topic &&
      said(limit.field) &&
      [...(limit.bands ?? []), ...(limit.said ?? [])].some(({ side }) => side === 'stop') &&
      (limit.heeded.some(said) ||
        lookUpTest(ahead, topic, { [limit.field]: entry[limit.field] }).side === 'stop'),
  )
}

/** What is shown of a test that waits. */
function testShown(ahead: Ahead, topic: string, entry: Record<string, unknown>) {
  const found = lookUpTest(ahead, topic, entry)
  const { verdict, says } = SIDES[found.side]
  const known = found.side !== 'depends'
  return {
    verdict,
    stop: found.side === 'stop',
    findings: [
      {
        code: found.code || 'WAITS',
        verdict,
        text: known
          ? t`By the limits saved on this phone ${says}, whatever the rest of the test shows. Entered offline; the server will check it.`
          : t`Entered offline. The server will check it.`,
        rule: found.rule || ahead.rule,
        inputs: {},
        arithmetic: null,
        next_step: found.next_step ?? null,
        stops: found.side === 'stop',
      },
    ],
  }
}

const undone = (parts: Ahead['surely_dead'], said: unknown) =>
  parts
    .filter((part) => !new Validator(part.fits as object, '2020-12').validate(said).valid)
    .map((part) => part.next_step)

/** Which steps of a make-safe record are not surely done; none left is a sure proof. */
export const lacking = (ahead: Ahead, record: unknown) => undone(ahead.surely_dead, record)

/** What is not ticked of going live. */
export const notReady = (ahead: Ahead, event: unknown) => undone(ahead.going_live, event)

type Reading = Entry & { supersedes_id?: number | null; note?: string | null }
const MINUTE_MS = 60_000

/** The readings an entry brings, by its kind and what it says. */
export function readingsIn({ kind, said }: { kind: string; said: unknown }): Reading[] {
  if (kind === 'readings') return [said as Reading]
  return kind === 'reading-sets' ? (said as { readings: Reading[] }).readings : []
}

/** The number that stands in for a reading until the server gave it one. */
export const standIn = (made: { seq: number }, i: number) => -(made.seq * 100 + i + 1)

function stepsOf(ahead: Ahead, made: Made, since: string[]): Step[] {
  if (made.kind === 'make-safe') {
    const { record } = made.said as { record: unknown }
    return [lacking(ahead, record).length === 0 ? 'made_safe' : 'made_safe_unsure']
  }
  if (made.kind === 'safety-events') return [(made.said as { kind: Step }).kind]
  if (made.kind === 'tests') {
    const { topic, entry } = made.said as { topic: string; entry: Record<string, unknown> }
    return testMayStop(ahead, topic, entry) ? ['may_stop'] : []
  }
  const may = readingsIn(made).some((entry) => {
    if (!(ahead.stopping as string[]).includes(entry.quantity)) return false
    const { side } = lookUp(ahead, entry, since)
    return side === 'stop' || side === 'depends'
  })
  return may ? ['may_stop'] : []
}

/** Where the table of states stands after what was made here. */
export function stateAfter(ahead: Ahead, made: Made[], now_ms = Date.now()) {
  const { states } = ahead.gates
  let at = 0
  let proved_ms: number | null = null
  const since: string[] = []
  const go = (step: Step) => {
    at = states[at]?.on[step] ?? at
  }
  const age = (moment_ms: number) => {
    if (proved_ms === null) return
    // Too long ago; or the clock was set back since, and how long ago cannot be known.
    const over =
      moment_ms - proved_ms > ahead.lapses_min * MINUTE_MS ||
      moment_ms < proved_ms - (ahead.clock_slack_min ?? 0) * MINUTE_MS
    if (!over) return
    go('too_old')
    proved_ms = null
  }
  let counted = 0
  const counts: string[] = ahead.counted ?? []
  for (const one of made) {
    age(one.made_ms)
    for (const step of stepsOf(ahead, one, since)) {
      go(step)
      if (step === 'made_safe')
        proved_ms = Date.parse((one.said as { volts_taken_at: string }).volts_taken_at) || one.made_ms
      else if (step !== 'caution_read' && step !== 'control_live' && step !== 'may_stop') proved_ms = null
      if (step === 'made_safe' || step === 'made_safe_unsure' || counts.includes(step)) counted += 1
    }
    since.push(...readingsIn(one).map((r) => r.quantity))
  }
  age(now_ms)
  return { state: states[at], counted, proved_ms }
}

type GateName = Extract<keyof Call['allowed'], string>

export function gateOf(ahead: Ahead, made: Made[], name: string, now_ms = Date.now()) {
  const { state } = stateAfter(ahead, made, now_ms)
  const i = (ahead.gates.names as string[]).indexOf(name)
  return i < 0 || !state
    ? ahead.gates.otherwise
    : (ahead.gates.gates[Number(state.gates[i])] as Schemas['Gate'])
}

const SIDES: Record<Side, { verdict: Schemas['Finding']['verdict']; word: string; says: string }> = {
  pass: { verdict: 'pass', word: t`passes by its limit`, says: t`it passes` },
  watch: { verdict: 'watch', word: t`to watch by its limit`, says: t`it is to be watched` },
  fail: { verdict: 'fail', word: t`fails by its limit`, says: t`it fails` },
  stop: { verdict: 'fail', word: t`stops the work`, says: t`it stops the work` },
  unknown: { verdict: 'unknown', word: t`cannot be judged here`, says: t`it cannot be judged` },
  note: { verdict: 'note', word: t`noted`, says: t`it is noted` },
  depends: { verdict: 'unknown', word: t`waits`, says: t`nothing is known about it` },
}

/** What is shown of a reading that waits: the side it is on, until the server's verdict takes its place. */
export function sideShown(ahead: Ahead, entry: Entry, since: string[]) {
  const found = lookUp(ahead, entry, since)
  const { verdict, word, says } = SIDES[found.side]
  return {
    code: found.code || 'WAITS',
    verdict,
    summary: t`${word}; server will check`,
    findings: [
      {
        code: found.code || 'WAITS',
        verdict,
        text: t`By the limit saved on this phone ${says}. Entered offline; the server will check it.`,
        rule: found.rule || ahead.rule,
        inputs: {},
        arithmetic: null,
        next_step: found.next_step ?? null,
        stops: found.side === 'stop',
      },
    ],
  }
}

/** A call as it is now on this device: as it was taken along, with what was entered here since upon it. */
export function withMade(call: Call, made: Made[], now_ms = Date.now()): Call {
  const { ahead } = call
  if (!ahead || call.status !== 'open') return call
  const { state, counted, proved_ms } = stateAfter(ahead, made, now_ms)
  if (!state) return call
  const iso = (ms: number) => new Date(ms).toISOString()
  const allowed = Object.fromEntries(
    Object.keys(call.allowed).map((name) => [name, gateOf(ahead, made, name, now_ms)]),
  ) as Record<GateName, Schemas['Gate']>
  const shown = structuredClone(call)
  const quantities = (but: number) =>
    made.filter((m) => m.seq !== but).flatMap((m) => readingsIn(m).map((r) => r.quantity))
  for (const one of made) lay(shown, one, ahead, quantities(one.seq), iso(one.made_ms))
  const holds = proved_ms === null ? null : iso(proved_ms)
  shown.state = {
    ...call.state,
    state: state.state,
    words: state.words,
    why: state.why,
    caution_read: state.caution_read,
    version: (call.state.version ?? 0) + counted,
    dead_since: holds,
    lapses_at: proved_ms === null ? null : iso(proved_ms + ahead.lapses_min * MINUTE_MS),
  }
  shown.allowed = allowed
  const live = allowed.take_live
  if (made.length > 0 && live?.stop && call.ladder.stops.length === 0)
    shown.ladder.stops = [
      {
        code: live.stop,
        text: live.stop_text ?? '',
        next_step: live.next_step ?? '',
        scope: allowed.take_dead?.ok || allowed.take_dead?.with_reason ? 'live' : 'all',
        key: 'entered-here',
        source: t`Entered here without signal`,
        since: null,
        may_lift: false,
        lifted_by: t`The server, once it has checked the entries here`,
        finding: null,
      },
    ]
  return shown
}

function lay(shown: Call, one: Made, ahead: Ahead, since: string[], moment: string) {
  readingsIn(one).forEach((entry, i) => {
    const id = standIn(one, i)
    const old = shown.readings.find((r) => r.id === entry.supersedes_id)
    if (old) old.superseded_by_id = id
    shown.readings.push({
      id,
      entry: entry as unknown as Schemas['NewReading'],
      unit: shown.readings.find((r) => r.entry.quantity === entry.quantity)?.unit ?? '',
      call_state: shown.state.state,
      taken_at: moment,
      recorded_at: moment,
      person: one.by,
      superseded_by_id: null,
      trouble: null,
    } as Schemas['ReadingOut'])
    const beside = [...since, ...readingsIn(one).flatMap((r, k) => (k === i ? [] : [r.quantity]))]
    shown.ladder.readings.push({
      reading_id: id,
      old_part: null,
      ...sideShown(ahead, entry, beside),
    } as Schemas['JudgedReading'])
  })
  if (one.kind === 'safety-events' || one.kind === 'make-safe') {
    const event = one.said as { kind?: string; detail?: string }
    shown.events.push({
      id: standIn(one, 0),
      kind: (event.kind ?? 'made_safe') as Schemas['EventOut']['kind'],
      detail: event.detail ?? t`entered without signal`,
      happened_at: moment,
      person: one.by,
    })
  }
  if (one.kind === 'make-safe') {
    const { record } = one.said as { record: Schemas['MakeSafe'] }
    const missing = lacking(ahead, record)
    shown.make_safe = record
    shown.ladder.make_safe = {
      status: 'incomplete',
      verdict: 'unknown',
      missing,
      findings: (missing.length > 0 ? missing : [null]).map((step) => ({
        code: 'WAITS',
        verdict: 'unknown' as const,
        text: step ? t`May not be done.` : t`All steps entered. The server will check it.`,
        rule: t`make-safe record`,
        inputs: {},
        arithmetic: null,
        next_step: step,
        stops: false,
      })),
    }
  }
  if (one.kind === 'changes') {
    const change = one.said as { what: string; part: string | null; made_at?: string | null }
    shown.changes.push({
      id: standIn(one, 0),
      what: change.what,
      part: change.part ?? null,
      made_at: change.made_at ?? moment,
      person: one.by,
      place: 0,
    } as unknown as Call['changes'][number])
  }
  if (one.kind === 'tests') {
    const test = one.said as { topic: string; entry: Record<string, unknown> }
    shown.tests.push({
      id: standIn(one, 0),
      topic: test.topic,
      label: test.topic.replaceAll('-', ' '),
      work: 'any',
      entry: test.entry,
      taken_at: moment,
      person: one.by,
      old_part: null,
      judged: testShown(ahead, test.topic, test.entry),
    } as unknown as Schemas['TestOut'])
  }
}
