import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { lazy, type ReactNode, Suspense, useMemo, useState } from 'react'
import { answer, type Call, client, type Finding, problemOf, type Schemas } from '../../api/client'
import { useMakeSafe, useReference, useSafetyEvent } from '../../api/queries'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { useDraft } from '../../parts/draft'
import { early } from '../../parts/early'
import { FigureField, TextField, Tick } from '../../parts/field'
import { Form, useFigures } from '../../parts/figures'
import { ProblemNote } from '../../parts/problem'
import { useReadOnly } from '../../parts/read-only'
import { Findings, VerdictMark } from '../../parts/verdict'
import { useReadAt } from '../../parts/waits'
import { usePerson } from '../../parts/who'
import { parseFigure } from '../../quantities/figure'
import { clock, day, figure } from '../../quantities/format'
import { usePause } from './plate'

type MakeSafeRecord = Schemas['MakeSafe']
type Supply = NonNullable<MakeSafeRecord['supply']>
type Section = 'c_herm' | 'c_fan' | 'start' | 'dc_bus'
type Opened = { device: string; locked: boolean; tagged: boolean; key_holder: string }
type Dead = { value: string; low: string; explained: string }
type Drained = { on: 'dc' | 'ac'; after: string; rated: string }
type Draft = {
  supply: Supply | ''
  dry: '' | 'dry' | 'wet'
  control_off: boolean
  fed: string
  looked: boolean
  others: string[]
  opened: Opened[]
  source: string
  expected: string
  before: string
  after: string
  dead: Record<string, Dead>
  /** The largest over all pairs that are not written down one by one. */
  largest: string
  sections: Section[]
  none: boolean
  drained: Record<string, Drained>
  note: string
  /** Why less was measured than the nameplate shows. */
  less: string
  /** The state of the call this record was begun on, and when its last dead point was measured. */
  state_version: number
  volts_taken_at: string
}

const PLACES = [
  { place: 'contactor_line', word: t`Line side` },
  { place: 'contactor_load', word: t`Load side` },
] as const

function startOf(call: Call): Draft {
  const { supply, sections } = call.expected_make_safe
  return {
    supply: supply ?? '',
    dry: '',
    control_off: false,
    fed: '',
    looked: false,
    others: [],
    opened: [{ device: t`Disconnect`, locked: false, tagged: false, key_holder: '' }],
    source: '',
    expected: '',
    before: '',
    after: '',
    dead: {},
    largest: '',
    sections,
    none: false,
    drained: {},
    note: '',
    less: '',
    state_version: call.state.version,
    volts_taken_at: '',
  }
}

const noDead: Dead = { value: '', low: '', explained: '' }
const noDrain: Drained = { on: 'dc', after: '', rated: '' }
function recordOf(draft: Draft, pairs: string[], plate: Schemas['Plate'] | null | undefined): MakeSafeRecord {
  const proof = (field: 'before' | 'after') => {
    const expected = parseFigure(draft.expected, 'V')
    const reading = parseFigure(draft[field], 'V')
    return draft.source.trim() && expected !== null && reading !== null
      ? { source: draft.source.trim(), expected_v: expected, reading_v: reading }
      : null
  }
  const dead_points = PLACES.flatMap(({ place }) =>
    pairs.flatMap((pair) => {
      const point = draft.dead[`${place} ${pair}`] ?? noDead
      const value = parseFigure(point.value, 'V')
      const low = parseFigure(point.low, 'V')
      return value === null
        ? []
        : [{ place, pair, reading_v: value, low_impedance_v: low, explained: point.explained.trim() || null }]
    }),
  )
  const capacitors = draft.sections.flatMap((section) => {
    const drain = draft.drained[section] ?? noDrain
    const after = parseFigure(drain.after, 'V')
    if (after === null) return []
    const uf = section === 'c_herm' ? plate?.run_cap_uf : section === 'c_fan' ? plate?.fan_cap_uf : null
    return [
      {
        section,
        meter_on: drain.on,
        after_v: after,
        capacitance_uf: uf ?? null,
        rated_v: parseFigure(drain.rated, 'V'),
      },
    ]
  })
  return {
    ...(draft.supply ? { supply: draft.supply } : {}),
    dry: draft.dry === '' ? null : draft.dry === 'dry',
    control_off: draft.control_off,
    source_identified: draft.fed.trim() || null,
    other_sources: draft.looked ? draft.others : null,
    opened: draft.opened
      .filter((o) => o.device.trim())
      .map((o) => ({ ...o, device: o.device.trim(), key_holder: o.key_holder.trim() || null })),
    proof_before: proof('before'),
    proof_after: proof('after'),
    dead_points,
    largest_dead_v: parseFigure(draft.largest, 'V'),
    has_capacitors: !draft.none,
    sections_present: draft.none ? [] : draft.sections,
    capacitors: draft.none ? [] : capacitors,
    inverter: draft.sections.includes('dc_bus'),
    less_reason: draft.less?.trim() || null,
    note: draft.note.trim() || null,
  } as MakeSafeRecord
}

const SureSteps = lazy(early(() => import('./sure-steps').then((m) => ({ default: m.SureSteps }))))

export function MakeSafe({ call }: { call: Call }) {
  const closed = useReadOnly()
  const proved = call.state.dead_since !== null
  return (
    <div className="grid max-w-4xl gap-4">
      <p className="text-lg">{call.state.why}</p>
      {proved && !closed ? <Proved call={call} /> : <MakeSafeForm call={call} />}
      {closed && call.ladder.make_safe && <Findings findings={call.ladder.make_safe.findings} />}
    </div>
  )
}

function Proved({ call }: { call: Call }) {
  const event = useSafetyEvent(call.id)
  const reference = useReference()
  const unheard = useReadAt() !== null
  const [detail, setDetail] = useState('break')
  const result = call.ladder.make_safe
  return (
    <>
      <div className="border-2 border-dead bg-field p-3">
        {unheard ? (
          <p className="text-xl font-bold">{t`? Saved as dead here, not proved`}</p>
        ) : (
          <p className="text-xl font-bold text-dead">■ {call.state.words}</p>
        )}
        {call.state.dead_since && (
          <p>
            {unheard ? t`Volts measured at` : t`Proved dead at`} {clock(call.state.dead_since)}
            {call.state.lapses_at && t`; good until ${clock(call.state.lapses_at)}`}.
          </p>
        )}
      </div>
      <section>
        <h3 className="font-bold">{t`Is it still dead?`}</h3>
        <p className="text-soft">{t`Prove it again after a break, or if it was unlocked or out of your sight.`}</p>
        <Choice
          label={t`What happened`}
          value={detail}
          onChange={setDetail}
          options={reference.data?.lapse_reasons.map((r) => ({ value: r, label: r })) ?? []}
        />
        <ProblemNote problem={problemOf(event.error)} />
        <div className="flex flex-wrap gap-2 pt-2">
          <Button
            busy={event.isPending}
            onClick={() => event.mutate({ kind: 'lapsed', detail } as Schemas['NewSafetyEvent'])}
          >{t`Prove dead again`}</Button>
          {call.allowed.control_live?.ok && (
            <Button
              busy={event.isPending}
              onClick={() => event.mutate({ kind: 'control_live' } as Schemas['NewSafetyEvent'])}
            >{t`24 V on, line dead`}</Button>
          )}
        </div>
      </section>
      {result && (
        <section>
          <h3 className="border-b-2 border-ink font-bold">{t`The record`}</h3>
          <Findings findings={result.findings} />
        </section>
      )}
    </>
  )
}

function MakeSafeForm({ call }: { call: Call }) {
  const reference = useReference()
  const unheard = useReadAt() !== null
  const save = useMakeSafe(call.id)
  const start = useMemo(() => startOf(call), [call])
  const [draft, change, clear] = useDraft<Draft>(`make-safe.${call.id}`, start)
  const pairs = draft.supply ? (reference.data?.pairs[draft.supply] ?? []) : []
  const figures = useFigures()
  const record = recordOf(draft, pairs, call.plate?.plate)
  const settled = usePause(JSON.stringify(record), 250)
  const check = useQuery({
    queryKey: ['calc', 'make-safe', settled, call.plate?.number],
    enabled: figures.whole,
    queryFn: () =>
      answer(
        client.POST('/api/calc/make-safe', {
          body: { ...JSON.parse(settled), plate: call.plate?.plate ?? null },
        }),
      ),
    retry: false,
    placeholderData: (old) => old,
  })
  const found = check.data?.findings ?? []
  const of = (...codes: string[]) => found.filter((f) => codes.includes(f.code))
  const stopping = found.find((f) => f.stops && f.verdict === 'fail')
  const { person } = usePerson()
  const { last, bleed_as_v: bledAs = 0 } = call.expected_make_safe
  const when = last && (last.here ? t`as at ${clock(last.at)}` : t`as on ${day(last.at)}`)
  const key = person?.name ?? ''
  const lasting: Opened[] =
    last && last.opened.length > 0
      ? last.opened.map((o) => ({ device: o.device, key_holder: key, locked: true, tagged: true }))
      : [{ device: draft.opened[0]?.device || t`Disconnect`, key_holder: key, locked: true, tagged: true }]
  const measured = () => ({ volts_taken_at: new Date().toISOString() })
  const left = (after: string) =>
    change({
      drained: Object.fromEntries(
        draft.sections.map((s) => [
          s,
          {
            ...(draft.drained[s] ?? noDrain),
            after,
            rated: draft.drained[s]?.rated || (last?.rated_v[s] ? figure(last.rated_v[s]) : ''),
          },
        ]),
      ),
    })
  const afters = draft.sections.map((s) => draft.drained[s]?.after ?? '')
  const problem = problemOf(save.error)
  const moved = problem?.status === 409 && call.state.version !== draft.state_version
  const submit = () =>
    save.mutate(
      {
        record,
        volts_taken_at: draft.volts_taken_at || new Date().toISOString(),
        state_version: draft.state_version,
      },
      {
        onSuccess: (saved) =>
          saved.state.state === 'dead_proved' ? clear() : change({ state_version: saved.state.version }),
      },
    )
  const point = (key: string, part: Partial<Dead>) =>
    change({
      dead: { ...draft.dead, [key]: { ...(draft.dead[key] ?? noDead), ...part } },
      volts_taken_at: new Date().toISOString(),
    })
  const drain = (key: string, part: Partial<Drained>) =>
    change({ drained: { ...draft.drained, [key]: { ...(draft.drained[key] ?? noDrain), ...part } } })
  const opened = (i: number, part: Partial<Opened>) =>
    change({ opened: draft.opened.map((o, k) => (k === i ? { ...o, ...part } : o)) })
  return (
    <Form onSubmit={submit} figures={figures} label={t`Make safe`} className="grid gap-1">
      <details className="border-2 border-line bg-field px-3 py-2" open={call.events.length === 0}>
        <summary className="flex min-h-8 cursor-pointer items-center font-bold">{t`▸ Cautions`}</summary>
        <ul className="list-disc pl-5">
          {reference.data?.dead_cautions.map((c) => (
            <li key={c}>{c}</li>
          ))}
        </ul>
      </details>
      <Step number={1} title={t`Control off`} findings={of('CONTROL_OFF', 'STOP_WET', 'DRY')}>
        <Choice
          label={t`Rain or standing water at the panel?`}
          value={draft.dry}
          onChange={(dry) => change({ dry: dry as Draft['dry'] })}
          options={[
            { value: 'dry', label: t`Dry` },
            { value: 'wet', label: t`Wet` },
          ]}
        />
        <Tick
          checked={draft.control_off}
          onChange={(control_off) => change({ control_off })}
        >{t`Thermostat off, or the control call removed`}</Tick>
        {controlOnly(call) && last?.here && !draft.control_off && (
          <Short
            onClick={() =>
              change({
                control_off: true,
                fed: last.fed,
                looked: true,
                others: last.other_sources,
                opened: last.opened.map((o) => ({
                  device: o.device,
                  key_holder: o.key_holder || key,
                  locked: true,
                  tagged: true,
                })),
              })
            }
          >{t`Control off again; the lock on ${last.opened.map((o) => o.device).join(', ')} never came off`}</Short>
        )}
        {!(draft.dry && draft.control_off) && (
          <Short
            onClick={() => change({ dry: 'dry', control_off: true })}
          >{t`Dry, and the thermostat call is off`}</Short>
        )}
      </Step>
      <Step number={2} title={t`What feeds it?`} findings={of('SOURCES_IDENTIFIED')}>
        <Choice
          label={t`Supply`}
          value={draft.supply}
          onChange={(supply) => change({ supply: supply as Supply, dead: {} })}
          problem={draft.supply ? undefined : t`Which supply? The plate is not read.`}
          options={[
            { value: 'single_phase_two_leg', label: t`208/240 V, two legs` },
            { value: 'single_phase_one_leg', label: t`115 V, leg and neutral` },
            { value: 'three_phase', label: t`Three-phase` },
          ]}
        />
        {last && !draft.fed && (
          <Short
            onClick={() =>
              change({ fed: last.fed, looked: true, others: last.other_sources, supply: draft.supply })
            }
          >
            {t`Still so,`} {when}
            {last.other_sources.length > 0
              ? t`: from ${last.fed}; also ${last.other_sources.join(', ')}`
              : t`: from ${last.fed}; no second source found`}
          </Short>
        )}
        <TextField
          label={t`Fed from`}
          value={draft.fed}
          onChange={(fed) => change({ fed })}
          hint={t`Two units? Prove which disconnect feeds this one.`}
        />
        <fieldset>
          <legend className="text-sm font-bold text-soft">{t`Anything else that feeds it?`}</legend>
          <div className="grid sm:grid-cols-2">
            {reference.data?.other_sources.map((o) => (
              <Tick
                key={o}
                checked={draft.others.includes(o)}
                onChange={(on) =>
                  change({
                    looked: on || draft.looked,
                    others: on ? [...draft.others, o] : draft.others.filter((x) => x !== o),
                  })
                }
              >
                {o}
              </Tick>
            ))}
          </div>
          <Tick
            checked={draft.looked && draft.others.length === 0}
            onChange={(on) => change({ looked: on, others: [] })}
          >
            <b>{t`Checked: no second source`}</b>
          </Tick>
        </fieldset>
      </Step>
      <Step number={3} title={t`Open, lock, tag`} findings={of('LOCKED_AND_TAGGED')}>
        {key && !draft.opened.every((o) => o.locked && o.tagged && o.key_holder) && (
          <Short
            onClick={() => change({ opened: lasting })}
          >{t`${lasting.map((o) => o.device).join(', ')}: opened, locked, tagged; I have the key`}</Short>
        )}
        {draft.opened.map((o, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: devices are edited in place
          <div key={i} className="grid gap-x-3 sm:grid-cols-2">
            <TextField label={t`Device`} value={o.device} onChange={(device) => opened(i, { device })} />
            <TextField
              label={t`Key is with`}
              value={o.key_holder}
              onChange={(key_holder) => opened(i, { key_holder })}
            />
            <Tick
              checked={o.locked}
              onChange={(locked) => opened(i, { locked })}
            >{t`Opened and locked`}</Tick>
            <Tick checked={o.tagged} onChange={(tagged) => opened(i, { tagged })}>{t`Tagged`}</Tick>
          </div>
        ))}
        <Button
          className="justify-self-start"
          onClick={() =>
            change({
              opened: [...draft.opened, { device: '', locked: false, tagged: false, key_holder: '' }],
            })
          }
        >{t`+ Another source`}</Button>
      </Step>
      <Step number={4} title={t`Prove the meter: live`} findings={of('METER_PROVED_BEFORE')}>
        {last?.source && last.source_v && !draft.before && (
          <Short
            onClick={() =>
              change({
                source: last.source as string,
                expected: figure(last.source_v as number),
                before: figure(last.source_v as number),
              })
            }
          >{t`Same source: ${last.source} reads ${figure(last.source_v)} V`}</Short>
        )}
        <div className="grid grid-cols-2 gap-3 sm:grid-cols-3">
          <div className="col-span-2 sm:col-span-1">
            <TextField
              label={t`Known live source`}
              value={draft.source}
              onChange={(source) => change({ source })}
            />
          </div>
          <FigureField
            label={t`Known voltage`}
            unit="V"
            value={draft.expected}
            onChange={(expected) => change({ expected })}
          />
          <FigureField
            label={t`Meter reads`}
            unit="V"
            value={draft.before}
            onChange={(before) => change({ before })}
          />
        </div>
      </Step>
      <Step
        number={5}
        title={t`Prove it dead`}
        findings={of(
          'DEAD_CONTACTOR_LINE',
          'DEAD_CONTACTOR_LOAD',
          'STRAY_VOLTAGE',
          'STRAY_EXPLAINED',
          'STOP_LIVE',
        )}
      >
        <FigureField
          label={t`Highest of all pairs, line and load side`}
          unit="V"
          value={draft.largest}
          onChange={(largest) => change({ largest, ...measured() })}
          hint={t`Every one of ${pairs.join(', ').replaceAll('-', '–')} on line and load side.`}
        />
        <details open={Object.keys(draft.dead).length > 0 || of('STRAY_VOLTAGE').length > 0}>
          <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`Pair by pair`}</summary>
          {PLACES.map(({ place, word }) => (
            <div key={place}>
              <h4 className="font-bold">{t`Contactor, ${word.toLowerCase()}`}</h4>
              <div className="grid grid-cols-3 gap-2">
                {pairs.map((pair) => {
                  const key = `${place} ${pair}`
                  const now = draft.dead[key] ?? noDead
                  const stray = found.some(
                    (f) => f.code === 'STRAY_VOLTAGE' && f.inputs?.pair === pair && f.inputs?.place === place,
                  )
                  return (
                    <div key={key}>
                      <FigureField
                        label={pair.replace('-', '–')}
                        unit="V"
                        value={now.value}
                        onChange={(value) => point(key, { value })}
                      />
                      {(stray || now.low) && (
                        <>
                          <FigureField
                            label={t`Low-impedance`}
                            unit="V"
                            value={now.low}
                            onChange={(low) => point(key, { low })}
                          />
                          <TextField
                            label={t`It was`}
                            value={now.explained}
                            onChange={(explained) => point(key, { explained })}
                          />
                        </>
                      )}
                    </div>
                  )
                })}
              </div>
            </div>
          ))}
        </details>
      </Step>
      <Step number={6} title={t`Prove the meter again: live`} findings={of('METER_PROVED_AFTER')}>
        {draft.before && !draft.after && (draft.largest || Object.keys(draft.dead).length > 0) && (
          <Short onClick={() => change({ after: draft.before })}>
            {draft.source
              ? t`Reads ${draft.before} V again on ${draft.source}`
              : t`Reads ${draft.before} V again on the known source`}
          </Short>
        )}
        <FigureField
          label={draft.source ? t`Meter reads on ${draft.source}` : t`Meter reads on the known source`}
          unit="V"
          value={draft.after}
          onChange={(after) => change({ after })}
        />
      </Step>
      <Step
        number={7}
        title={t`Bleed, then measure on DC`}
        findings={of('CAPACITORS_DISCHARGED', 'DC_BUS_DEAD', 'NO_CAPACITORS', 'LESS_THAN_PLATE')}
      >
        <div className="flex flex-wrap gap-x-5">
          {reference.data?.sections.map((s) => (
            <Tick
              key={s.value}
              checked={draft.sections.includes(s.value as Section)}
              onChange={(on) =>
                change({
                  none: false,
                  sections: on
                    ? [...draft.sections, s.value as Section]
                    : draft.sections.filter((x) => x !== s.value),
                })
              }
            >
              {s.label}
            </Tick>
          ))}
          <Tick
            checked={draft.none}
            onChange={(none) => change({ none, sections: [] })}
          >{t`No capacitor in this unit`}</Tick>
        </div>
        {draft.sections.length > 1 && !draft.sections.includes('dc_bus') && (
          <FigureField
            label={t`Highest left on any capacitor, DC volts`}
            unit="V"
            value={afters.every((a) => a === afters[0]) ? (afters[0] ?? '') : ''}
            onChange={left}
          />
        )}
        {draft.sections.map((s) => {
          const now = draft.drained[s] ?? noDrain
          const uf =
            s === 'c_herm'
              ? call.plate?.plate?.run_cap_uf
              : s === 'c_fan'
                ? call.plate?.plate?.fan_cap_uf
                : null
          return (
            <div key={s} className="border-l-4 border-dead pl-3">
              <h4 className="font-bold">{reference.data?.sections.find((x) => x.value === s)?.label}</h4>
              {uf && s !== 'dc_bus' && <BleedLine uf={uf} rated={parseFigure(now.rated, 'V AC') ?? bledAs} />}
              <div className="grid grid-cols-2 gap-3 sm:grid-cols-3">
                {s !== 'dc_bus' && (
                  <FigureField
                    label={t`Rated, on the can`}
                    hint={now.rated ? undefined : t`Bled as ${bledAs} V until it is read.`}
                    unit="V AC"
                    value={now.rated}
                    onChange={(rated) => drain(s, { rated })}
                  />
                )}
                <FigureField
                  label={t`Volts left`}
                  unit="V"
                  value={now.after}
                  onChange={(after) => drain(s, { after })}
                />
                <Choice
                  label={t`Meter set to`}
                  value={now.on}
                  onChange={(on) => drain(s, { on: on as 'dc' | 'ac' })}
                  options={[
                    { value: 'dc', label: t`DC V` },
                    { value: 'ac', label: t`AC V` },
                  ]}
                />
              </div>
            </div>
          )
        })}
      </Step>
      <Step number={8} title={t`Anything to add`} findings={of('LESS_THAN_PLATE')}>
        {(unheard || draft.less || of('LESS_THAN_PLATE').length > 0) && (
          <TextField
            label={t`Why less than the nameplate shows`}
            value={draft.less ?? ''}
            onChange={(less) => change({ less })}
            hint={t`For example: wrong nameplate on this unit, fan capacitor removed.`}
            wide
          />
        )}
        <TextField label={t`Note`} value={draft.note} onChange={(note) => change({ note })} wide />
      </Step>
      {unheard && (
        <Suspense fallback={null}>
          <SureSteps call={call} record={record} />
        </Suspense>
      )}
      <ProblemNote problem={problem} />
      {moved && (
        <Button
          onClick={() => {
            save.reset()
            change({
              state_version: call.state.version,
              dead: {},
              largest: '',
              after: '',
              volts_taken_at: '',
            })
          }}
        >{t`Retake the volts now`}</Button>
      )}
      <div className="sticky bottom-[3.4rem] @max-[17rem]:static z-10 -mx-4 lg:bottom-0 border-t-2 border-ink bg-plane px-4 py-2">
        {stopping ? (
          <p role="alert" className="pb-2 text-lg font-bold text-fail">
            ✕ {stopping.text} {stopping.next_step}
          </p>
        ) : (
          check.data &&
          check.data.status !== 'proved' && (
            <p className="pb-2 text-sm">
              <VerdictMark
                verdict={check.data.status === 'stop' ? 'fail' : 'unknown'}
                word={check.data.status === 'stop' ? t`Stop` : t`Still to do`}
              />{' '}
              {check.data.missing[0]}
            </p>
          )
        )}
        <Button
          kind="dead"
          type="submit"
          busy={save.isPending}
          disabled={!call.allowed.make_safe?.ok}
          className="w-full sm:w-auto"
        >
          {check.data?.status === 'proved' ? t`Record: proved dead` : t`Save incomplete`}
        </Button>
      </div>
    </Form>
  )
}

/** Whether since the last record only the control call came back: the line's lock may have stayed on. */
function controlOnly(call: Call): boolean {
  const kinds = call.events.map((e) => e.kind)
  const since = kinds.slice(kinds.lastIndexOf('made_safe') + 1)
  return since.includes('control_live') && !since.includes('went_live')
}

/** What is usual, or was said last, confirmed by one tap. */
function Short({ onClick, children }: { onClick: () => void; children: ReactNode }) {
  return (
    <Button className="justify-self-start text-left" onClick={onClick}>
      ✓ {children}
    </Button>
  )
}

function Step({
  number,
  title,
  findings,
  children,
}: {
  number: number
  title: string
  findings: Finding[]
  children: ReactNode
}) {
  const done = findings.length > 0 && findings.every((f) => f.verdict === 'pass' || f.verdict === 'watch')
  const loud = findings.filter((f) => f.verdict === 'fail' || f.verdict === 'watch')
  return (
    <section className="border-t-2 border-line py-2">
      <h3 className="flex items-baseline gap-2 pb-1 font-bold">
        <span className="figure text-soft">{number}</span>
        {title}
        {findings.length > 0 && (
          <span className="ml-auto">
            <VerdictMark
              verdict={done ? 'pass' : loud.some((f) => f.verdict === 'fail') ? 'fail' : 'unknown'}
              word={done ? t`Done` : loud.length ? t`Stop` : t`To do`}
            />
          </span>
        )}
      </h3>
      <div className="grid gap-3">{children}</div>
      {loud.length > 0 && <Findings findings={loud} />}
    </section>
  )
}

function BleedLine({ uf, rated }: { uf: number; rated: number }) {
  const bleed = useQuery({
    queryKey: ['calc', 'bleed', uf, rated],
    queryFn: () => answer(client.POST('/api/calc/bleed', { body: { capacitance_uf: uf, rated_v: rated } })),
    retry: false,
  })
  if (!bleed.data) return null
  const b = bleed.data
  return (
    <details className="text-sm">
      <summary className="min-h-8 cursor-pointer">
        <b className="figure">{figure(uf)} µF</b> {t`through`}{' '}
        <b className="figure">
          {figure(b.resistance_ohm / 1000)} kΩ {figure(b.resistor_w)} W
        </b>
        {t`: hold`} <b className="figure">{Math.ceil(b.time_to_limit_s)} s</b>
        {t`, from at most ${figure(b.start_v, 3)} V`}
      </summary>
      <Findings findings={b.findings} />
    </details>
  )
}
