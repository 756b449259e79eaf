import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { answer, client, problemOf, type Schemas } from '../../api/client'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { nextId, useDraft } from '../../parts/draft'
import { FigureField } from '../../parts/field'
import { FigureScope, NotComputed, useFigures } from '../../parts/figures'
import { Pick } from '../../parts/pick'
import { ProblemNote } from '../../parts/problem'
import { parseCount, parseFigure } from '../../quantities/figure'
import { figure } from '../../quantities/format'
import { AnswerFirst } from './answer-first'
import { ExampleOrClear } from './example-or-clear'
import { EDITIONS, INSULATIONS, METALS, RACEWAYS, TERMINALS, YES_NO } from './wiring-words'

type Kit = {
  id: number
  kw: string
  elements: string
  rated: string
  stage: string
  after: string
  joined: string
}
type Draft = {
  kits: Kit[]
  supply: string
  phase: string
  blower: string
  edition: string
  termination: string
  insulation: string
  material: string
  ambient: string
  conductors: string
  length: string
  raceway: string
  limit: string
  single: string
  mca: string
  mocp: string
  mVolts: string
  mAmps: string
  stages: string
  rise: string
  height: string
  low: string
  high: string
  needed: string
  list: string
  pump: string
}
const kitRow = (id: number, part: Partial<Kit> = {}): Kit => ({
  id,
  kw: '',
  elements: '',
  rated: '',
  stage: '',
  after: '',
  joined: '',
  ...part,
})
const START: Draft = {
  kits: [kitRow(1)],
  supply: '',
  phase: '',
  blower: '',
  edition: '',
  termination: '',
  insulation: '',
  material: '',
  ambient: '',
  conductors: '',
  length: '',
  raceway: '',
  limit: '',
  single: '',
  mca: '',
  mocp: '',
  mVolts: '',
  mAmps: '',
  stages: '',
  rise: '',
  height: '',
  low: '',
  high: '',
  needed: '',
  list: '',
  pump: '',
}
/** Made up, for looking around. */
const EXAMPLE: Partial<Draft> = {
  kits: [
    kitRow(1, { kw: '9.6', elements: '2', rated: '240', stage: '1', after: '20' }),
    kitRow(2, { kw: '4.8', elements: '1', rated: '240', stage: '2', after: '90' }),
  ],
  supply: '240',
  phase: '1',
  blower: '4.3',
  ambient: '120',
}

const notEntered = { value: '', label: t`Not entered` }
const given = (entry: Record<string, unknown>) =>
  Object.fromEntries(Object.entries(entry).filter(([, v]) => v !== null && v !== ''))

function entryOf(d: Draft): Record<string, unknown> {
  const n = parseFigure
  return given({
    kits: d.kits.map((k) =>
      given({
        kw: n(k.kw, 'kW'),
        rated_v: n(k.rated, 'V'),
        elements: parseCount(k.elements),
        connection: d.phase === '3' ? k.joined : null,
        stage: parseCount(k.stage),
        on_after_s: n(k.after, 's'),
      }),
    ),
    supply_v: n(d.supply, 'V'),
    phase: d.phase === '' ? null : Number(d.phase),
    blower_fla_a: n(d.blower, 'A'),
    edition: d.edition,
    termination_c: d.termination === '' ? null : Number(d.termination),
    insulation: d.insulation,
    material: d.material,
    ambient_f: n(d.ambient, '°F'),
    current_carrying_conductors: parseCount(d.conductors),
    length_ft: n(d.length, 'ft'),
    raceway: d.raceway,
    drop_limit_pct: n(d.limit, '%'),
    single_point: d.single === '' ? null : d.single === 'yes',
    mca_a: d.single === 'yes' ? n(d.mca, 'A') : null,
    mocp_a: d.single === 'yes' ? n(d.mocp, 'A') : null,
    rise_low_f: n(d.low, 'Δ°F'),
    rise_high_f: n(d.high, 'Δ°F'),
    needed_kw: n(d.needed, 'kW'),
    listed_kits_kw: d.list.trim()
      ? d.list
          .split(/[\s;]+/)
          .map((x) => n(x, 'kW'))
          .filter((x) => x !== null)
      : null,
    heat_pump_mca_a: n(d.pump, 'A'),
    measured:
      n(d.mVolts, 'V') === null || n(d.mAmps, 'A') === null
        ? null
        : given({
            volts: n(d.mVolts, 'V'),
            amps: n(d.mAmps, 'A'),
            stages_called: parseCount(d.stages),
            delta_t_f: n(d.rise, 'Δ°F'),
            altitude_ft: n(d.height, 'ft'),
          }),
  })
}

function lackingOf(entry: Record<string, unknown>): string | null {
  const kits = entry.kits as Record<string, unknown>[]
  const missing = [
    ...(kits.some((k) => k.kw === undefined || k.rated_v === undefined)
      ? [t`the kit’s kW and rated volts`]
      : []),
    ...(entry.supply_v === undefined ? [t`the supply’s volts`] : []),
    ...(entry.phase === undefined ? [t`the phase`] : []),
    ...(entry.blower_fla_a === undefined ? [t`the blower’s amps (0 if none)`] : []),
  ]
  return missing.length ? t`Enter ${missing.join(', ')}.` : null
}

/** Heat strips: power at the volts there are, circuits, banks by stage, and what was measured. */
export function HeatBench() {
  const [d, change, clear] = useDraft<Draft>('heat.kits', START)
  const figures = useFigures()
  const entry = entryOf(d)
  const lacks = lackingOf(entry)
  const ready = figures.whole && lacks === null
  const heat = useQuery({
    queryKey: ['heat', entry],
    enabled: ready,
    queryFn: () => answer(client.POST('/api/calc/heat', { body: entry as Schemas['HeatIn'] })),
    placeholderData: (old) => old,
    retry: false,
  })
  const put = (i: number, part: Partial<Kit>) =>
    change({ kits: d.kits.map((k, j) => (j === i ? { ...k, ...part } : k)) })
  type Text = keyof Omit<Draft, 'kits'>
  const field = (key: Text, label: string, unit?: string, many = false) => (
    <FigureField
      label={label}
      many={many}
      whole={unit === undefined}
      {...(unit && { unit })}
      value={d[key]}
      onChange={(v) => change({ [key]: v })}
    />
  )
  const pick = (key: Text, label: string, options: { value: string; label: string }[]) => (
    <Pick
      label={label}
      value={d[key]}
      onChange={(v) => change({ [key]: v })}
      options={[notEntered, ...options]}
    />
  )
  const choice = (key: Text, label: string, options: { value: string; label: string }[]) => (
    <Choice
      label={label}
      value={d[key]}
      onChange={(v) => change({ [key]: v })}
      options={[notEntered, ...options]}
    />
  )
  const out = ready && !heat.error ? heat.data : undefined
  const asked = out?.findings.filter((f) => f.code === 'ELEMENTS_UNSAID') ?? []
  const offered = (i: number) => asked.find((f) => f.inputs?.kit === i + 1)?.inputs?.usual
  return (
    <FigureScope figures={figures}>
      <div className="grid gap-4">
        <NotComputed figures={figures} />
        {ready && <ProblemNote problem={problemOf(heat.error)} />}
        {lacks && <p className="text-lg">{lacks}</p>}
        {out && (
          <>
            <AnswerFirst out={out} findings={out.findings} />
            {out.all_at_once_a !== null && (
              <p className="figure text-lg">{t`Heat pump and strips at once: ${figure(out.all_at_once_a, 4)} A`}</p>
            )}
            <Banks draft={d} out={out} />
          </>
        )}
        <fieldset className="grid gap-2">
          <legend className="mb-2 border-b-2 border-ink font-bold">{t`Kits, as they are sold`}</legend>
          {d.kits.map((k, i) => {
            const usual = offered(i)
            const each = out?.elements[i]
            const several = d.kits.length > 1
            const of = (label: string) => (several ? t`Kit ${i + 1} ${label}` : t`Kit ${label}`)
            return (
              <div key={k.id} className="grid grid-cols-2 gap-2 border-b border-faint pb-2 sm:grid-cols-5">
                <FigureField label={of('kW')} unit="kW" value={k.kw} onChange={(kw) => put(i, { kw })} />
                <FigureField
                  label={of('elements')}
                  whole
                  value={k.elements}
                  onChange={(elements) => put(i, { elements })}
                />
                <FigureField
                  label={of('rated')}
                  unit="V"
                  value={k.rated}
                  onChange={(rated) => put(i, { rated })}
                />
                <FigureField
                  label={of('stage')}
                  whole
                  value={k.stage}
                  onChange={(stage) => put(i, { stage })}
                />
                <FigureField
                  label={of(t`closes after`)}
                  unit="s"
                  value={k.after}
                  onChange={(after) => put(i, { after })}
                />
                {d.phase === '3' && (
                  <Pick
                    label={of(t`joined in`)}
                    value={k.joined}
                    onChange={(joined) => put(i, { joined })}
                    options={[
                      notEntered,
                      { value: 'delta', label: t`Delta` },
                      { value: 'wye', label: t`Wye` },
                    ]}
                  />
                )}
                <div className="col-span-full flex flex-wrap items-center gap-x-4 gap-y-1">
                  {typeof usual === 'number' && (
                    <Button onClick={() => put(i, { elements: String(usual) })}>
                      {usual} × {figure((parseFigure(k.kw, 'kW') ?? 0) / usual, 3)} kW?
                    </Button>
                  )}
                  {each && (
                    <span className="text-soft">
                      {t`${each.count} × ${figure(each.each_kw, 3)} kW, ${figure(each.each_a, 4)} A each`}
                      {each.cold_ohm !== null && t`; cold ${figure(each.cold_ohm, 3)} Ω each`}
                      {each.between_leads_ohm !== null &&
                        t`; cold between leads ${figure(each.between_leads_ohm, 3)} Ω`}
                    </span>
                  )}
                  {several && (
                    <Button
                      kind="quiet"
                      aria-label={t`Remove kit ${i + 1}`}
                      onClick={() => change({ kits: d.kits.filter((_, j) => j !== i) })}
                    >{t`Remove`}</Button>
                  )}
                </div>
              </div>
            )
          })}
          <div className="flex flex-wrap gap-2">
            <Button onClick={() => change({ kits: [...d.kits, kitRow(nextId(d.kits))] })}>{t`+ Kit`}</Button>
            <ExampleOrClear d={d} nothing={START} example={EXAMPLE} change={change} clear={clear} />
          </div>
        </fieldset>
        <fieldset className="grid gap-3">
          <legend className="mb-2 border-b-2 border-ink font-bold">{t`Supply and air handler`}</legend>
          <div className="grid grid-cols-2 gap-3 sm:grid-cols-3">
            {field('supply', t`Supply`, 'V')}
            {field('blower', t`Blower`, 'A')}
            {field('pump', t`Heat pump MCA`, 'A')}
          </div>
          <div className="flex flex-wrap gap-4">
            {choice('phase', t`Phase`, [
              { value: '1', label: t`Single` },
              { value: '3', label: t`Three` },
            ])}
            {choice('single', t`Listed single-point kit`, YES_NO)}
          </div>
          {d.single === 'yes' && (
            <div className="grid grid-cols-2 gap-3 sm:grid-cols-3">
              {field('mca', t`MCA on the kit`, 'A')}
              {field('mocp', t`MOCP on the kit`, 'A')}
            </div>
          )}
        </fieldset>
        <fieldset className="grid gap-3">
          <legend className="mb-2 border-b-2 border-ink font-bold">{t`How it is wired`}</legend>
          <div className="grid grid-cols-2 gap-3 sm:grid-cols-3">
            {field('ambient', t`Highest ambient (attic)`, '°F')}
            {pick('insulation', t`Insulation`, INSULATIONS)}
            {field('conductors', t`Current-carrying conductors`)}
            {field('length', t`Length, one way`, 'ft')}
            {field('limit', t`Voltage drop limit`, '%')}
            {pick('raceway', t`Raceway or cable`, RACEWAYS)}
            {pick('edition', t`Code edition`, EDITIONS)}
          </div>
          <div className="flex flex-wrap gap-4">
            {choice('material', t`Conductor metal`, METALS)}
            {choice('termination', t`Lugs marked (both ends)`, TERMINALS)}
          </div>
        </fieldset>
        <details open={entry.measured !== undefined}>
          <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`Measured while it heats`}</summary>
          <div className="grid grid-cols-2 gap-3 sm:grid-cols-3">
            {field('mVolts', t`Volts measured`, 'V')}
            {field('mAmps', t`Amps measured`, 'A')}
            {field('stages', t`Stages called, up to`)}
            {field('rise', t`Temperature rise`, 'Δ°F')}
            {field('height', t`Elevation`, 'ft')}
            {field('low', t`Plate, rise from`, 'Δ°F')}
            {field('high', t`Plate, rise to`, 'Δ°F')}
          </div>
          {out?.airflow_cfm != null && (
            <p className="figure pt-2 text-lg font-bold">{out.airflow_cfm.toFixed(0)} CFM</p>
          )}
        </details>
        <details open={d.needed !== ''}>
          <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`Which kit?`}</summary>
          <div className="grid gap-3 sm:grid-cols-2">
            {field('needed', t`Heat loss less heat pump`, 'kW')}
            {field('list', t`The air handler's listed kits`, 'kW', true)}
          </div>
          {out?.kit_choice_kw != null && (
            <p className="pt-2 text-lg">{t`The ${out.kit_choice_kw} kW kit.`}</p>
          )}
        </details>
      </div>
    </FigureScope>
  )
}

/** Elements as banks by stage: taller is stronger, each stage a column as the sequencer closes it. */
function Banks({ draft, out }: { draft: Draft; out: Schemas['HeatOut'] }) {
  const each = (k: Kit) => (parseFigure(k.kw, 'kW') ?? 0) / (parseCount(k.elements) ?? 1)
  const most = Math.max(...draft.kits.map(each), 1)
  const told = out.stages.map((s) =>
    s.after_s === null
      ? t`stage ${s.stage}: ${figure(s.kw, 3)} kW, ${figure(s.total_a, 3)} A`
      : t`stage ${s.stage}: ${figure(s.kw, 3)} kW, ${figure(s.total_a, 3)} A after ${s.after_s} s`,
  )
  return (
    <figure>
      <svg
        viewBox={`0 0 ${Math.max(2, out.stages.length) * 170} 150`}
        className="w-full max-w-md border border-faint bg-field"
        role="img"
        aria-label={t`Banks by stage: ${told.join('; ')}`}
      >
        {out.stages.map((s, i) => {
          const mine = draft.kits
            .filter((k) => (parseFigure(k.stage) ?? 1) === s.stage)
            .flatMap((k) => Array.from({ length: parseCount(k.elements) ?? 1 }, () => each(k)))
            .map((kw, place) => ({ kw, place }))
          return (
            <g key={s.stage} transform={`translate(${i * 170 + 12} 0)`}>
              <text y="18" fontSize="14" fontWeight="bold" fill="var(--ink)">
                {s.after_s === null ? t`Stage ${s.stage}` : t`Stage ${s.stage}, after ${s.after_s} s`}
              </text>
              {mine.map((k) => {
                const h = 20 + (66 * k.kw) / most
                const x = k.place * 34
                const zigzag = Array.from(
                  { length: 9 },
                  (_, z) => `${x + (z % 2 ? 20 : 4)} ${112 - (h * z) / 8}`,
                )
                return (
                  <polyline
                    key={t`element ${k.place}`}
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
