import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'
import { at, type Problem, problemOf, Refusal, type Schemas } from '../../api/client'
import { FigureField } from '../../parts/field'
import { FigureScope, NotComputed, useFigures } from '../../parts/figures'
import { Pick } from '../../parts/pick'
import { ProblemNote } from '../../parts/problem'
import { Findings } from '../../parts/verdict'
import { parseFigure } from '../../quantities/figure'
import { typed } from '../../quantities/measures'
import { sizeOptions, YES_NO } from './wiring-words'

type Ask = { key: string; label: string; unit?: string; start: string; list?: boolean }
type Pickable = { key: string; label: string; options: { value: string; label: string }[]; start: string }
type Sum = {
  topic:
    | 'drop'
    | 'bleed'
    | 'capacitor'
    | 'power'
    | 'airflow'
    | 'combine'
    | 'service'
    | 'fault'
    | 'cover'
    | 'torque'
  title: string
  asks: Ask[]
  picks?: Pickable[]
  fixed?: Record<string, unknown>
  numbers?: string[]
  flags?: string[]
  say: (out: Record<string, unknown>) => string
}
const PHASE = {
  key: 'phase',
  label: t`Phase`,
  start: '1',
  options: [
    { value: '1', label: t`single` },
    { value: '3', label: t`three` },
  ],
}
const yesNo = (key: string, label: string, start: string): Pickable => ({
  key,
  label,
  options: YES_NO,
  start,
})
const num = (out: Record<string, unknown>, key: string, digits = 4) => {
  const v = out[key]
  return typeof v === 'number' ? String(Number(v.toPrecision(digits))) : '–'
}

const SUMS: Sum[] = [
  {
    topic: 'drop',
    title: t`Voltage drop`,
    asks: [
      { key: 'length_ft', label: t`Length, one way`, unit: 'ft', start: '100' },
      { key: 'amps', label: t`Amps`, unit: 'A', start: '19.3' },
      { key: 'volts', label: t`Volts`, unit: 'V', start: '240' },
    ],
    picks: [{ key: 'conductor_awg', label: t`Conductor`, options: sizeOptions, start: '10' }, PHASE],
    numbers: ['phase'],
    say: (o) => `${num(o, 'drop_v', 3)} V, ${num(o, 'drop_pct', 3)} %`,
  },
  {
    topic: 'service',
    title: t`Service load of a house`,
    asks: [
      { key: 'area_ft2', label: t`Floor area, ft²`, start: '2000' },
      { key: 'appliances_w', label: t`Appliances, watts`, start: '22000' },
      { key: 'cooling_a', label: t`Air conditioner or heat pump`, unit: 'A', start: '22' },
      { key: 'strips_kw', label: t`Heat strips`, unit: 'kW', start: '10' },
      { key: 'service_a', label: t`Existing service`, unit: 'A', start: '150' },
    ],
    picks: [
      yesNo('heat_pump', t`Heat pump?`, 'yes'),
      yesNo('together', t`Runs with its strips?`, 'yes'),
      yesNo('existing', t`Existing house?`, 'no'),
    ],
    flags: ['heat_pump', 'together', 'existing'],
    say: (o) => `${num(o, 'amps')} A`,
  },
  {
    topic: 'fault',
    title: t`Available fault current`,
    asks: [
      { key: 'transformer_kva', label: t`Transformer`, unit: 'kVA', start: '25' },
      { key: 'impedance_pct', label: t`Its impedance`, unit: '%', start: '2' },
      { key: 'volts', label: t`Volts`, unit: 'V', start: '240' },
      { key: 'length_ft', label: t`Length, one way`, unit: 'ft', start: '100' },
    ],
    picks: [{ key: 'conductor_awg', label: t`Conductor`, options: sizeOptions, start: '2/0' }, PHASE],
    numbers: ['phase'],
    say: (o) => `${num(o, 'at_unit_a')} A`,
  },
  {
    topic: 'cover',
    title: t`Cover over buried wiring`,
    asks: [],
    picks: [
      {
        key: 'location',
        label: t`Where`,
        start: 'ground',
        options: [
          { value: 'ground', label: t`In the ground` },
          { value: 'concrete_2in', label: t`In a trench under 2 in of concrete` },
          { value: 'driveway_dwelling', label: t`Under a driveway of a house` },
          { value: 'street_or_parking', label: t`Under a street or parking lot` },
        ],
      },
      {
        key: 'method',
        label: t`What lies in it`,
        start: 'cable',
        options: [
          { value: 'cable', label: t`Cable` },
          { value: 'metal_raceway', label: t`Rigid metal conduit` },
          { value: 'plastic_raceway', label: t`Plastic conduit` },
          { value: 'low_gfci', label: t`120 V, GFCI, 20 A or less` },
        ],
      },
    ],
    say: (o) => `${num(o, 'cover_in')} in`,
  },
  {
    topic: 'torque',
    title: t`Torque, label gone`,
    asks: [],
    picks: [
      { key: 'conductor_awg', label: t`Conductor`, options: sizeOptions, start: '10' },
      {
        key: 'screw',
        label: t`Screw`,
        start: 'slot_large',
        options: [
          { value: 'slot_small', label: t`Small slot` },
          { value: 'slot_large', label: t`Large slot` },
          { value: 'hex', label: t`Hex` },
        ],
      },
    ],
    say: (o) => `${num(o, 'torque_lbin')} lb-in`,
  },
  {
    topic: 'power',
    title: t`Kilowatts to amps`,
    asks: [
      { key: 'kw', label: t`Kilowatts`, unit: 'kW', start: '9.6' },
      { key: 'volts', label: t`Volts`, unit: 'V', start: '240' },
    ],
    picks: [PHASE],
    numbers: ['phase'],
    say: (o) => `${num(o, 'amps')} A`,
  },
  {
    topic: 'power',
    title: t`Amps to kilowatts`,
    asks: [
      { key: 'amps', label: t`Amps`, unit: 'A', start: '40' },
      { key: 'volts', label: t`Volts`, unit: 'V', start: '240' },
      { key: 'power_factor', label: t`Power factor`, start: '1' },
    ],
    picks: [PHASE],
    numbers: ['phase'],
    say: (o) => `${num(o, 'kw')} kW`,
  },
  {
    topic: 'airflow',
    title: t`Airflow from electric heat`,
    asks: [
      { key: 'volts', label: t`Volts`, unit: 'V', start: '238' },
      { key: 'amps', label: t`Amps`, unit: 'A', start: '40' },
      { key: 'delta_t_f', label: t`Rise`, unit: 'Δ°F', start: '30' },
      { key: 'altitude_ft', label: t`Elevation`, unit: 'ft', start: '4300' },
    ],
    say: (o) => `${num(o, 'airflow_cfm')} CFM`,
  },
  {
    topic: 'combine',
    title: t`Capacitors together`,
    asks: [
      { key: 'each_uf', label: t`Each, with spaces`, unit: 'µF', start: '40 5', list: true },
      { key: 'across_v', label: t`Across all`, unit: 'V', start: '370' },
    ],
    picks: [
      {
        key: 'how',
        label: t`How`,
        start: 'parallel',
        options: [
          { value: 'parallel', label: t`in parallel` },
          { value: 'series', label: t`in series` },
        ],
      },
    ],
    say: (o) => `${num(o, 'total_uf')} µF`,
  },
  {
    topic: 'capacitor',
    title: t`Capacitor under load`,
    asks: [
      { key: 'label_uf', label: t`Label`, unit: 'µF', start: '45' },
      { key: 'winding_a', label: t`Amps in its lead`, unit: 'A', start: '5.8' },
      { key: 'capacitor_v', label: t`Volts across it`, unit: 'V', start: '345' },
    ],
    fixed: { hertz: 60, tolerance_pct: 6 },
    say: (o) => `${num(o, 'measured_uf')} µF`,
  },
  {
    topic: 'bleed',
    title: t`Bleed a capacitor down`,
    asks: [
      { key: 'capacitance_uf', label: t`Capacitance`, unit: 'µF', start: '45' },
      { key: 'rated_v', label: t`Rated`, unit: 'V', start: '440' },
      { key: 'resistance_ohm', label: t`Resistor`, unit: 'Ω', start: '20000' },
    ],
    say: (o) => `${num(o, 'time_to_limit_s', 3)} s`,
  },
]

/** The sums done on the back of a glove box, each with its working. */
export function QuickSums() {
  return (
    <div className="grid gap-6 lg:grid-cols-2">
      {SUMS.map((s) => (
        <OneSum key={s.title} sum={s} />
      ))}
    </div>
  )
}

function OneSum({ sum }: { sum: Sum }) {
  const [values, setValues] = useState<Record<string, string>>(() =>
    Object.fromEntries([
      ...sum.asks.map((a) => [a.key, a.unit && !a.list ? typed(Number(a.start), a.unit) : a.start]),
      ...(sum.picks ?? []).map((p) => [p.key, p.start]),
    ]),
  )
  const figures = useFigures()
  const entry: Record<string, unknown> = { ...sum.fixed }
  for (const a of sum.asks)
    entry[a.key] = a.list
      ? (values[a.key] ?? '')
          .split(/\s+/)
          .filter(Boolean)
          .map((one) => parseFigure(one, a.unit))
      : parseFigure(values[a.key] ?? '', a.unit)
  for (const p of sum.picks ?? [])
    entry[p.key] = sum.numbers?.includes(p.key)
      ? Number(values[p.key])
      : sum.flags?.includes(p.key)
        ? values[p.key] === 'yes'
        : values[p.key]
  const made = useQuery({
    queryKey: ['quick', sum.title, entry],
    enabled: figures.whole,
    queryFn: () => calculate(sum.topic, entry),
    placeholderData: (old) => old,
    retry: false,
  })
  const set = (key: string) => (v: string) => setValues((old) => ({ ...old, [key]: v }))
  return (
    <FigureScope figures={figures}>
      <Block title={sum.title}>
        <div className="grid grid-cols-2 gap-2 sm:grid-cols-3">
          {sum.asks.map((a) => (
            <FigureField
              key={a.key}
              label={a.label}
              {...(a.unit && { unit: a.unit })}
              many={a.list ?? false}
              value={values[a.key] ?? ''}
              onChange={set(a.key)}
            />
          ))}
          {sum.picks?.map((p) => (
            <Pick
              key={p.key}
              label={p.label}
              value={values[p.key] ?? ''}
              onChange={set(p.key)}
              options={p.options}
            />
          ))}
        </div>
        <ProblemNote problem={problemOf(made.error)} />
        <NotComputed figures={figures} />
        {made.data && !made.error && figures.whole && (
          <>
            <p className="figure pt-2 text-2xl font-bold" role="status">
              {sum.say(made.data)}
            </p>
            <Findings findings={made.data.findings.slice(0, 2)} />
          </>
        )}
      </Block>
    </FigureScope>
  )
}

async function calculate(
  topic: string,
  entry: unknown,
): Promise<Record<string, unknown> & { findings: Schemas['Finding'][] }> {
  const answered = await fetch(at(`/api/calc/${topic}`), {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify(entry),
  })
  const body = await answered.json()
  if (!answered.ok) throw new Refusal(body as Problem)
  return body as Record<string, unknown> & { findings: Schemas['Finding'][] }
}

function Block({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section aria-label={title}>
      <h3 className="mb-2 border-b-2 border-ink font-bold">{title}</h3>
      {children}
    </section>
  )
}
