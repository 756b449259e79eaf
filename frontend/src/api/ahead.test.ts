import { readFileSync } from 'node:fs'
import { expect, test } from 'vitest'
import {
  type Entry,
  gateOf,
  lacking,
  lookUp,
  lookUpTest,
  type Made,
  notReady,
  stateAfter,
  testMayStop,
  withMade,
} from './ahead'
import type { Call } from './client'

/** Written by the core's own test from what the core says: looked up here, it has to come out the same. */
type Case = {
  ahead: NonNullable<Call['ahead']>
  entries: [Entry, string][]
  since: [Entry, string[], string][]
  walks: { steps: string[]; state: string; open: string[] }[]
  records: [unknown, string[]][]
}
const CASES = JSON.parse(readFileSync('../tests/golden/ahead.json', 'utf-8')) as Case[]
const NOW = Date.parse('2026-06-01T12:00:00Z')
const MINUTE = 60_000

/** Whole, with a reason, so that it proves each of the cases' units dead. */
const WHOLE = { ...(CASES[0]?.records[0]?.[0] as object), less_reason: 'another nameplate' }

/** An entry that makes one step of the table. */
function made(step: string, seq: number): Made {
  const at = { seq, made_ms: NOW + seq * MINUTE, by: 'Ines Tarrow' }
  if (step === 'made_safe' || step === 'made_safe_unsure')
    return {
      ...at,
      kind: 'make-safe',
      said: {
        record: step === 'made_safe' ? WHOLE : {},
        volts_taken_at: new Date(at.made_ms).toISOString(),
        state_version: 0,
      },
    }
  if (step === 'may_stop') return { ...at, kind: 'tests', said: { topic: 'isolation', entry: { fan: true } } }
  return { ...at, kind: 'safety-events', said: { kind: step } }
}

test('a value lies on the side the core says', () => {
  for (const { ahead, entries } of CASES)
    for (const [entry, side] of entries) expect([entry, lookUp(ahead, entry).side]).toEqual([entry, side])
})

test('what was entered since leaves open what is judged with it', () => {
  for (const { ahead, since } of CASES)
    for (const [entry, others, side] of since) expect(lookUp(ahead, entry, others).side).toBe(side)
})

test('the gates open and shut as the core says, whatever was entered in what order', () => {
  for (const { ahead, walks } of CASES)
    for (const walk of walks.filter((w) => !w.steps.includes('too_old'))) {
      const entered = walk.steps.map(made)
      const now = NOW + entered.length * MINUTE
      expect(stateAfter(ahead, entered, now).state?.state).toBe(walk.state)
      const open = ahead.gates.names.filter((name) => gateOf(ahead, entered, name, now).ok)
      expect([walk.steps, open.sort()]).toEqual([walk.steps, walk.open])
    }
})

test('a record lacks what the core says it lacks', () => {
  const [first] = CASES
  for (const [record, missing] of first?.records ?? [])
    expect(lacking((first as Case).ahead, record)).toEqual(missing)
})

test('a proof made here holds as long as the shop says, and not over a clock set back', () => {
  const { ahead } = CASES[0] as Case
  const safe = [made('made_safe', 0)]
  expect(gateOf(ahead, safe, 'take_dead', NOW + (ahead.lapses_min - 1) * MINUTE).ok).toBe(true)
  expect(gateOf(ahead, safe, 'take_dead', NOW + (ahead.lapses_min + 1) * MINUTE).ok).toBe(false)
  expect(gateOf(ahead, safe, 'take_dead', NOW - 5 * MINUTE).ok).toBe(false)
})

const CALL = {
  id: 4,
  status: 'open',
  state: { state: 'as_found', words: 'LIVE', why: '', caution_read: false, version: 3 },
  allowed: {
    take_dead: { ok: false },
    take_live: { ok: true },
    close: { ok: true },
    make_safe: { ok: true },
  },
  readings: [],
  events: [],
  changes: [],
  tests: [],
  make_safe: null,
  ladder: { readings: [], stops: [], rungs: [], make_safe: null },
} as unknown as Call

const call = (): Call => ({ ...CALL, ahead: (CASES[0] as Case).ahead })
const reading = (seq: number, entry: object): Made => ({
  seq,
  kind: 'reading-sets',
  said: { readings: [entry] },
  made_ms: NOW + seq * MINUTE,
  by: 'Ines Tarrow',
})

test('what waits stands on the call with the side it is on, and is corrected rather than said twice', () => {
  const shown = withMade(
    call(),
    [
      reading(1, { quantity: 'outdoor_f', value: 95 }),
      reading(2, { quantity: 'running_a', value: 20 }),
      reading(3, { quantity: 'running_a', value: 16, supersedes_id: -201 }),
    ],
    NOW + 4 * MINUTE,
  )
  expect(shown.readings.map((r) => [r.id, r.superseded_by_id])).toEqual([
    [-101, null],
    [-201, -301],
    [-301, null],
  ])
  const sides = Object.fromEntries(shown.ladder.readings.map((j) => [j.reading_id, j.verdict]))
  expect(sides[-201]).toBe('fail')
  expect(sides[-301]).toBe('pass')
  expect(shown.ladder.readings.every((j) => /server will check/.test(j.summary))).toBe(true)
  expect(shown.state.version).toBe(3)
})

test('shorted to ground stops the work here, and what only the server decides is shut', () => {
  const shown = withMade(
    call(),
    [made('caution_read', 0), reading(1, { quantity: 'to_ground', value: true })],
    NOW,
  )
  expect(shown.allowed.take_live?.ok).toBe(false)
  expect(shown.ladder.stops).toHaveLength(1)
  expect(shown.allowed.close?.ok).toBe(false)
  expect(shown.allowed.close?.next_step).toBeTruthy()
})

test('each step that changes what is safe counts, so that the next record is taken on the right state', () => {
  const steps = ['caution_read', 'went_live', 'lapsed', 'made_safe'].map(made)
  expect(withMade(call(), steps, NOW + 5 * MINUTE).state.version).toBe(6)
})

test('going live lacks each tick that is not there', () => {
  const { ahead } = CASES[0] as Case
  const ready = { kind: 'went_live', covers_on: true, people_clear: true, meter_set: true, leads_back: true }
  expect(notReady(ahead, ready)).toEqual([])
  expect(notReady(ahead, { ...ready, people_clear: false })).toHaveLength(1)
  expect(notReady(ahead, { kind: 'went_live' })).toHaveLength(4)
})

test('a closed call takes nothing', () => {
  const closed = { ...call(), status: 'closed', ahead: null } as unknown as Call
  expect(withMade(closed, [made('caution_read', 0)], NOW)).toEqual(closed)
})

const OF_TESTS = JSON.parse(readFileSync('../tests/golden/ahead_of_tests.json', 'utf-8')) as {
  limits: Case['ahead']['tests']
  cases: { topic: string; entry: Record<string, unknown>; side: string; shuts: boolean }[]
}

test('a test is at least what the core says its fields tell alone', () => {
  const { at_least } = (CASES[0] as Case).ahead
  const ahead = { tests: OF_TESTS.limits, stopping_tests: ['legs'], at_least } as unknown as Case['ahead']
  for (const { topic, entry, side, shuts } of OF_TESTS.cases) {
    expect([topic, entry, lookUpTest(ahead, topic, entry).side]).toEqual([topic, entry, side])
    expect([topic, entry, testMayStop(ahead, topic, entry)]).toEqual([topic, entry, shuts])
  }
  expect(testMayStop(ahead, 'legs', {})).toBe(true)
})

test('a test that waits shows what it is at least, and a piece that is shorted stops', () => {
  const test = (seq: number, topic: string, entry: object): Made => ({
    seq,
    kind: 'tests',
    said: { topic, entry },
    made_ms: NOW + seq * MINUTE,
    by: 'Ines Tarrow',
  })
  const shown = withMade(
    call(),
    [
      test(1, 'isolation', { fan: true, compressor: false }),
      test(2, 'refrigerant', { superheat_f: 2, line_set_ft: 20 }),
      test(3, 'legs', { idle_a: 120 }),
    ],
    NOW + 4 * MINUTE,
  )
  expect(shown.tests.map((t) => [t.judged.verdict, t.judged.stop])).toEqual([
    ['fail', true],
    ['watch', false],
    ['unknown', false],
  ])
  expect(shown.tests.every((t) => /server will check/.test(t.judged.findings[0]?.text ?? ''))).toBe(true)
  expect(shown.tests[0]?.judged.findings[0]?.next_step).toMatch(/Replace/)
  expect(shown.tests[1]?.judged.findings[0]?.text).toBe(
    'By the limits saved on this phone it is to be watched, whatever the rest of the test shows. Entered offline; the server will check it.',
  )
})

test('a value of which nothing is known shuts live work until the server has judged it', () => {
  const { ahead } = CASES[0] as Case
  const reading = (value: unknown, more: object = {}): Made => ({
    seq: 2,
    kind: 'readings',
    said: { quantity: 'to_ground', value, ...more },
    made_ms: NOW,
    by: 'Ines Tarrow',
  })
  const open = (more: Made[]) => gateOf(ahead, [made('caution_read', 1), ...more], 'take_live', NOW).ok
  expect(open([])).toBe(true)
  expect(open([reading(false)])).toBe(true)
  expect(open([reading(true)])).toBe(false)
  // A word that travelled with no side depends, and what depends shuts.
  expect(lookUp(ahead, { quantity: 'to_ground', value: 'open' }).side).toBe('depends')
  expect(open([reading('open')])).toBe(false)
})

test('a call kept by an earlier program takes no test for harmless', () => {
  const { at_least: _, ...earlier } = (CASES[0] as Case).ahead
  expect(testMayStop(earlier as Case['ahead'], 'refrigerant', { superheat_f: 10 })).toBe(true)
})
