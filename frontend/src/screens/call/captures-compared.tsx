import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { lazy, Suspense, useCallback, useState } from 'react'
import { answer, type Call, client, problemOf } from '../../api/client'
import { early } from '../../parts/early'
import { ProblemNote } from '../../parts/problem'
import { VerdictMark, Why } from '../../parts/verdict'
import { figure, signed } from '../../quantities/format'
import { largestStart, useCaptures, useTrace } from './captures'

const WaveChart = lazy(early(() => import('../../charts/wave-chart').then((m) => ({ default: m.WaveChart }))))
const NO_BANDS: never[] = []

/** Two recordings of this call compared with each other: overlaid from their onsets, figure by figure. */
export function CapturesCompared({ call }: { call: Call }) {
  const captures = useCaptures(call.id)
  const list = (captures.data ?? []).filter((c) => c.report.starts.length > 0)
  const changed = call.changes.map((c) => Date.parse(c.made_at))
  const firstChange = Math.min(...changed)
  const lastChange = Math.max(...changed)
  const guess = {
    before: list.filter((c) => Date.parse(c.recorded_at) <= firstChange).at(-1)?.id ?? list[0]?.id,
    after: list.filter((c) => Date.parse(c.recorded_at) > lastChange).at(-1)?.id ?? list.at(-1)?.id,
  }
  const [picked, setPicked] = useState<{ before?: number; after?: number }>({})
  const before = list.find((c) => c.id === (picked.before ?? guess.before))
  const after = list.find((c) => c.id === (picked.after ?? guess.after))
  const found = useQuery({
    queryKey: ['captures-compared', call.id, before?.id, after?.id, call.changes.length],
    enabled: before !== undefined && after !== undefined && before.id !== after.id,
    queryFn: () =>
      answer(
        client.GET('/api/calls/{call_id}/captures/compare', {
          params: {
            path: { call_id: call.id },
            query: { before: before?.id ?? 0, after: after?.id ?? 0 },
          },
        }),
      ),
  })
  const starts = [before && largestStart(before), after && largestStart(after)]
  const span = Math.max(0.3, ...starts.map((s) => 1.6 * (s?.start_time_s ?? 0.6)))
  const window = (at: number | undefined): [number, number] | null =>
    at === undefined ? null : [Math.max(0, at - 0.05), at + span]
  const one = useTrace(before?.id ?? null, window(starts[0]?.onset_s))
  const two = useTrace(after?.id ?? null, window(starts[1]?.onset_s))
  const stay = useCallback(() => undefined, [])
  if (list.length < 2) return null
  const pick = (label: string, side: 'before' | 'after', value: number | undefined) => (
    <label className="block min-w-0">
      <span className="block text-sm font-bold text-soft">{label}</span>
      <select
        value={value}
        onChange={(e) => setPicked({ ...picked, [side]: Number(e.target.value) })}
        className="min-h-12 w-full border-2 border-line bg-field px-2"
      >
        {list.map((c) => (
          <option key={c.id} value={c.id}>
            {c.name}
          </option>
        ))}
      </select>
    </label>
  )
  const word = { yes: t`Comparable`, weak: t`Weak comparison`, no: t`Not comparable` } as const
  const mark = { yes: 'pass', weak: 'watch', no: 'fail' } as const
  return (
    <section aria-label={t`Recordings compared`} className="grid gap-3">
      <h3 className="border-b-2 border-ink font-bold">{t`Recordings compared`}</h3>
      <div className="grid grid-cols-2 gap-3">
        {pick(t`Before`, 'before', before?.id)}
        {pick(t`After`, 'after', after?.id)}
      </div>
      {before?.id === after?.id && <p className="text-soft">{t`Choose two different recordings.`}</p>}
      <ProblemNote problem={problemOf(found.error)} />
      {one.data && two.data && before?.id !== after?.id && (
        <Suspense fallback={<p>{t`Drawing…`}</p>}>
          <WaveChart
            trace={one.data}
            over={two.data}
            shift={(starts[0]?.onset_s ?? 0) - (starts[1]?.onset_s ?? 0)}
            bands={NO_BANDS}
            onRange={stay}
            label={t`${before?.name ?? ''} with ${after?.name ?? ''} laid over it, both from first current`}
          />
        </Suspense>
      )}
      {found.data && (
        <>
          <table className="w-full text-left">
            <thead>
              <tr className="border-b-2 border-line text-sm">
                <th scope="col">{t`Largest start`}</th>
                <th scope="col">{t`before`}</th>
                <th scope="col">{t`after`}</th>
                <th scope="col">{t`change`}</th>
              </tr>
            </thead>
            <tbody className="figure">
              {found.data.rows.map((r) => (
                <tr key={r.name} className="border-b border-faint">
                  <th scope="row" className="py-1 text-left font-sans font-normal">
                    {r.name}
                  </th>
                  <td>{r.before === null ? '–' : `${figure(r.before, 3)} ${r.unit}`}</td>
                  <td>{r.after === null ? '–' : `${figure(r.after, 3)} ${r.unit}`}</td>
                  <td>{r.change_pct === null ? '–' : `${signed(r.change_pct)} %`}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <Why
            findings={found.data.result.findings}
            summary={
              <span className="flex flex-wrap items-center gap-x-3">
                <VerdictMark
                  verdict={mark[found.data.result.comparable]}
                  word={word[found.data.result.comparable]}
                />
                <span>{found.data.result.sentence}</span>
              </span>
            }
          />
        </>
      )}
    </section>
  )
}
