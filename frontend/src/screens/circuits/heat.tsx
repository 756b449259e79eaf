import { useQuery } from '@tanstack/react-query'
import { answer, client, problemOf, type Schemas } from '../../api/client'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { nextId, useDraft } from '../../parts/draft'
import { FigureField } from '../../parts/field'
import { FigureScope, NotComputed, useFigures } from '../../parts/figures'
import { ProblemNote } from '../../parts/problem'
import { Findings } from '../../parts/verdict'
import { figure, parseFigure } from '../../quantities/format'
import { EditionPick, sizeWord, TerminalsChoice } from './wiring-fields'

type Kit = { id: number; kw: string; rated: string; stage: string; after: string }
type Draft = {
  kits: Kit[]
  supply: string
  phase: string
  blower: string
  edition: string
  termination: string
  single: string
  mVolts: string
  mAmps: string
  rise: string
  height: string
  low: string
  high: string
  needed: string
  list: string
  pump: string
}
const START: Draft = {
  kits: [
    { id: 1, kw: '4.8', rated: '240', stage: '1', after: '20' },
    { id: 2, kw: '4.8', rated: '240', stage: '1', after: '20' },
    { id: 3, kw: '4.8', rated: '240', stage: '2', after: '90' },
  ],
  supply: '240',
  phase: '1',
  blower: '4.3',
  edition: '2023',
  termination: '',
  single: '',
  mVolts: '',
  mAmps: '',
  rise: '',
  height: '',
  low: '',
  high: '',
  needed: '',
  list: '',
  pump: '',
}

/** Heat strips: power at the volts there are, circuits, banks by stage, and what was measured. */
export function HeatBench() {
  const [d, change] = useDraft<Draft>('heat', START)
  const figures = useFigures()
  const n = (text: string, unit = '') => parseFigure(text, unit)
  const measured =
    n(d.mVolts, 'V') !== null && n(d.mAmps, 'A') !== null
      ? {
          volts: n(d.mVolts, 'V'),
          amps: n(d.mAmps, 'A'),
          delta_t_f: n(d.rise, '°F'),
          altitude_ft: n(d.height, 'ft'),
        }
      : null
  const entry = {
    kits: d.kits.map((k) => ({
      kw: n(k.kw, 'kW'),
      rated_v: n(k.rated, 'V'),
      stage: n(k.stage),
      on_after_s: n(k.after, 's'),
    })),
    supply_v: n(d.supply, 'V'),
    phase: Number(d.phase),
    blower_fla_a: n(d.blower, 'A'),
    edition: d.edition,
    ...(d.termination && { termination_c: Number(d.termination) }),
    ...(d.single && { single_point: d.single === 'yes' }),
    rise_low_f: n(d.low, '°F'),
    rise_high_f: n(d.high, '°F'),
    needed_kw: n(d.needed, 'kW'),
    listed_kits_kw: d.list.trim()
      ? d.list
          .split(/[\s;]+/)
          .map((x) => parseFigure(x, 'kW'))
          .filter((x) => x !== null)
      : null,
    heat_pump_mca_a: n(d.pump, 'A'),
    measured,
  } as Schemas['HeatIn']
  const heat = useQuery({
    queryKey: ['heat', entry],
    enabled: figures.whole,
    queryFn: () => answer(client.POST('/api/calc/heat', { body: entry })),
    placeholderData: (old) => old,
    retry: false,
  })
  const put = (i: number, part: Partial<Kit>) =>
    change({ kits: d.kits.map((k, j) => (j === i ? { ...k, ...part } : k)) })
  const field = (key: keyof Omit<Draft, 'kits'>, label: string, unit?: string, many = false) => (
    <FigureField
      label={label}
      many={many}
      {...(unit && { unit })}
      value={d[key]}
      onChange={(v) => change({ [key]: v })}
    />
  )
  const out = figures.whole ? heat.data : undefined
  return (
    <FigureScope figures={figures}>
      <div className="grid gap-4">
        <NotComputed figures={figures} />
        <div className="grid grid-cols-2 gap-3 sm:grid-cols-4">
          {field('supply', 'Supply', 'V')}
          {field('blower', 'Blower', 'A')}
          <EditionPick value={d.edition} onChange={(v) => change({ edition: v })} />
          {field('pump', 'Heat pump MCA', 'A')}
        </div>
        <div className="flex flex-wrap gap-4">
          <Choice
            label="Phase"
            value={d.phase}
            onChange={(v) => change({ phase: v })}
            options={[
              { value: '1', label: 'Single' },
              { value: '3', label: 'Three' },
            ]}
          />
          <TerminalsChoice value={d.termination} onChange={(v) => change({ termination: v })} />
          <Choice
            label="Listed single-point kit"
            value={d.single}
            onChange={(v) => change({ single: v })}
            options={[
              { value: '', label: 'Not entered' },
              { value: 'yes', label: 'Yes' },
              { value: 'no', label: 'No' },
            ]}
          />
        </div>
        <fieldset>
          <legend className="text-sm font-bold text-soft">Elements or groups</legend>
          {d.kits.map((k, i) => (
            <div key={k.id} className="grid grid-cols-2 gap-2 pb-2 sm:grid-cols-[1fr_1fr_1fr_1fr_auto]">
              <FigureField
                label={`Element ${i + 1}`}
                unit="kW"
                value={k.kw}
                onChange={(kw) => put(i, { kw })}
              />
              <FigureField label="Rated" unit="V" value={k.rated} onChange={(rated) => put(i, { rated })} />
              <FigureField label="Stage" value={k.stage} onChange={(stage) => put(i, { stage })} />
              <FigureField
                label="Closes after"
                unit="s"
                value={k.after}
                onChange={(after) => put(i, { after })}
              />
              <Button
                kind="quiet"
                className="self-end px-2"
                aria-label={`Take element ${i + 1} away`}
                disabled={d.kits.length === 1}
                onClick={() => change({ kits: d.kits.filter((_, j) => j !== i) })}
              >
                Away
              </Button>
            </div>
          ))}
          <Button
            onClick={() =>
              change({
                kits: [...d.kits, { id: nextId(d.kits), kw: '4.8', rated: '240', stage: '2', after: '90' }],
              })
            }
          >
            Add an element
          </Button>
        </fieldset>
        <ProblemNote problem={problemOf(heat.error)} />
        {out && !heat.error && (
          <>
            <p className="text-lg">
              <b className="figure">{figure(out.kw_actual, 4)} kW</b> here, {figure(out.heater_a, 4)} A;{' '}
              {out.subdivisions} circuit{out.subdivisions > 1 ? 's' : ''}
              {out.all_at_once_a !== null && `; everything at once ${figure(out.all_at_once_a, 4)} A`}
            </p>
            <Banks draft={d} out={out} />
            <ol aria-label="Heat circuits" className="grid gap-2 sm:grid-cols-2">
              {out.circuits.map((c, i) => (
                <li key={c.kits.join()} className="border-2 border-ink bg-field p-3">
                  <p className="font-bold">
                    Circuit {i + 1}
                    {c.blower_a > 0 && ', with the blower'}
                  </p>
                  <p className="figure text-2xl">{c.overcurrent_a} A</p>
                  <p className="figure">
                    {sizeWord(c.conductor_awg)}, ground {sizeWord(c.egc_awg)} · {figure(c.load_a, 4)} A load ·
                    disconnect at least {figure(c.disconnect_min_a, 4)} A
                  </p>
                </li>
              ))}
            </ol>
          </>
        )}
        <details open={measured !== null}>
          <summary className="min-h-11 cursor-pointer py-2 font-bold">Measured while it heats</summary>
          <div className="grid grid-cols-2 gap-3 sm:grid-cols-3">
            {field('mVolts', 'Volts measured', 'V')}
            {field('mAmps', 'Amps measured', 'A')}
            {field('rise', 'Temperature rise', '°F')}
            {field('height', 'Elevation', 'ft')}
            {field('low', 'Plate, rise from', '°F')}
            {field('high', 'Plate, rise to', '°F')}
          </div>
          {out?.expected_a != null && (
            <p className="pt-2 text-lg">
              {out.elements_working} of {d.kits.length} heat; {figure(out.expected_a, 4)} A expected
              {out.airflow_cfm !== null && (
                <>
                  ; <b className="figure">{out.airflow_cfm.toFixed(0)} CFM</b>
                </>
              )}
              .
            </p>
          )}
        </details>
        <details>
          <summary className="min-h-11 cursor-pointer py-2 font-bold">Which kit?</summary>
          <div className="grid gap-3 sm:grid-cols-2">
            {field('needed', 'Heat loss less heat pump', 'kW')}
            {field('list', "The air handler's listed kits", 'kW', true)}
          </div>
          {out?.kit_choice_kw != null && <p className="pt-2 text-lg">The {out.kit_choice_kw} kW kit.</p>}
        </details>
        {out && !heat.error && <Findings findings={out.findings} />}
      </div>
    </FigureScope>
  )
}

/** Elements as banks by stage: taller is stronger, each stage a column as the sequencer closes it. */
function Banks({ draft, out }: { draft: Draft; out: Schemas['HeatOut'] }) {
  const most = Math.max(...draft.kits.map((k) => parseFigure(k.kw) ?? 0), 1)
  const told = out.stages.map(
    (s) =>
      `stage ${s.stage}: ${figure(s.kw, 3)} kW, ${figure(s.total_a, 3)} A${s.after_s !== null ? ` after ${s.after_s} s` : ''}`,
  )
  return (
    <figure>
      <svg
        viewBox={`0 0 ${Math.max(2, out.stages.length) * 170} 150`}
        className="w-full max-w-md border border-faint bg-field"
        role="img"
        aria-label={`Banks by stage: ${told.join('; ')}`}
      >
        {out.stages.map((s, i) => {
          const mine = draft.kits
            .filter((k) => (parseFigure(k.stage) ?? 1) === s.stage)
            .map((k, place) => ({ ...k, place }))
          return (
            <g key={s.stage} transform={`translate(${i * 170 + 12} 0)`}>
              <text y="18" fontSize="14" fontWeight="bold" fill="var(--ink)">
                Stage {s.stage}
                {s.after_s !== null ? `, after ${s.after_s} s` : ''}
              </text>
              {mine.map((k) => {
                const h = 20 + (66 * (parseFigure(k.kw) ?? 0)) / most
                const x = k.place * 34
                const zigzag = Array.from(
                  { length: 9 },
                  (_, z) => `${x + (z % 2 ? 20 : 4)} ${112 - (h * z) / 8}`,
                )
                return (
                  <polyline
                    key={`element ${k.place}`}
                    points={zigzag.join(' ')}
                    fill="none"
                    stroke="var(--orange)"
                    strokeWidth="3.5"
                  />
                )
              })}
              <text y="138" fontSize="14" fill="var(--ink)">
                {figure(s.kw, 3)} kW · {figure(s.total_a, 3)} A
              </text>
            </g>
          )
        })}
      </svg>
    </figure>
  )
}
