import { t } from '@lingui/core/macro'
import { useEffect, useMemo, useRef, useState } from 'react'
import { useLocation } from 'react-router'
import {
  answer,
  type Call,
  client,
  fieldProblem,
  type NewReading,
  problemOf,
  type Schemas,
} from '../../api/client'
import { useAddReading, useReference, useSafetyEvent } from '../../api/queries'
import { type ClampPlace, ClampPlaces } from '../../drawings/clamps'
import { ContactorFace } from '../../drawings/probes'
import { MeterBar } from '../../meter/meter-bar'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { useDraft } from '../../parts/draft'
import { FigureField, TextField, Tick } from '../../parts/field'
import { Form } from '../../parts/figures'
import { GateNote } from '../../parts/gate'
import { ProblemNote } from '../../parts/problem'
import { useReadOnly } from '../../parts/read-only'
import { VerdictMark, Why } from '../../parts/verdict'
import { parseFigure } from '../../quantities/figure'
import { clock, figure } from '../../quantities/format'
import { measure, shownIn, typed, unitWord } from '../../quantities/measures'
import { CallTests, ThreeLegs } from './call-tests'
import { KeptFigure, OPEN } from './entry/fields'
import { useKept } from './entry/kept'
import { StartEntry } from './entry/start-entry'
import { StartByEar } from './start-by-ear'
import { Waveforms } from './waveforms'

/** Where the clamp or the probes go for a reading. */
function readingDrawing(quantity: string, conductor: string) {
  if (quantity === 'inrush_a') return <ClampPlaces place={conductor as ClampPlace} />
  const places: Record<string, ClampPlace> = {
    running_a: 'common',
    fan_a: 'fan',
    run_a: 'run',
    start_a: 'start',
  }
  const place = places[quantity]
  if (place) return <ClampPlaces place={place} />
  const probes: Record<string, string[]> = {
    contactor_drop_v: ['L1', 'T1'],
    coil_v: ['COIL'],
    line_v_idle: ['L1', 'L2'],
    line_v_run: ['T1', 'T2'],
  }
  const pair = probes[quantity]
  return pair ? <ContactorFace pair={pair} /> : null
}

/** A value as it is said: a figure, yes or no, or its word. */
export function valueWord(value: NewReading['value'] | undefined, unit = ''): string {
  if (typeof value === 'number') return figure(shownIn(value, unit))
  if (typeof value === 'boolean') return value ? 'yes' : 'no'
  return value ?? ''
}

export function LiveTests({ call }: { call: Call }) {
  return (
    <div className="grid max-w-4xl gap-5">
      <LiveGate call={call} />
      <MeterBar call={call} />
      <ThreeLegs call={call} />
      <div data-run className="grid gap-5">
        <StartEntry call={call} />
        <LiveRun call={call} />
      </div>
      <Readings call={call} />
      <StartByEar call={call} />
      <CallTests call={call} work="live" />
      <Waveforms call={call} />
    </div>
  )
}

/** Caution first, then going live as a step of its own. */
function LiveGate({ call }: { call: Call }) {
  const reference = useReference()
  const event = useSafetyEvent(call.id)
  const [covers, setCovers] = useState(false)
  const [people, setPeople] = useState(false)
  const [meter, setMeter] = useState(false)
  const [leads, setLeads] = useState(false)
  const state = call.state
  const closed = useReadOnly()
  if (closed || call.allowed.take_live?.ok) return null
  if (!state.caution_read)
    return (
      <section className="border-2 border-ink bg-field">
        <div className="hatched h-3" aria-hidden="true" />
        <div className="p-3">
          <h3 className="text-lg font-bold">{t`LIVE: read this once on this call`}</h3>
          <ul className="list-disc py-2 pl-5">
            {reference.data?.live_cautions.map((c) => (
              <li key={c}>{c}</li>
            ))}
          </ul>
          <ProblemNote problem={problemOf(event.error)} />
          <Button
            kind="primary"
            busy={event.isPending}
            onClick={() => event.mutate({ kind: 'caution_read' } as Schemas['NewSafetyEvent'])}
          >{t`Read. I am qualified for live work`}</Button>
        </div>
      </section>
    )
  // Under a stop there is nothing to tick: what lifts it stands above.
  if (call.ladder.stops.length > 0) return <GateNote gate={call.allowed.go_live} />
  return (
    <section className="border-2 border-ink bg-field">
      <div className="hatched h-3" aria-hidden="true" />
      <div className="p-3">
        {call.allowed.control_live?.ok && (
          <div className="mb-3 border-b border-faint pb-3">
            <h3 className="text-lg font-bold">{t`24 V only`}</h3>
            <p className="text-soft">{t`Keep the disconnect locked. Turn on only the thermostat call, to measure the coil.`}</p>
            <Button
              busy={event.isPending}
              onClick={() => event.mutate({ kind: 'control_live' } as Schemas['NewSafetyEvent'])}
            >{t`Record: 24 V on, line dead`}</Button>
          </div>
        )}
        <h3 className="text-lg font-bold">{t`Going live`}</h3>
        <p className="text-soft">{t`The unit is ${state.words}. Before you energize:`}</p>
        <Tick checked={covers} onChange={setCovers}>{t`Covers on`}</Tick>
        <Tick checked={people} onChange={setPeople}>{t`People clear`}</Tick>
        <Tick checked={meter} onChange={setMeter}>{t`Meter set`}</Tick>
        <Tick
          checked={leads}
          onChange={setLeads}
        >{t`All leads back on their terminals (or none removed)`}</Tick>
        <GateNote gate={call.allowed.go_live} />
        <ProblemNote problem={problemOf(event.error)} />
        <Button
          kind="primary"
          busy={event.isPending}
          disabled={!call.allowed.go_live?.ok}
          onClick={() =>
            event.mutate({
              kind: 'went_live',
              covers_on: covers,
              people_clear: people,
              meter_set: meter,
              leads_back: leads,
            })
          }
        >{t`Record going live`}</Button>
      </div>
    </section>
  )
}

type Draft = Record<
  | 'quantity'
  | 'value'
  | 'mode'
  | 'conductor'
  | 'volts'
  | 'outdoor_f'
  | 'rest_min'
  | 'seconds'
  | 'later_a'
  | 'learning_starts'
  | 'outcome'
  | 'aid'
  | 'note',
  string
>

const FIGURES = ['value', 'volts', 'outdoor_f', 'rest_min', 'seconds', 'later_a', 'learning_starts'] as const

const UNITS: Record<string, string> = {
  volts: 'V',
  outdoor_f: '°F',
  rest_min: 'min',
  seconds: 's',
  later_a: 'A',
  learning_starts: 'starts',
}

/** What is measured beside a start, each kept as its field is left. */
function LiveRun({ call }: { call: Call }) {
  const kept = useKept(call)
  const [pole, setPole] = useState('')
  const [focus, setFocus] = useState('')
  const gates = call.allowed
  const why = (gate: Schemas['Gate'] | undefined) =>
    gate?.ok ? null : [gate?.why ?? t`Not now.`, gate?.next_step].filter(Boolean).join(' ')
  const live = why(gates.take_live)
  const drawing = readingDrawing(focus, 'common')
  return (
    <Form label={t`Other readings`} onSubmit={() => undefined} className="grid gap-3">
      <h3 className="border-b-2 border-ink text-lg font-bold">{t`Other readings`}</h3>
      <ProblemNote problem={kept.problem} />
      <div className="grid gap-3 sm:grid-cols-[14rem_1fr]">
        <div className="hidden sm:block">{drawing}</div>
        <div className="grid grid-cols-2 @max-[17rem]:grid-cols-1 content-start gap-3">
          <KeptFigure
            call={call}
            kept={kept}
            quantity="coil_v"
            onFocus={() => setFocus('coil_v')}
            blocked={why(gates.take_control)}
          />
          <KeptFigure
            call={call}
            kept={kept}
            quantity="fan_a"
            onFocus={() => setFocus('fan_a')}
            blocked={live}
          />
          <div className="col-span-full">
            <Choice
              label={t`Drop across a closed pole: which?`}
              value={pole}
              onChange={setPole}
              options={call.poles.map((p) => ({ value: p, label: p }))}
            />
          </div>
          <KeptFigure
            key={pole}
            call={call}
            kept={kept}
            quantity="contactor_drop_v"
            {...(pole ? { spot: pole, label: t`Drop, ${pole}` } : {})}
            onFocus={() => setFocus('contactor_drop_v')}
            blocked={live}
          />
          <KeptFigure
            call={call}
            kept={kept}
            quantity="line_v_run"
            onFocus={() => setFocus('line_v_run')}
            blocked={live}
          />
          <KeptFigure
            call={call}
            kept={kept}
            quantity="outdoor_f"
            onFocus={() => setFocus('')}
            blocked={why(gates.record)}
          />
          <KeptFigure
            call={call}
            kept={kept}
            quantity="cycles_count"
            onFocus={() => setFocus('')}
            blocked={why(gates.record)}
          />
        </div>
      </div>
    </Form>
  )
}

function ReadingForm({
  call,
  correcting,
  onDone,
}: {
  call: Call
  correcting: Schemas['ReadingOut']
  onDone: () => void
}) {
  const reference = useReference()
  const add = useAddReading(call.id)
  const start = useMemo<Draft>(() => {
    const old = correcting.entry
    const said = (value: number | null | undefined, unit = '') => typed(value, unit)
    return {
      quantity: old.quantity,
      value: typeof old.value === 'number' ? typed(old.value, correcting.unit) : valueWord(old.value),
      mode: old.mode ?? 'inrush',
      conductor: old.conductor ?? 'common',
      volts: said(old.volts),
      outdoor_f: said(old.outdoor_f, '°F'),
      rest_min: said(old.rest_min),
      seconds: said(old.seconds),
      later_a: said(old.later_a),
      learning_starts: said(old.learning_starts),
      outcome: old.outcome ?? '',
      aid: old.aid ?? '',
      note: old.note ?? '',
    }
  }, [correcting])
  const [draft, change, clear] = useDraft<Draft>(`reading.${call.id}.${correcting.id}`, start)
  const [question, setQuestion] = useState<Schemas['Question'] | null>(null)
  const [confirmed, setConfirmed] = useState('')
  const [missing, setMissing] = useState('')
  const box = useRef<HTMLDivElement>(null)
  const note = reference.data?.quantities.find((q) => q.quantity === draft.quantity)
  const isStart = draft.quantity === 'inrush_a'
  const withVolts = isStart || draft.quantity === 'running_a'
  const problem = problemOf(add.error)

  useEffect(() => {
    box.current?.querySelector<HTMLInputElement>('input')?.focus()
  }, [])

  const said = (field: string) => (field === 'value' && missing) || fieldProblem(problem, field)
  const isFigure = !note || note.kind === 'figure' || note.kind === 'figure_or_open'

  const ask = async (value: number) => {
    try {
      const told = await answer(
        client.POST('/api/calc/question', {
          body: {
            quantity: draft.quantity as NewReading['quantity'],
            value,
            plate: call.plate?.plate ?? null,
          },
        }),
      )
      return told.question
    } catch {
      return null
    }
  }

  const submit = async () => {
    const read = Object.fromEntries(
      FIGURES.filter((f) => draft[f].trim()).map((f) => [
        f,
        parseFigure(draft[f], UNITS[f] ?? note?.unit ?? ''),
      ]),
    )
    setMissing(draft.value.trim() ? '' : isFigure ? t`Enter the number.` : t`Select one.`)
    if (!draft.value.trim()) return
    const word = draft.value.trim().toLowerCase()
    const value =
      note?.kind === 'flag'
        ? word === 'yes'
        : note?.kind === 'word'
          ? word
          : note?.kind === 'figure_or_open' && OPEN.test(word)
            ? 'open'
            : (read.value as number)
    if (typeof value === 'number' && confirmed !== draft.value) {
      const asked = await ask(value)
      setQuestion(asked)
      if (asked) return
    }
    const only = (fields: string[]) =>
      Object.fromEntries(fields.filter((f) => read[f] !== undefined).map((f) => [f, read[f]]))
    const entry = {
      quantity: draft.quantity,
      value,
      ...only(
        isStart
          ? ['volts', 'outdoor_f', 'rest_min', 'seconds', 'later_a', 'learning_starts']
          : withVolts
            ? ['volts', 'outdoor_f']
            : [],
      ),
      ...(isStart ? { mode: draft.mode, conductor: draft.conductor } : {}),
      ...(isStart && draft.outcome ? { outcome: draft.outcome } : {}),
      ...(isStart && draft.aid ? { aid: draft.aid } : {}),
      ...(draft.note.trim() ? { note: draft.note } : {}),
      ...(correcting.entry.spot ? { spot: correcting.entry.spot } : {}),
      supersedes_id: correcting.id,
    } as NewReading
    add.mutate(entry, {
      onSuccess: () => {
        clear()
        onDone()
      },
    })
  }

  const field = (name: (typeof FIGURES)[number]) => ({
    name,
    value: draft[name],
    onChange: (text: string) => {
      change({ [name]: text } as Partial<Draft>)
      if (name === 'value') setQuestion(null)
    },
    problem: said(name),
  })

  return (
    <div ref={box}>
      <Form onSubmit={submit} label={t`Correction`} className="grid gap-4">
        <h3 className="border-b-2 border-ink font-bold">
          {t`Correct:`} {note?.label}
        </h3>
        <p className="text-soft">
          {t`The old value, ${`${valueWord(correcting.entry.value, correcting.unit)} ${unitWord(correcting.unit)}`.trim()}, stays on the record.`}
          {correcting.entry.without_make_safe &&
            t` It was taken without a make-safe record, because: ${correcting.entry.without_make_safe}`}
        </p>
        <div className="flex flex-wrap items-start gap-3">
          {readingDrawing(draft.quantity, draft.conductor)}
          {note && <p className="min-w-0 flex-1 basis-48 text-soft">{note.how}</p>}
        </div>
        {isStart && (
          <>
            <Choice
              label={t`Meter mode`}
              value={draft.mode}
              onChange={(mode) => change({ mode })}
              options={reference.data?.meter_modes.map((m) => ({ value: m.mode, label: m.label })) ?? []}
              problem={said('mode')}
            />
            <p className="-mt-3 text-sm text-soft">
              {t`Blind to`} {reference.data?.meter_modes.find((m) => m.mode === draft.mode)?.blind_to}.
            </p>
            <Choice
              label={t`Clamp on`}
              value={draft.conductor}
              onChange={(conductor) => change({ conductor })}
              options={reference.data?.conductors ?? []}
              problem={said('conductor')}
            />
          </>
        )}
        <div className="grid grid-cols-2 gap-3 sm:grid-cols-3">
          {!isFigure && (
            <div className="col-span-full sm:col-span-3">
              <Choice
                label={note?.label ?? t`Value`}
                value={draft.value}
                onChange={(value) => change({ value })}
                problem={said('value')}
                options={
                  note?.kind === 'flag'
                    ? [
                        { value: 'no', label: t`No` },
                        { value: 'yes', label: t`Yes` },
                      ]
                    : (note?.words ?? []).map((w) => ({ value: w, label: w }))
                }
              />
            </div>
          )}
          {isFigure && (
            <FigureField
              label={note?.label ?? t`Value`}
              unit={note?.unit ?? ''}
              {...(note?.kind === 'figure_or_open' ? { words: OPEN } : {})}
              {...field('value')}
              question={
                question && (
                  <div className="border-l-4 border-watch bg-field p-2">
                    <p className="text-lg font-bold">{question.text}</p>
                    <div className="flex flex-wrap gap-2 pt-1">
                      {question.maybe !== null && question.maybe !== undefined && (
                        <Button
                          kind="primary"
                          onClick={() => {
                            const meant = typed(question.maybe, note?.unit ?? '')
                            change({ value: meant })
                            setConfirmed(meant)
                            setQuestion(null)
                          }}
                        >{t`Yes, ${figure(shownIn(question.maybe, note?.unit ?? ''))}`}</Button>
                      )}
                      <Button
                        onClick={() => {
                          setConfirmed(draft.value)
                          setQuestion(null)
                        }}
                      >{t`It is ${draft.value}`}</Button>
                    </div>
                  </div>
                )
              }
            />
          )}
          {withVolts && (
            <FigureField
              label={isStart ? t`Volts during the start` : t`Volts, running`}
              unit="V"
              {...field('volts')}
            />
          )}
          {isStart && <FigureField label={t`Amps a second later`} unit="A" {...field('later_a')} />}
          {isStart && <FigureField label={t`Start time`} unit="s" {...field('seconds')} />}
          {isStart && <FigureField label={t`Off time before`} unit="min" {...field('rest_min')} />}
          {withVolts && <FigureField label={t`Outdoor`} unit="°F" {...field('outdoor_f')} />}
          {isStart && draft.aid === 'soft_starter' && (
            <FigureField
              label={t`Starts so far (soft starter)`}
              unit="starts"
              {...field('learning_starts')}
            />
          )}
        </div>
        {isStart && (
          <div className="grid gap-4">
            <Choice
              label={t`Result`}
              value={draft.outcome}
              onChange={(outcome) => change({ outcome })}
              options={reference.data?.outcomes ?? []}
            />
            <Choice
              label={t`Start aid in circuit`}
              value={draft.aid}
              onChange={(aid) => change({ aid })}
              options={reference.data?.aids ?? []}
            />
          </div>
        )}
        <TextField
          label={t`Note`}
          value={draft.note}
          onChange={(text) => change({ note: text })}
          hint={t`What was heard or seen.`}
        />
        <ProblemNote problem={problem} />
        <div className="sticky bottom-[3.4rem] @max-[17rem]:static z-10 -mx-4 lg:bottom-0 flex flex-wrap items-center gap-3 border-t-2 border-ink bg-plane px-4 py-2">
          <Button
            kind="primary"
            type="submit"
            busy={add.isPending}
            className="flex-1 sm:flex-none"
          >{t`Save the correction`}</Button>
          <Button onClick={onDone}>{t`Leave it`}</Button>
        </div>
      </Form>
    </div>
  )
}

/** What was safe on the call as a reading was taken. */
const STATES: Record<string, string> = {
  as_found: t`as found`,
  dead_proved: t`proved dead`,
  control_live: t`control power on`,
  live: t`power on`,
  lapsed: t`dead check expired`,
}

/** The readings of a call, newest first; each can be corrected where it is listed. */
export function Readings({ call, only }: { call: Call; only?: 'dead' }) {
  const reference = useReference()
  const modes = reference.data?.meter_modes
  const wires = reference.data?.conductors
  // A stop leads here, to the reading that raised it.
  const { hash } = useLocation()
  const aimed = /^#reading-(\d+)$/.exec(hash)?.[1]
  const [correcting, setCorrecting] = useState<number | null>(null)
  useEffect(() => {
    if (!aimed) return
    setCorrecting(Number(aimed))
    document.getElementById(`reading-${aimed}`)?.scrollIntoView({ block: 'center' })
  }, [aimed])
  const closed = useReadOnly()
  const judged = new Map(call.ladder.readings.map((j) => [j.reading_id, j]))
  const notes = new Map(reference.data?.quantities.map((q) => [q.quantity, q]))
  const listed = [...call.readings]
    .reverse()
    .filter(
      (r) =>
        only !== 'dead' ||
        r.entry.quantity === 'shell_hot' ||
        ['dead', 'control'].includes(notes.get(r.entry.quantity)?.work ?? ''),
    )
  return (
    <section aria-label={t`Readings on this call`}>
      <h3 className="border-b-2 border-ink font-bold">
        {t`Readings`} <span className="figure text-soft">{listed.length}</span>
      </h3>
      {listed.length === 0 && <p className="py-2 text-soft">{t`None yet.`}</p>}
      {listed.map((r) => {
        const verdict = judged.get(r.id)
        const label = reference.data?.quantities.find((q) => q.quantity === r.entry.quantity)?.label
        const struck = r.superseded_by_id !== null
        return (
          <Why
            key={`${r.id} ${aimed === String(r.id)}`}
            id={`reading-${r.id}`}
            open={aimed === String(r.id)}
            findings={verdict?.findings ?? []}
            summary={
              <span className="flex flex-wrap items-center gap-x-3">
                <span className="figure text-sm text-soft">{clock(r.taken_at)}</span>
                <span className={struck ? 'line-through' : ''}>
                  {label} <b className="figure">{valueWord(r.entry.value, r.unit)}</b> {unitWord(r.unit)}
                </span>
                {struck ? (
                  <span className="text-sm text-soft">{t`corrected`}</span>
                ) : (
                  verdict && <VerdictMark verdict={verdict.verdict} word={verdict.summary} />
                )}
              </span>
            }
          >
            <p className="pt-2 text-sm text-soft">
              {r.person} · {STATES[r.call_state] ?? r.call_state}
              {verdict?.old_part && t` · of the old part: “${verdict.old_part}” came after it`}
              {r.entry.mode &&
                t` · ${modes?.find((m) => m.mode === r.entry.mode)?.label ?? ''} on ${wires?.find((w) => w.value === r.entry.conductor)?.label ?? ''}`}
              {r.entry.volts && ` · ${figure(r.entry.volts)} V`}
              {r.entry.outcome &&
                ` · ${reference.data?.outcomes.find((o) => o.value === r.entry.outcome)?.label ?? ''}`}
              {r.entry.seconds !== null &&
                r.entry.seconds !== undefined &&
                t` in ${figure(r.entry.seconds)} s`}
              {r.entry.rest_min !== null &&
                r.entry.rest_min !== undefined &&
                t` · rested ${figure(r.entry.rest_min)} min`}
              {r.entry.outdoor_f !== null &&
                r.entry.outdoor_f !== undefined &&
                t` · ${measure(r.entry.outdoor_f, '°F')} outdoor`}
            </p>
            {r.entry.without_make_safe && (
              <p>{t`Without a make-safe record, because: “${r.entry.without_make_safe}”`}</p>
            )}
            {r.trouble && <p>{t`Cannot be read by today's rules: ${r.trouble}`}</p>}
            {r.entry.note && <p className="break-words whitespace-pre-wrap">“{r.entry.note}”</p>}
            {!struck &&
              !closed &&
              (correcting === r.id ? (
                <ReadingForm call={call} correcting={r} onDone={() => setCorrecting(null)} />
              ) : (
                <Button
                  className="my-1 text-sm"
                  onClick={() => setCorrecting(r.id)}
                >{t`Correct this reading`}</Button>
              ))}
          </Why>
        )
      })}
    </section>
  )
}
