import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useMemo, useState } from 'react'
import { answer, type Call, client, fieldProblem, type Plate, problemOf } from '../../api/client'
import { useReference, useSavePlate } from '../../api/queries'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { useDraft } from '../../parts/draft'
import { FigureField, TextField } from '../../parts/field'
import { Form, useFigures } from '../../parts/figures'
import { Pick } from '../../parts/pick'
import { ProblemNote } from '../../parts/problem'
import { useReadOnly } from '../../parts/read-only'
import { Findings, FoldedFindings, VerdictMark } from '../../parts/verdict'
import { parseFigure } from '../../quantities/figure'
import { figure } from '../../quantities/format'
import { PlatePhoto } from './plate-photo'

type Row = { a: string; b: string; c: string; kind: string }
type Draft = {
  volts: string
  phase: string
  compressors: Row[]
  motors: Row[]
  other_a: string
  mca_a: string
  mocp_a: string
  run_cap_uf: string
  fan_cap_uf: string
  tons: string
  hp: string
  hertz: string
  inverter: string
  refrigerant: string
  metering: string
  starting: string
  overcurrent_allowed: string
  base: number
}

const NOT_SEEN = { value: '', label: t`Not seen` }
/** What is chosen on the form, in its order. */
const PICKS: {
  field: 'inverter' | 'starting' | 'metering' | 'overcurrent_allowed'
  label: string
  options: { value: string; label: string }[]
}[] = [
  {
    field: 'inverter',
    label: t`Inverter drive?`,
    options: [
      { value: 'no', label: t`No, across the line` },
      { value: 'yes', label: t`Yes, inverter` },
    ],
  },
  {
    field: 'starting',
    label: t`Starts with`,
    options: [
      NOT_SEEN,
      { value: 'run_capacitor', label: t`Run capacitor` },
      { value: 'current_relay', label: t`Current relay` },
      { value: 'current_relay_capacitor', label: t`Current relay and start capacitor` },
      { value: 'ptc', label: t`PTC, no run capacitor` },
    ],
  },
  {
    field: 'metering',
    label: t`Metering device`,
    options: [
      NOT_SEEN,
      { value: 'piston', label: t`Piston` },
      { value: 'txv', label: 'TXV' },
      { value: 'captube', label: t`Cap tube` },
      { value: 'eev', label: 'EEV' },
    ],
  },
  {
    field: 'overcurrent_allowed',
    label: t`Nameplate allows`,
    options: [
      NOT_SEEN,
      { value: 'fuse', label: t`Fuse only` },
      { value: 'fuse_or_breaker', label: t`Fuse or breaker` },
    ],
  },
]
/** Only a single-phase compressor across the line has start gear of its own. */
const startsByItself = (draft: Draft) => draft.phase === '1' && draft.inverter !== 'yes'

const text = (value: number | null | undefined) =>
  value === null || value === undefined ? '' : figure(value, 8)
/** A computed figure, or that a load on the plate could not be read. */
const amps = (value: number | null, digits = 4) =>
  value === null ? t`not known` : `${figure(value, digits)} A`
const row = (a = '', b = '', c = '', kind = ''): Row => ({ a, b, c, kind })

function draftOf(plate: Plate | null | undefined, base: number): Draft {
  return {
    volts: text(plate?.volts),
    phase: plate ? String(plate.phase) : '1',
    compressors: plate?.compressors.map((c) =>
      row(text(c.rla_a), text(c.lra_a), text(c.bcsc_a), c.kind ?? ''),
    ) ?? [row()],
    motors: plate?.motors?.map((m) => row(text(m.fla_a), text(m.lra_a))) ?? [row()],
    other_a: text(plate?.other_a),
    mca_a: text(plate?.mca_a),
    mocp_a: text(plate?.mocp_a),
    run_cap_uf: text(plate?.run_cap_uf),
    fan_cap_uf: text(plate?.fan_cap_uf),
    tons: text(plate?.tons),
    hp: text(plate?.hp),
    hertz: text(plate?.hertz),
    inverter: plate?.inverter == null ? '' : plate.inverter ? 'yes' : 'no',
    refrigerant: plate?.refrigerant ?? '',
    metering: plate?.metering ?? '',
    starting: plate?.starting ?? '',
    overcurrent_allowed: plate?.overcurrent_allowed ?? '',
    base,
  }
}

/** Turn what was typed into a plate; what cannot be read the fields themselves say. */
function plateOf(draft: Draft): Plate {
  const given = (name: string, typed: string, unit = 'A') => {
    const value = parseFigure(typed, unit)
    return value === null ? {} : { [name]: value }
  }
  const word = (name: string, typed: string) => (typed.trim() ? { [name]: typed.trim() } : {})
  const plate = {
    ...given('volts', draft.volts, 'V'),
    phase: draft.phase === '3' ? 3 : 1,
    compressors: draft.compressors.map((r) => ({
      ...given('rla_a', r.a),
      ...given('lra_a', r.b),
      ...given('bcsc_a', r.c),
      ...word('kind', r.kind),
    })),
    motors: draft.motors
      .map((r) => ({
        ...given('fla_a', r.a),
        ...given('lra_a', r.b),
      }))
      .filter((m) => Object.keys(m).length > 0),
    ...given('other_a', draft.other_a),
    ...given('mca_a', draft.mca_a),
    ...given('mocp_a', draft.mocp_a),
    ...given('run_cap_uf', draft.run_cap_uf, 'µF'),
    ...given('fan_cap_uf', draft.fan_cap_uf, 'µF'),
    ...given('tons', draft.tons, 'ton'),
    ...given('hp', draft.hp),
    ...given('hertz', draft.hertz),
    ...(draft.inverter ? { inverter: draft.inverter === 'yes' } : {}),
    ...word('refrigerant', draft.refrigerant),
    ...word('metering', draft.metering),
    ...(startsByItself(draft) ? word('starting', draft.starting) : {}),
    ...word('overcurrent_allowed', draft.overcurrent_allowed),
  }
  return plate as Plate
}

export function usePause<T>(value: T, milliseconds: number): T {
  const [settled, setSettled] = useState(value)
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(value), milliseconds)
    return () => window.clearTimeout(timer)
  }, [value, milliseconds])
  return settled
}

export function PlateRung({ call }: { call: Call }) {
  const start = useMemo(() => draftOf(call.plate?.plate, call.plate?.number ?? 0), [call.plate])
  const [draft, change, clear] = useDraft<Draft>(`plate.${call.id}`, start)
  const save = useSavePlate(call.id)
  const closed = useReadOnly()
  const plateNow = call.plate?.plate
  const plate = plateOf(draft)
  const figures = useFigures()
  const settled = usePause(JSON.stringify(plate), 250)
  const check = useQuery({
    queryKey: ['calc', 'plate', settled],
    enabled: figures.whole,
    queryFn: () => answer(client.POST('/api/calc/plate', { body: JSON.parse(settled) })),
    retry: false,
    placeholderData: (old) => old,
  })
  const problem = problemOf(save.error)
  const typed = (field: string) => fieldProblem(problem, field)
  const suspects = check.data?.suspects ?? []
  const conflict = problem?.status === 409 && (call.plate?.number ?? 0) !== draft.base
  const ask = (field: string, put: (value: string) => void) => {
    const hits = suspects.filter((s) => s.field === field)
    if (hits.length === 0) return undefined
    return hits.map((s) => (
      <div
        key={s.maybe}
        className="flex flex-wrap items-center gap-2 border-l-4 border-watch bg-field px-2 py-1"
      >
        <VerdictMark verdict="watch" word={`${figure(s.maybe)}?`} />
        <span className="min-w-0 flex-1 basis-40 text-sm">{s.why}</span>
        <Button
          className="min-h-11 px-3 text-sm"
          onClick={() => put(figure(s.maybe, 8))}
        >{t`Use ${figure(s.maybe)}`}</Button>
      </div>
    ))
  }
  const put =
    (name: keyof Draft) =>
    (value: string): void =>
      change({ [name]: value } as Partial<Draft>)
  const putRow = (list: 'compressors' | 'motors', i: number, name: keyof Row) => (value: string) =>
    change({ [list]: draft[list].map((r, k) => (k === i ? { ...r, [name]: value } : r)) } as Partial<Draft>)
  /** A value confirmed in the picture goes where it would have been typed. */
  const takeField = (field: string, value: string) => {
    if (field === 'rla_a') putRow('compressors', 0, 'a')(value)
    else if (field === 'lra_a') putRow('compressors', 0, 'b')(value)
    else if (field === 'fla_a')
      change({ motors: [{ ...(draft.motors[0] ?? row()), a: value }, ...draft.motors.slice(1)] })
    else if (field === 'hertz') change({ hertz: value === '60' ? '' : value })
    else if (field in draft) change({ [field]: value } as Partial<Draft>)
  }
  const submit = () => save.mutate({ plate, base_number: draft.base }, { onSuccess: clear })
  const simple = (
    name: 'volts' | 'mca_a' | 'mocp_a' | 'other_a' | 'run_cap_uf' | 'fan_cap_uf' | 'tons' | 'hp' | 'hertz',
  ) => ({
    name,
    value: draft[name],
    onChange: put(name),
    problem: typed(name),
    question: ask(name, put(name)),
  })
  return (
    <>
      {call.ladder.plate_trouble && <Findings findings={[call.ladder.plate_trouble]} />}
      {closed && plateNow && <PlateRead plate={plateNow} />}
      <Form
        figures={figures}
        label={t`Nameplate`}
        onSubmit={submit}
        className="grid gap-4 xl:grid-cols-[1fr_19rem]"
      >
        <div className="grid content-start gap-4">
          <PlatePhoto call={call} onTake={takeField} />
          <p className="text-soft">
            {call.plate
              ? t`Version ${call.plate.number} by ${call.plate.person}. Saving makes a new version; the old one is kept.`
              : t`Enter what the nameplate shows. Leave the rest blank.`}
          </p>
          <div className="grid grid-cols-2 gap-3">
            <FigureField
              label={t`Volts`}
              unit="V"
              {...simple('volts')}
              question={
                PAIR.test(draft.volts.trim()) ? (
                  <PairedVolts typed={draft.volts} onPick={put('volts')} />
                ) : (
                  ask('volts', put('volts'))
                )
              }
            />
            <Choice
              label={t`Phase`}
              value={draft.phase}
              onChange={put('phase')}
              options={[
                { value: '1', label: t`Single` },
                { value: '3', label: t`Three` },
              ]}
              problem={suspects.find((s) => s.field === 'phase')?.why ?? typed('phase')}
            />
          </div>
          {draft.compressors.map((c, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a plate's compressors are known by their position
            <fieldset key={i} className="border-t-2 border-line pt-2">
              <legend className="pr-2 font-bold">
                {draft.compressors.length > 1 ? t`Compressor ${i + 1}` : t`Compressor`}
              </legend>
              <div className="grid grid-cols-2 gap-3">
                <FigureField
                  label={t`RLA, rated load`}
                  unit="A"
                  value={c.a}
                  onChange={putRow('compressors', i, 'a')}
                  problem={typed(`compressors[${i}].rla_a`)}
                  question={ask(`compressors[${i}].rla_a`, putRow('compressors', i, 'a'))}
                />
                <FigureField
                  label={t`LRA, locked rotor`}
                  unit="A"
                  value={c.b}
                  onChange={putRow('compressors', i, 'b')}
                  problem={typed(`compressors[${i}].lra_a`)}
                  question={ask(`compressors[${i}].lra_a`, putRow('compressors', i, 'b'))}
                />
                <FigureField
                  label={t`Branch-circuit selection current (BCSC)`}
                  unit="A"
                  value={c.c}
                  onChange={putRow('compressors', i, 'c')}
                  problem={typed(`compressors[${i}].bcsc_a`)}
                />
                <TextField
                  label={t`Kind`}
                  value={c.kind}
                  onChange={putRow('compressors', i, 'kind')}
                  placeholder={t`scroll, reciprocating…`}
                />
              </div>
            </fieldset>
          ))}
          {draft.motors.map((m, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a plate's motors are known by their position
            <fieldset key={i} className="border-t-2 border-line pt-2">
              <legend className="pr-2 font-bold">
                {draft.motors.length > 1 ? t`Fan or other motor ${i + 1}` : t`Fan or other motor`}
              </legend>
              <div className="grid grid-cols-2 gap-3">
                <FigureField
                  label={t`FLA, full load`}
                  unit="A"
                  value={m.a}
                  onChange={putRow('motors', i, 'a')}
                  problem={typed(`motors[${i}].fla_a`)}
                  question={ask(`motors[${i}].fla_a`, putRow('motors', i, 'a'))}
                />
                <FigureField
                  label={t`LRA, if shown`}
                  unit="A"
                  value={m.b}
                  onChange={putRow('motors', i, 'b')}
                  problem={typed(`motors[${i}].lra_a`)}
                />
              </div>
            </fieldset>
          ))}
          <div className="flex flex-wrap gap-2">
            <Button
              onClick={() => change({ compressors: [...draft.compressors, row()] })}
            >{t`+ Compressor`}</Button>
            <Button onClick={() => change({ motors: [...draft.motors, row()] })}>{t`+ Motor`}</Button>
            {draft.compressors.length > 1 && (
              <Button
                onClick={() => change({ compressors: draft.compressors.slice(0, -1) })}
              >{t`− Compressor`}</Button>
            )}
            {draft.motors.length > 0 && (
              <Button onClick={() => change({ motors: draft.motors.slice(0, -1) })}>{t`− Motor`}</Button>
            )}
          </div>
          <div className="grid grid-cols-2 gap-3 border-t-2 border-line pt-3 sm:grid-cols-3">
            <FigureField label="MCA" unit="A" {...simple('mca_a')} />
            <FigureField label={t`MOCP (max fuse)`} unit="A" {...simple('mocp_a')} />
            <FigureField label={t`Other load`} unit="A" {...simple('other_a')} />
            <FigureField label={t`Run capacitor`} unit="µF" {...simple('run_cap_uf')} />
            <FigureField label={t`Fan capacitor`} unit="µF" {...simple('fan_cap_uf')} />
            <FigureField label={t`Cooling`} unit="ton" {...simple('tons')} />
            <FigureField label={t`Horsepower, if printed`} unit="hp" {...simple('hp')} />
            <FigureField label={t`Hertz, if not 60`} unit="Hz" {...simple('hertz')} />
          </div>
          {PICKS.filter((p) => p.field !== 'starting' || startsByItself(draft)).map((p) => (
            <Choice
              key={p.field}
              label={p.label}
              value={draft[p.field]}
              onChange={put(p.field)}
              options={p.options}
            />
          ))}
          <RefrigerantPick value={draft.refrigerant} onChange={put('refrigerant')} />
          <ProblemNote problem={problem} />
          {conflict && call.plate && (
            <div className="border-2 border-line bg-field p-3">
              <p className="font-bold">{t`Version ${call.plate.number} by ${call.plate.person} is there now.`}</p>
              <div className="flex flex-wrap gap-2 pt-2">
                <Button
                  onClick={() => change({ base: call.plate?.number ?? 0 })}
                >{t`Save mine as the newer version`}</Button>
                <Button
                  onClick={() => {
                    save.reset()
                    clear()
                  }}
                >{t`Discard mine`}</Button>
              </div>
            </div>
          )}
          <div className="sticky bottom-[3.4rem] @max-[17rem]:static z-10 -mx-4 lg:bottom-0 border-t-2 border-ink bg-plane px-4 py-2">
            <Button
              kind="primary"
              type="submit"
              busy={save.isPending}
              className="w-full sm:w-auto"
            >{t`Save the nameplate`}</Button>
          </div>
        </div>
        <aside aria-label={t`Nameplate check`} className="content-start">
          <h3 className="border-b-2 border-ink font-bold">{t`Nameplate check`}</h3>
          {check.data ? (
            <>
              <dl className="grid grid-cols-[1fr_auto] gap-y-1 py-2">
                <dt>{t`MCA from the loads`}</dt>
                <dd className="figure text-right text-lg">{amps(check.data.mca_a, 6)}</dd>
                <dt>{t`MOCP, at most`}</dt>
                <dd className="figure text-right text-lg">{amps(check.data.mocp_a)}</dd>
                <dt>{t`Breaker to try first (175 %)`}</dt>
                <dd className="figure text-right text-lg">{amps(check.data.mocp_start_a)}</dd>
              </dl>
              <FoldedFindings findings={check.data.findings} />
            </>
          ) : (
            <p className="py-2 text-soft">{t`Volts, RLA and LRA are enough to start.`}</p>
          )}
          <p className="border-t border-faint pt-2 text-sm text-soft">{t`Local code and the authority having jurisdiction decide.`}</p>
        </aside>
      </Form>
    </>
  )
}

const PAIR = /^(\d{2,3})\s*[/-]\s*(\d{2,3})( ?v)?$/i

/** "208/230" as printed: one plate, two supplies; the one that is here is requested. */
function PairedVolts({ typed, onPick }: { typed: string; onPick: (volts: string) => void }) {
  const pair = PAIR.exec(typed.trim())
  if (!pair) return null
  return (
    <div className="border-l-4 border-watch bg-field p-2">
      <p className="font-bold">{t`Rated ${typed.trim()} V. Which is the supply here?`}</p>
      <div className="flex flex-wrap gap-2 pt-1">
        {[pair[1], pair[2]].map((volts) => (
          <Button key={volts} onClick={() => onPick(volts ?? '')}>
            {volts} V
          </Button>
        ))}
      </div>
    </div>
  )
}

/** Picked from the list, never typed; what an old record says that the list has not stays as it was read. */
function RefrigerantPick({ value, onChange }: { value: string; onChange: (value: string) => void }) {
  const known = useReference().data?.refrigerants ?? []
  const chosen = known.find((r) => r.name === value)
  return (
    <div className="max-w-sm">
      <Pick
        label={t`Refrigerant`}
        value={value}
        onChange={onChange}
        options={[
          { value: '', label: t`Not read` },
          ...(value && !chosen ? [{ value, label: t`${value}, not on the list` }] : []),
          ...known.map((r) => ({ value: r.name, label: `${r.name} · ${r.safety}` })),
        ]}
      />
      {value && chosen?.safety !== 'A1' && (
        <p className="pt-1 font-bold text-watch">
          {chosen
            ? t`△ ${chosen.safety}: flammable. Check for leaks; only parts listed for it go in.`
            : t`△ Not on the list: treat as flammable. Check for leaks; only parts listed for it go in.`}
        </p>
      )}
    </div>
  )
}

/** A plate to be read: the rows of a closed call. */
function PlateRead({ plate }: { plate: Plate }) {
  const rows: [string, string][] = [
    [t`Volts`, t`${figure(plate.volts)} V, ${plate.phase} phase`],
    ...plate.compressors.map((c): [string, string] => [
      t`Compressor`,
      `RLA ${figure(c.rla_a)}${c.lra_a ? ` · LRA ${figure(c.lra_a)}` : ''} A`,
    ]),
    ...(plate.motors ?? []).map((m): [string, string] => [t`Motor`, `FLA ${figure(m.fla_a)} A`]),
    ['MCA · MOCP', `${text(plate.mca_a) || '–'} · ${text(plate.mocp_a) || '–'} A`],
    [t`Capacitors`, `${text(plate.run_cap_uf) || '–'} / ${text(plate.fan_cap_uf) || '–'} µF`],
    [t`Refrigerant`, plate.refrigerant ?? '–'],
  ]
  return (
    <dl className="grid max-w-md grid-cols-[auto_1fr] gap-x-4">
      {rows.map(([word, value], i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a plate's rows are known by their position
        <div key={i} className="contents">
          <dt className="text-soft">{word}</dt>
          <dd className="figure">{value}</dd>
        </div>
      ))}
    </dl>
  )
}
