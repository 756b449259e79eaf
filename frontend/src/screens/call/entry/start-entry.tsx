import { t } from '@lingui/core/macro'
import { type ReactNode, useRef, useState } from 'react'
import type { Call, NewReading } from '../../../api/client'
import { useReference } from '../../../api/queries'
import { type ClampPlace, ClampPlaces } from '../../../drawings/clamps'
import { ContactorFace } from '../../../drawings/probes'
import { TakeLive } from '../../../meter/take-live'
import { Button } from '../../../parts/button'
import { Choice } from '../../../parts/choice'
import { draftPlace, dropDraft, keepDraft, storedDraft } from '../../../parts/draft'
import { FigureField, TextField } from '../../../parts/field'
import { Form, useFigures } from '../../../parts/figures'
import { GateNote } from '../../../parts/gate'
import { ProblemNote } from '../../../parts/problem'
import { parseFigure } from '../../../quantities/figure'
import { figure } from '../../../quantities/format'
import { typed, unitWord } from '../../../quantities/measures'
import { expectedWords, JudgedLine, onRecord, recordWord, Surprise, surprising } from './fields'
import { type Entry, useKept } from './kept'

const FIELDS = {
  idle: 'V',
  inrush: 'A',
  volts: 'V',
  seconds: 's',
  running: 'A',
  runningVolts: 'V',
  later: 'A',
  rest: 'min',
  outdoor: '°F',
  learning: '',
} as const
type Name = keyof typeof FIELDS
type Draft = Record<Name | 'mode' | 'conductor' | 'outcome' | 'aid' | 'note', string>

const OF_A_START = ['line_v_idle', 'inrush_a', 'start_time_s', 'running_a']
/** After this long a changed inrush may be another start: it is asked [ms]. */
const ANOTHER_MS = 120_000

/** What is not yet measured is empty; meter, clamp and aid stay as they were for the last start of this call. */
function fresh(call: Call): Draft {
  const last = call.readings.filter((r) => r.entry.quantity === 'inrush_a').at(-1)?.entry
  const outdoor = call.readings.filter((r) => typeof r.entry.outdoor_f === 'number').at(-1)?.entry.outdoor_f
  return {
    idle: '',
    inrush: '',
    volts: '',
    seconds: '',
    running: '',
    runningVolts: '',
    later: '',
    rest: '',
    outdoor: typed(outdoor, '°F'),
    learning: '',
    mode: last?.mode ?? 'inrush',
    conductor: last?.conductor ?? 'common',
    outcome: '',
    aid: last?.aid ?? '',
    note: '',
  }
}

function read(draft: Draft): Record<Name, number | null> {
  return Object.fromEntries(
    Object.entries(FIELDS).map(([name, unit]) => [name, parseFigure(draft[name as Name], unit)]),
  ) as Record<Name, number | null>
}

/** The readings a start is made of, as far as it was measured. */
function entriesOf(draft: Draft): Entry[] {
  const told = read(draft)
  const said = (name: Name, as: keyof NewReading) => (told[name] === null ? {} : { [as]: told[name] })
  const outcome = draft.outcome ? { outcome: draft.outcome as NonNullable<NewReading['outcome']> } : {}
  const note = draft.note.trim() ? { note: draft.note.trim() } : {}
  const found: Entry[] = []
  if (told.idle !== null) found.push({ quantity: 'line_v_idle', value: told.idle })
  if (told.inrush !== null)
    found.push({
      quantity: 'inrush_a',
      value: told.inrush,
      mode: draft.mode as NonNullable<NewReading['mode']>,
      conductor: draft.conductor as NonNullable<NewReading['conductor']>,
      ...said('volts', 'volts'),
      ...said('seconds', 'seconds'),
      ...said('rest', 'rest_min'),
      ...said('outdoor', 'outdoor_f'),
      ...said('later', 'later_a'),
      ...said('learning', 'learning_starts'),
      ...outcome,
      ...(draft.aid ? { aid: draft.aid as NonNullable<NewReading['aid']> } : {}),
      ...note,
    })
  // The shot was spent on the fan, or no meter holds it: the time alone is kept.
  else if (told.seconds !== null)
    found.push({ quantity: 'start_time_s', value: told.seconds, timed_by: 'taps', ...outcome, ...note })
  if (told.running !== null)
    found.push({
      quantity: 'running_a',
      value: told.running,
      ...said('runningVolts', 'volts'),
      ...said('outdoor', 'outdoor_f'),
      ...(found.some((e) => 'note' in e) ? {} : note),
    })
  return found
}

/** The field a surprising reading is asked about in. */
const ASKED_AT: Record<string, Name> = { inrush_a: 'inrush', running_a: 'running', line_v_idle: 'idle' }
type Asked = { quantity: string; name: Name; value: number } | null

/**
 * One start in the order of the hand: volts before, amps, volts at the dip, seconds, how it ended, then running.
 * Kept as one entry when it is left or its end is said; what is added later corrects it.
 */
export function StartEntry({ call }: { call: Call }) {
  const reference = useReference()
  const place = draftPlace(`start.${call.id}`)
  const [draft, setDraft] = useState<Draft>(() => ({ ...fresh(call), ...storedDraft<Draft>(place) }))
  const [dirty, setDirty] = useState(() => storedDraft<Draft>(place) !== null)
  const kept = useKept(call)
  const figures = useFigures()
  const [focus, setFocus] = useState<Name>('inrush')
  const [more, setMore] = useState(false)
  const [asked, setAsked] = useState<Asked>(null)
  const [another, setAnother] = useState(false)
  /** Left while it could not be kept: brought back by hand, never behind anyone's back. */
  const [held, setHeld] = useState(dirty)
  const keptAt = useRef(0)
  const sure = useRef(new Set<string>())
  const box = useRef<HTMLDivElement>(null)
  const gate = call.allowed.take_live

  const change = (part: Partial<Draft>): Draft => {
    const next = { ...draft, ...part }
    setDraft(next)
    setDirty(true)
    keepDraft(place, next)
    return next
  }

  const put = async (now: Draft = draft, certain = false) => {
    if (!gate?.ok) return setHeld(true)
    if (!figures.whole) return
    const batch = entriesOf(now)
    if (batch.length === 0) return
    const told = read(now)
    const old = kept.mine({ quantity: 'inrush_a' })?.entry.value
    if (!certain && old !== undefined && old !== told.inrush && Date.now() - keptAt.current > ANOTHER_MS) {
      setAnother(true)
      return
    }
    setAnother(false)
    const odd = batch.find(
      (e) => !sure.current.has(`${e.quantity} ${e.value}`) && surprising(call, e.quantity, e.value),
    )
    setAsked(null)
    if (await kept.keep(batch)) {
      // Saved first; the doubt is asked beside it.
      if (odd)
        setAsked({
          name: ASKED_AT[odd.quantity] ?? 'inrush',
          ...(odd as { quantity: string; value: number }),
        })
      keptAt.current = Date.now()
      setDirty(false)
      setHeld(false)
      dropDraft(place)
    }
  }

  const again = (now: Draft) => {
    kept.again(OF_A_START)
    sure.current.clear()
    keptAt.current = 0
    setAnother(false)
    setDraft(now)
    setDirty(now.inrush !== '')
    if (now.inrush === '') dropDraft(place)
  }

  const taken = kept.mine({ quantity: 'inrush_a' })
  const timed = kept.mine({ quantity: 'start_time_s' })
  const running = kept.mine({ quantity: 'running_a' })
  const idle = kept.mine({ quantity: 'line_v_idle' })
  const any = taken ?? timed ?? running ?? idle
  const earlier = recorded(call)
  const field = (name: Name, label: string, quantity?: string) => ({
    label,
    onRecord: any ? undefined : recordWord(earlier[name], FIELDS[name]),
    unit: FIELDS[name],
    name,
    value: draft[name],
    onChange: (text: string) => {
      setAsked(null)
      change({ [name]: text })
    },
    hint: quantity ? expectedWords(call, quantity) : undefined,
    question:
      asked?.name === name ? (
        <Surprise
          call={call}
          quantity={asked.quantity}
          value={asked.value}
          text={draft[name]}
          unit={FIELDS[name]}
          saved
          onSure={(value) => {
            sure.current.add(`${asked.quantity} ${value}`)
            if (value === asked.value) setAsked(null)
            else put(change({ [name]: typed(value, FIELDS[name]) }))
          }}
        />
      ) : undefined,
  })
  const at = (name: Name, children: ReactNode) => (
    // biome-ignore lint/a11y/noStaticElementInteractions: focus only steers the drawing beside it
    <div className="min-w-0" onFocus={() => setFocus(name)}>
      {children}
    </div>
  )
  const learns = call.starts_to_learn ?? null
  const mode = reference.data?.meter_modes.find((m) => m.mode === draft.mode)
  const wire = reference.data?.conductors.find((c) => c.value === draft.conductor)
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: leaving the entry keeps it
    <div
      ref={box}
      onBlur={(event) => {
        if (dirty && !box.current?.contains(event.relatedTarget as Node | null)) put()
      }}
    >
      <Form label={t`A start`} figures={figures} onSubmit={() => undefined} className="grid gap-3">
        <h3 className="border-b-2 border-ink text-lg font-bold">{t`A start`}</h3>
        <GateNote gate={gate} />
        <div className="grid gap-3 sm:grid-cols-[14rem_1fr]">
          <div className="hidden sm:block">{drawing(focus, draft.conductor)}</div>
          <div className="grid grid-cols-2 @max-[17rem]:grid-cols-1 content-start gap-3">
            {at(
              'idle',
              <>
                <FigureField {...field('idle', t`Volts before start`, 'line_v_idle')} />
                <TakeLive quantity="line_v_idle" onTake={(v) => change({ idle: figure(v, 8) })} />
              </>,
            )}
            {at(
              'inrush',
              <>
                <FigureField {...field('inrush', t`Inrush`, 'inrush_a')} />
                <TakeLive
                  quantity="inrush_a"
                  onTake={(v, live) =>
                    change({
                      inrush: figure(v, 8),
                      mode: live.fill?.mode ?? draft.mode,
                      conductor: live.fill?.conductor ?? draft.conductor,
                    })
                  }
                />
              </>,
            )}
            {at('volts', <FigureField {...field('volts', t`Lowest volts during start`)} />)}
            {at(
              'seconds',
              <FigureField
                {...field('seconds', t`Start time`)}
                hint={<TapTimer onTime={(seconds) => change({ seconds })} />}
              />,
            )}
            {learns !== null &&
              at(
                'learning',
                <FigureField
                  {...field('learning', t`Starts so far (soft starter)`)}
                  whole
                  hint={t`The soft starter needs ${learns}.`}
                />,
              )}
            <div className="col-span-full">
              <Choice
                label={t`Result`}
                value={draft.outcome}
                onChange={(outcome) => put(change({ outcome }))}
                options={reference.data?.outcomes ?? []}
              />
            </div>
            {at(
              'running',
              <>
                <FigureField {...field('running', t`Running amps`, 'running_a')} />
                <TakeLive quantity="running_a" onTake={(v) => change({ running: figure(v, 8) })} />
              </>,
            )}
            {at(
              'runningVolts',
              <>
                <FigureField {...field('runningVolts', t`Volts, running`, 'line_v_run')} />
                <TakeLive quantity="line_v_run" onTake={(v) => change({ runningVolts: figure(v, 8) })} />
              </>,
            )}
          </div>
        </div>
        <p className="flex flex-wrap items-center gap-x-3 text-sm text-soft">
          <span>{t`${mode?.label ?? draft.mode}, clamp on ${wire?.label ?? draft.conductor}${draft.aid && ` · ${reference.data?.aids.find((a) => a.value === draft.aid)?.label ?? draft.aid}`}${draft.outdoor && t` · ${draft.outdoor} ${unitWord('°F')} outdoor`}`}</span>
          <Button kind="quiet" className="px-0 text-sm" aria-expanded={more} onClick={() => setMore(!more)}>
            {more ? t`Less` : t`Meter, clamp, aid, rest, note`}
          </Button>
        </p>
        {more && (
          <div className="grid gap-3 border-l-4 border-faint pl-3">
            <Choice
              label={t`Meter mode`}
              value={draft.mode}
              onChange={(chosen) => change({ mode: chosen })}
              options={reference.data?.meter_modes.map((m) => ({ value: m.mode, label: m.label })) ?? []}
            />
            <p className="-mt-2 text-sm text-soft">
              {t`Misses`} {mode?.blind_to}.
            </p>
            <Choice
              label={t`Clamp on`}
              value={draft.conductor}
              onChange={(conductor) => change({ conductor })}
              options={reference.data?.conductors ?? []}
            />
            <Choice
              label={t`Start aid in circuit`}
              value={draft.aid}
              onChange={(aid) => change({ aid })}
              options={reference.data?.aids ?? []}
            />
            <div className="grid grid-cols-2 @max-[17rem]:grid-cols-1 gap-3">
              <FigureField {...field('rest', t`Off time before`)} />
              <FigureField {...field('outdoor', t`Outdoor`)} />
              <FigureField {...field('later', t`Amps a second later`)} />
              {draft.aid === 'soft_starter' && learns === null && (
                <FigureField {...field('learning', t`Starts so far (soft starter)`)} whole />
              )}
            </div>
            <TextField
              label={t`Note`}
              value={draft.note}
              onChange={(note) => change({ note })}
              hint={t`What was heard or seen.`}
            />
          </div>
        )}
        {another && (
          <div role="alert" className="border-l-4 border-watch bg-field p-2">
            <p className="font-bold">{t`The start before read ${figure(taken?.entry.value as number)} A. Another start, or was that wrong?`}</p>
            <div className="flex flex-wrap gap-2 pt-1">
              <Button
                kind="primary"
                onClick={() => {
                  const now = { ...draft }
                  again(now)
                  put(now, true)
                }}
              >{t`New start`}</Button>
              <Button onClick={() => put(draft, true)}>{t`Correct the last one`}</Button>
            </div>
          </div>
        )}
        <ProblemNote problem={kept.problem} />
        {dirty && gate?.ok && (kept.problem || held) && (
          <div>
            <Button kind="primary" busy={kept.busy} onClick={() => put()}>{t`Save the start`}</Button>
          </div>
        )}
        {any && (
          <div className="border-2 border-line bg-field px-3 py-1">
            <p role="status" className={`font-bold ${dirty ? 'text-soft' : 'text-pass'}`}>
              {dirty ? t`Changed: saved when you leave it` : t`✓ Saved: ${wordsOf(taken, timed, running)}`}
            </p>
            <JudgedLine call={call} taken={taken ?? timed} />
            <JudgedLine call={call} taken={running} />
            <JudgedLine call={call} taken={idle} />
            {!dirty && <Button className="my-2" onClick={() => again(fresh(call))}>{t`New start`}</Button>}
          </div>
        )}
      </Form>
    </div>
  )
}

/** The last start of this call, field by field. */
function recorded(call: Call): Partial<Record<Name, NewReading['value'] | null | undefined>> {
  const of = (quantity: string) => onRecord(call, quantity)?.entry
  const start = of('inrush_a')
  const running = of('running_a')
  return {
    idle: of('line_v_idle')?.value,
    inrush: start?.value,
    volts: start?.volts,
    seconds: start?.seconds ?? of('start_time_s')?.value,
    running: running?.value,
    runningVolts: running?.volts,
  }
}

type Taken = { entry: { value: unknown } } | undefined

function wordsOf(inrush: Taken, timed: Taken, running: Taken): string {
  const said = [
    inrush && t`inrush ${figure(inrush.entry.value as number)} A`,
    timed && t`start ${figure(timed.entry.value as number)} s`,
    running && t`running ${figure(running.entry.value as number)} A`,
  ].filter(Boolean)
  return said.length > 0 ? said.join(', ') : t`volts before`
}

/** Where the clamp or the probes go for the field one stands in. */
function drawing(focus: Name, conductor: string) {
  if (focus === 'idle') return <ContactorFace pair={['L1', 'L2']} />
  if (focus === 'volts' || focus === 'runningVolts') return <ContactorFace pair={['T1', 'T2']} />
  return <ClampPlaces place={(focus === 'running' ? 'common' : conductor) as ClampPlace} />
}

/** Start time by ear: tap at the first hum, tap again when it runs steady; by key as well. */
function TapTimer({ onTime }: { onTime: (seconds: string) => void }) {
  const [begun, setBegun] = useState<number | null>(null)
  const mark = (stamp: number) => {
    if (begun === null) setBegun(stamp)
    else {
      onTime(((stamp - begun) / 1000).toFixed(1))
      setBegun(null)
    }
  }
  return (
    <span className="block">
      <Button
        className={`w-full px-1 text-sm ${begun === null ? '' : 'hatched'}`}
        onPointerDown={(event) => mark(event.timeStamp)}
        onKeyDown={(event) => {
          if ((event.key === 'Enter' || event.key === ' ') && !event.repeat) {
            event.preventDefault()
            mark(event.timeStamp)
          }
        }}
      >
        <span className={begun === null ? '' : 'bg-field px-1'}>
          {begun === null ? t`Tap at the first hum` : t`Tap when steady`}
        </span>
      </Button>
      <span>{t`Timed by ear: ± 0.2 s.`}</span>
    </span>
  )
}
