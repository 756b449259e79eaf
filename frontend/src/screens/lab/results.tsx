import { t } from '@lingui/core/macro'
import type { Schemas, Verdict } from '../../api/client'
import { Findings, VerdictMark } from '../../parts/verdict'
import { figure } from '../../quantities/format'
import type { LabOut } from './lab-state'

type Result = LabOut['results'][number]

const MARKS: Record<Result['result']['verdict'], { verdict: Verdict; word: string }> = {
  started: { verdict: 'pass', word: t`Starts` },
  late: { verdict: 'watch', word: t`Late` },
  stalled: { verdict: 'fail', word: t`Stalls` },
  tripped: { verdict: 'fail', word: t`Trips` },
}

type Spread = NonNullable<Result['result']['spread']>
type Row = {
  name: string
  unit: string
  read: (r: Result['result']) => number | null
  head?: string
  /** The range over what no plate says. */
  span?: (s: Spread) => Schemas['Span'] | null
  /** Whether the range has no end where some of the starts do not get away. */
  ends?: boolean
}

const ROWS: Row[] = [
  {
    name: t`Up to speed`,
    unit: 's',
    read: (r) => r.time_to_speed_s,
    span: (s) => s.time_to_speed_s,
    ends: true,
  },
  {
    name: t`Inrush, 100 ms`,
    unit: 'A',
    read: (r) => r.meter.inrush,
    head: t`What the meter will show`,
    span: (s) => s.inrush_a,
  },
  { name: t`Max hold`, unit: 'A', read: (r) => r.meter.max_hold },
  { name: t`Peak`, unit: 'A', read: (r) => r.meter.peak },
  { name: t`Energy monitor`, unit: 'W', read: (r) => r.meter.energy_monitor_w },
  {
    name: t`Largest cycle`,
    unit: 'A',
    read: (r) => r.max_cycle_rms_a,
    head: t`What really happens`,
    span: (s) => s.max_cycle_a,
  },
  { name: t`Dip at the motor`, unit: '%', read: (r) => r.sag_pct, span: (s) => s.sag_pct },
  { name: t`Start kVA`, unit: 'kVA', read: (r) => r.start_kva },
  { name: 'I²t', unit: 'A²s', read: (r) => r.i2t },
  { name: t`Relay opens`, unit: 's', read: (r) => r.relay_opened_s },
  { name: t`Across start capacitor`, unit: 'V', read: (r) => r.start_capacitor_v },
  { name: t`Settled`, unit: 'A', read: (r) => r.settled_a },
]

/** A row a figure, a column a start: what each meter mode shows, and what happens beneath. */
export function Readings({ results }: { results: Result[] }) {
  return (
    <div className="overflow-x-auto pt-3">
      <table className="w-full border-collapse text-left">
        <caption className="sr-only">{t`Results of each start`}</caption>
        <thead>
          <tr className="border-b-2 border-ink align-bottom">
            <td />
            {results.map((r) => {
              const mark = MARKS[r.result.verdict]
              return (
                <th key={r.label} scope="col" className="px-2 pb-1 text-right">
                  <span className="block text-sm">{r.label}</span>
                  <VerdictMark verdict={mark.verdict} word={mark.word} />
                </th>
              )
            })}
          </tr>
        </thead>
        <tbody>
          {ROWS.map((row) => (
            <tr key={row.name} className={row.head ? 'border-t-2 border-line' : 'border-t border-faint'}>
              <th scope="row" className="py-1 pr-2 font-normal whitespace-nowrap">
                {row.head && <span className="block text-sm font-bold text-soft">{row.head}</span>}
                {row.name} <span className="text-sm text-soft">[{row.unit}]</span>
              </th>
              {results.map((r) => {
                const value = row.read(r.result)
                const spread = r.result.spread
                const span = spread && row.span ? row.span(spread) : null
                return (
                  <td key={r.label} className="figure px-2 text-right align-bottom">
                    {value === null ? '–' : figure(value, 3)}
                    {span && (
                      <span className="block text-sm whitespace-nowrap text-soft">
                        {figure(span.low, 3)}–
                        {row.ends && spread && spread.starts < spread.of ? t`never` : figure(span.high, 3)}
                      </span>
                    )}
                  </td>
                )
              })}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="pt-1 text-sm text-soft">{t`Small numbers: normal range. A reading is unusual only outside it.`}</p>
    </div>
  )
}

/** Why each differs from the first, and the model's own remarks. */
export function Reasons({ out }: { out: LabOut }) {
  return (
    <section aria-label={t`How`} className="pt-4">
      <h2 className="border-b-2 border-ink font-bold">{t`How`}</h2>
      <Findings findings={out.findings} />
      {out.results.map((r, i) => (
        <details key={r.label} open={i > 0 && i < 3} className="border-b border-faint">
          <summary className="min-h-11 cursor-pointer py-2">
            <b>{r.label}</b>: {r.result.sentence}
          </summary>
          <div className="border-l-4 border-faint bg-field px-3">
            <Findings
              findings={[...r.against_first, ...r.result.findings.filter((f) => f.code !== 'START')]}
            />
            {r.result.fit && (
              <p className="py-2 text-sm text-soft">{t`Typical of this size: ${r.result.fit.typical.join(', ')}. Sharper with: ${r.result.fit.sharpen.join('; ')}.`}</p>
            )}
          </div>
        </details>
      ))}
    </section>
  )
}
