import { useState } from 'react'
import { type Call, problemOf, type Schemas } from '../../../api/client'
import { Button } from '../../../parts/button'
import { FigureField, TextField } from '../../../parts/field'
import { FigureScope, useFigures } from '../../../parts/figures'
import { ProblemNote } from '../../../parts/problem'
import { WhileOpen } from '../../../parts/read-only'
import { parseFigure } from '../../../quantities/figure'
import { figure } from '../../../quantities/format'
import { amount, type HandOver, useBill } from './use-hand-over'

type Line = { what: string; amount: string }

/** What the visit costs: minutes, parts by themselves, lines by hand; kept as each is left. */
export function Cost({ call, page }: { call: Call; page: HandOver }) {
  return (
    <section aria-label="What it costs">
      <h3 className="border-b-2 border-ink font-bold">What it costs</h3>
      {page.bill && (
        <p className="py-2 font-bold">
          Bill {page.bill.number}
          {page.bill.corrects && ` · takes the place of ${page.bill.corrects}`}
        </p>
      )}
      <Sum statement={page.statement} />
      {page.over_agreed !== null && (
        <p className="border-l-[7px] border-watch bg-field p-3">
          △ {amount(page.over_agreed, page.statement.currency)} more than the last yes. Get a second yes, or
          say why when you close.
        </p>
      )}
      <WhileOpen>
        <Entry call={call} page={page} />
      </WhileOpen>
    </section>
  )
}

export function Sum({ statement: s }: { statement: Schemas['Statement'] }) {
  return (
    <div className="min-w-0 overflow-x-auto">
      <table className="w-full">
        <tbody>
          {s.lines.map((l) => (
            <tr key={l.what + l.how} className="border-b border-faint align-top">
              <td className="py-1.5 pr-3 break-words">{l.what}</td>
              <td className="py-1.5 pr-3 text-sm text-soft">{l.how}</td>
              <td className="figure py-1.5 text-right whitespace-nowrap">{amount(l.amount, s.currency)}</td>
            </tr>
          ))}
          {s.tax !== null && s.tax_pct > 0 && (
            <tr className="border-b border-faint">
              <td className="py-1.5">{s.tax_label}</td>
              <td className="text-sm text-soft">{figure(s.tax_pct)} %</td>
              <td className="figure py-1.5 text-right">{amount(s.tax, s.currency)}</td>
            </tr>
          )}
          <tr className="border-t-2 border-ink font-bold">
            <td className="py-1.5">Total</td>
            <td className="text-sm font-normal text-soft">{s.missing.join(' ')}</td>
            <td className="figure py-1.5 text-right">{amount(s.total, s.currency)}</td>
          </tr>
        </tbody>
      </table>
    </div>
  )
}

function Entry({ call, page }: { call: Call; page: HandOver }) {
  const bill = useBill(call.id)
  const figures = useFigures()
  const billed = page.billed
  const [minutes, setMinutes] = useState(billed ? figure(billed.minutes) : '')
  const [lines, setLines] = useState<Line[]>(
    (billed?.lines ?? []).map((l) => ({ what: l.what, amount: figure(l.amount, 8) })),
  )
  const rows = [
    ...lines,
    ...page.unpriced.filter((t) => !lines.some((l) => l.what === t)).map((t) => ({ what: t, amount: '' })),
  ]
  const keep = (m = minutes, all = rows) => {
    const charged = parseFigure(m, 'min')
    const written = all
      .map((l) => ({ what: l.what.trim(), amount: parseFigure(l.amount, '') }))
      .filter((l): l is { what: string; amount: number } => l.what !== '' && l.amount !== null)
    if (charged === null || !figures.whole) return
    const same =
      billed &&
      billed.minutes === charged &&
      JSON.stringify(billed.lines ?? []) ===
        JSON.stringify(written.map((l) => ({ what: l.what, amount: l.amount })))
    if (!same) bill.mutate({ minutes: charged, lines: written, note: billed?.note ?? '' })
  }
  const set = (i: number, to: Partial<Line>) => setLines(rows.map((r, k) => (k === i ? { ...r, ...to } : r)))
  return (
    <FigureScope figures={figures}>
      <div className="grid gap-3 pt-3 sm:grid-cols-2" data-run>
        <FigureField
          label="Labor charged"
          unit="min"
          value={minutes}
          onChange={setMinutes}
          onBlur={() => keep()}
          hint={`${amount(page.rates.labor_per_hour, page.rates.currency)} an hour`}
        />
        <div className="flex items-end">
          <Button
            onClick={() => {
              const m = figure(page.on_site_min)
              setMinutes(m)
              keep(m)
            }}
          >
            On site: {figure(page.on_site_min)} min
          </Button>
        </div>
        {rows.map((l, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a line keeps its place while it is typed
          <div key={i} className="col-span-full grid gap-3 sm:grid-cols-[1fr_9rem]">
            <TextField
              label="Line"
              value={l.what}
              onChange={(what) => set(i, { what })}
              onBlur={() => keep()}
            />
            <FigureField
              label="Amount"
              unit={page.rates.currency}
              value={l.amount}
              onChange={(a) => set(i, { amount: a })}
              onBlur={() => keep()}
            />
          </div>
        ))}
        <div className="col-span-full flex flex-wrap gap-2">
          <Button className="px-3 text-sm" onClick={() => setLines([...rows, { what: '', amount: '' }])}>
            Add a line
          </Button>
        </div>
        <div className="col-span-full">
          <ProblemNote problem={problemOf(bill.error)} />
        </div>
      </div>
    </FigureScope>
  )
}
