import { t } from '@lingui/core/macro'
import { useEffect, useRef, useState } from 'react'
import { type Call, problemOf, type Schemas } from '../../../api/client'
import { Button } from '../../../parts/button'
import { Choice } from '../../../parts/choice'
import { FigureField, TextField } from '../../../parts/field'
import { FigureScope, Form, useFigures } from '../../../parts/figures'
import { ProblemNote } from '../../../parts/problem'
import { ReadOnlyRoom, WhileOpen } from '../../../parts/read-only'
import { usePerson } from '../../../parts/who'
import { parseFigure } from '../../../quantities/figure'
import { clock, day, figure } from '../../../quantities/format'
import { amount, type HandOver, useBill, usePay } from './use-hand-over'

type Taxed = NonNullable<Schemas['ExtraLine']['taxed']>
type Line = { what: string; amount: string; taxed: Taxed }

/** What the visit costs: minutes, parts by themselves, lines by hand; kept as each is left. */
export function Cost({ call, page }: { call: Call; page: HandOver }) {
  return (
    <section aria-label={t`What it costs`}>
      <h3 className="border-b-2 border-ink font-bold">{t`What it costs`}</h3>
      {page.bill && (
        <p className="py-2 font-bold">
          {t`Bill ${page.bill.number}`}
          {page.bill.corrects && t` · takes the place of ${page.bill.corrects}`}
        </p>
      )}
      <Sum statement={page.statement} />
      {page.over_agreed !== null && (
        <p className="border-l-[7px] border-watch bg-field p-3">{t`△ ${amount(page.over_agreed, page.statement.currency)} more than the last yes. Get a second yes, or say why when you close.`}</p>
      )}
      <WhileOpen>
        <Entry call={call} page={page} />
      </WhileOpen>
      <Payments call={call} page={page} />
      {page.terms.map((term) => (
        <p key={term} className="text-sm text-soft">
          {term}
        </p>
      ))}
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
          {taxesOf(s).map((tax) => (
            <tr key={tax.tax_pct} className="border-b border-faint">
              <td className="py-1.5">{tax.label}</td>
              <td className="text-sm text-soft">{figure(tax.tax_pct)} %</td>
              <td className="figure py-1.5 text-right">{amount(tax.amount, s.currency)}</td>
            </tr>
          ))}
          {s.tax_exempt && (
            <tr className="border-b border-faint">
              <td className="py-1.5">{s.tax_label}</td>
              <td className="text-sm break-words text-soft" colSpan={2}>{t`exempt: ${s.tax_exempt}`}</td>
            </tr>
          )}
          <tr className="border-t-2 border-ink font-bold">
            <td className="py-1.5">{t`Total`}</td>
            <td className="text-sm font-normal text-soft">{s.missing.join(' ')}</td>
            <td className="figure py-1.5 text-right">{amount(s.total, s.currency)}</td>
          </tr>
        </tbody>
      </table>
    </div>
  )
}

/** Tax rate by rate; a bill frozen before there were several has one. */
function taxesOf(s: Schemas['Statement']): Schemas['TaxLine'][] {
  if (s.taxes && s.taxes.length > 0) return s.taxes
  return s.tax !== null && s.tax > 0 ? [{ label: s.tax_label, tax_pct: s.tax_pct, amount: s.tax }] : []
}

const STATES: Record<Schemas['Paid']['state'], string> = {
  open: t`Nothing paid yet`,
  deposit: t`Paid in part`,
  paid: t`Paid`,
}
const HOW = [
  { value: 'Cash', label: t`Cash` },
  { value: 'Card', label: t`Card` },
  { value: 'Check', label: t`Check` },
  { value: 'Transfer', label: t`Transfer` },
]

/** Deposits and payments; a closed call takes them too, whose bill stays as it is. */
function Payments({ call, page }: { call: Call; page: HandOver }) {
  const may = usePerson().may.includes('desk')
  const currency = page.statement.currency
  return (
    <section aria-label={t`Paid`} className="pt-3">
      <h4 className="border-b border-faint font-bold">
        {STATES[page.paid.state]}
        {page.paid.due !== null && page.paid.due > 0 && t` · ${amount(page.paid.due, currency)} due`}
        {page.paid.due !== null && page.paid.due < 0 && t` · ${amount(-page.paid.due, currency)} overpaid`}
      </h4>
      <ul>
        {page.payments.map((p) => (
          <li
            key={`${p.at} ${p.payment.amount}`}
            className="flex flex-wrap gap-x-3 border-b border-faint py-1.5"
          >
            <span className="figure">{amount(p.payment.amount, currency)}</span> {p.payment.how}
            {p.payment.note && <span className="text-soft">“{p.payment.note}”</span>}
            <span className="ml-auto text-sm text-soft">
              {p.person}, {day(p.at)} {clock(p.at)}
            </span>
          </li>
        ))}
      </ul>
      {may && (
        <ReadOnlyRoom on={false}>
          <Pay call={call} page={page} />
        </ReadOnlyRoom>
      )}
    </section>
  )
}

function Pay({ call, page }: { call: Call; page: HandOver }) {
  const pay = usePay(call.id)
  const [open, setOpen] = useState(false)
  const due = page.paid.due !== null && page.paid.due > 0 ? page.paid.due : null
  const [paid, setPaid] = useState('')
  const [how, setHow] = useState('')
  const [note, setNote] = useState('')
  const value = parseFigure(paid, '')
  const box = useRef<HTMLDivElement>(null)
  useEffect(() => {
    if (open) box.current?.querySelector('input')?.focus()
  }, [open])
  if (!open)
    return (
      <Button
        className="mt-2 px-3 text-sm"
        onClick={() => {
          setPaid(due === null ? '' : due.toFixed(2))
          setOpen(true)
        }}
      >{t`Add a payment`}</Button>
    )
  return (
    <Form
      label={t`Payment`}
      className="grid gap-3 pt-2 sm:grid-cols-2"
      onSubmit={() => {
        if (value === null || !how) return
        pay.mutate({ amount: value, how, note: note.trim() }, { onSuccess: () => setOpen(false) })
      }}
    >
      <div ref={box}>
        <FigureField
          label={t`Amount`}
          unit={page.statement.currency}
          value={paid}
          onChange={setPaid}
          hint={t`For a refund, enter a minus amount.`}
        />
      </div>
      <Choice label={t`How`} value={how} onChange={setHow} options={HOW} />
      <TextField label={t`Note`} value={note} onChange={setNote} hint={t`For a refund, enter why.`} />
      <div className="col-span-full flex flex-wrap gap-2">
        <Button
          kind="primary"
          type="submit"
          busy={pay.isPending}
          disabled={value === null || !how}
        >{t`Save the payment`}</Button>
        <Button onClick={() => setOpen(false)}>{t`Cancel`}</Button>
      </div>
      <div className="col-span-full">
        <ProblemNote problem={problemOf(pay.error)} />
      </div>
    </Form>
  )
}

const TAXED = [
  { value: 'parts', label: t`As parts` },
  { value: 'labor', label: t`As labor` },
  { value: 'none', label: t`No tax` },
]

function Entry({ call, page }: { call: Call; page: HandOver }) {
  const bill = useBill(call.id)
  const figures = useFigures()
  const billed = page.billed
  const [minutes, setMinutes] = useState(billed ? figure(billed.minutes) : '')
  const [lines, setLines] = useState<Line[]>(
    (billed?.lines ?? []).map((l) => ({
      what: l.what,
      amount: figure(l.amount, 8),
      taxed: l.taxed ?? 'parts',
    })),
  )
  const [exempt, setExempt] = useState(page.tax_exempt)
  // The choice matters only with two rates.
  const twoRates =
    page.rates.tax_labor_pct !== null &&
    page.rates.tax_labor_pct !== undefined &&
    page.rates.tax_labor_pct !== page.rates.tax_pct
  const rows = [
    ...lines,
    ...page.unpriced
      .filter((what) => !lines.some((l) => l.what === what))
      .map((what) => ({ what, amount: '', taxed: 'parts' as const })),
  ]
  const keep = (m = minutes, all: Line[] = rows) => {
    const charged = parseFigure(m, 'min')
    const written = all
      .map((l) => ({ what: l.what.trim(), amount: parseFigure(l.amount, ''), taxed: l.taxed }))
      .filter((l): l is { what: string; amount: number; taxed: Taxed } => l.what !== '' && l.amount !== null)
    if (charged === null || !figures.whole) return
    const same =
      billed &&
      billed.minutes === charged &&
      (billed.tax_exempt ?? '') === exempt.trim() &&
      JSON.stringify((billed.lines ?? []).map((l) => [l.what, l.amount, l.taxed ?? 'parts'])) ===
        JSON.stringify(written.map((l) => [l.what, l.amount, l.taxed]))
    if (!same)
      bill.mutate({
        minutes: charged,
        lines: written,
        note: billed?.note ?? '',
        tax_exempt: exempt.trim(),
      })
  }
  const set = (i: number, to: Partial<Line>) => setLines(rows.map((r, k) => (k === i ? { ...r, ...to } : r)))
  return (
    <FigureScope figures={figures}>
      <div className="grid gap-3 pt-3 sm:grid-cols-2" data-run>
        <FigureField
          label={t`Labor charged`}
          unit="min"
          value={minutes}
          onChange={setMinutes}
          onBlur={() => keep()}
          hint={
            page.rates.labor_per_hour === null || page.rates.labor_per_hour === undefined
              ? t`No labor rate yet. Enter it under Shop, On papers.`
              : t`${amount(page.rates.labor_per_hour, page.rates.currency)} an hour`
          }
        />
        <div className="flex items-end">
          <Button
            onClick={() => {
              const m = figure(page.on_site_min)
              setMinutes(m)
              keep(m)
            }}
          >{t`On site: ${figure(page.on_site_min)} min`}</Button>
        </div>
        {rows.map((l, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a line keeps its place while it is typed
          <div key={i} className="col-span-full grid gap-3 sm:grid-cols-[1fr_9rem]">
            <TextField
              label={t`Line`}
              value={l.what}
              onChange={(what) => set(i, { what })}
              onBlur={() => keep()}
            />
            <FigureField
              label={t`Amount`}
              unit={page.rates.currency}
              value={l.amount}
              onChange={(a) => set(i, { amount: a })}
              onBlur={() => keep()}
            />
            {twoRates && (
              <div className="col-span-full">
                <Choice
                  label={t`Tax on this line`}
                  value={l.taxed}
                  options={TAXED}
                  onChange={(taxed) => {
                    const all = rows.map((r, k) => (k === i ? { ...r, taxed: taxed as Taxed } : r))
                    setLines(all)
                    keep(minutes, all)
                  }}
                />
              </div>
            )}
          </div>
        ))}
        <div className="col-span-full flex flex-wrap gap-2">
          <Button
            className="px-3 text-sm"
            onClick={() => setLines([...rows, { what: '', amount: '', taxed: 'parts' }])}
          >{t`Add a line`}</Button>
          <Button
            className="px-3 text-sm"
            onClick={() => setLines([...rows, { what: t`Discount`, amount: '-', taxed: 'parts' }])}
          >{t`Add a discount`}</Button>
        </div>
        {(page.rates.tax_pct > 0 || twoRates) && (
          <TextField
            label={t`Tax exempt: certificate or reason`}
            value={exempt}
            onChange={setExempt}
            onBlur={() => keep()}
            hint={t`Leave empty if the customer pays tax. The next bill of this customer starts from it.`}
          />
        )}
        <div className="col-span-full">
          <ProblemNote problem={problemOf(bill.error)} />
        </div>
      </div>
    </FigureScope>
  )
}
