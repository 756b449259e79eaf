import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, client, fieldProblem, type Person, problemOf, type Schemas } from '../../api/client'
import { usePeople } from '../../api/queries'
import { initialsOf, ROLES } from '../../parts/begin-shop'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { FigureField, TextField } from '../../parts/field'
import { Form } from '../../parts/figures'
import { ProblemNote } from '../../parts/problem'
import { ReadsPicks } from '../../parts/reads-picks'
import { Sheet } from '../../parts/sheet'
import { usePerson } from '../../parts/who'
import { parseFigure } from '../../quantities/figure'
import { clock, day, figure } from '../../quantities/format'
import { typed } from '../../quantities/measures'
import { Devices } from './own-sign-in'

export function useManages(): boolean {
  const { person } = usePerson()
  return person?.role === 'lead' || person?.role === 'office'
}

/** Who works here; added, changed and retired by lead and office. */
export function People({ demo }: { demo: boolean }) {
  const people = usePeople()
  const [invited, setInvited] = useState<Person | null>(null)
  const manages = useManages()
  const [open, setOpen] = useState<Person | 'new' | null>(null)
  return (
    <>
      <ul className="grid gap-x-6 sm:grid-cols-2">
        {people.data?.map((p) => (
          <li key={p.id} className="flex items-center gap-3 border-b border-faint py-2">
            <span className="figure w-8">{p.initials}</span>
            <b>{p.name}</b>
            <span className="text-soft">{p.role}</span>
            {manages && (
              <span className="ml-auto flex gap-1">
                {!demo && (
                  <Button
                    className="px-3 text-sm"
                    aria-label={t`Invite ${p.name}`}
                    onClick={() => setInvited(p)}
                  >{t`Invite`}</Button>
                )}
                <Button
                  className="px-3 text-sm"
                  aria-label={t`Change ${p.name}`}
                  onClick={() => setOpen(p)}
                >{t`Change`}</Button>
              </span>
            )}
          </li>
        ))}
      </ul>
      {manages && <Button className="mt-2" onClick={() => setOpen('new')}>{t`Add a person`}</Button>}
      <Sheet
        open={open !== null}
        onOpenChange={() => setOpen(null)}
        title={open === 'new' || open === null ? t`Add a person` : open.name}
      >
        {open && <PersonForm person={open === 'new' ? null : open} onDone={() => setOpen(null)} />}
        {open && open !== 'new' && (
          <>
            <h3 className="mt-4 border-b-2 border-ink font-bold">{t`Devices signed in`}</h3>
            <Devices person={open.id} />
          </>
        )}
      </Sheet>
      <Sheet
        open={invited !== null}
        onOpenChange={() => setInvited(null)}
        title={t`Invite ${invited?.name ?? ''}`}
      >
        {invited && <Invitation person={invited} />}
      </Sheet>
    </>
  )
}

/** A code to scan or a link to send, by which a person chooses a passphrase, once. */
function Invitation({ person }: { person: Person }) {
  const invite = useMutation({
    mutationFn: () =>
      answer(
        client.POST('/api/people/{person_id}/invitation', { params: { path: { person_id: person.id } } }),
      ),
  })
  const [copied, setCopied] = useState(false)
  const made = invite.data
  if (!made)
    return (
      <div className="grid gap-3">
        <p>{t`${person.name} scans a code or opens a link and chooses a passphrase. It is good once, for two days. A passphrase already set works until then.`}</p>
        <ProblemNote problem={problemOf(invite.error)} />
        <Button
          kind="primary"
          busy={invite.isPending}
          onClick={() => invite.mutate()}
        >{t`Make the invitation`}</Button>
      </div>
    )
  const link = location.origin + made.path
  return (
    <div className="grid gap-3">
      <p>{t`Show it to ${person.name} only. It signs in as ${person.name}. Good until ${day(made.invitation.ends_at)} ${clock(made.invitation.ends_at)}.`}</p>
      <img
        alt={t`Code that opens ${link}`}
        src={`data:image/svg+xml,${encodeURIComponent(made.code_svg)}`}
        className="mx-auto size-64 bg-white"
      />
      <p className="figure text-sm break-all">{link}</p>
      <Button
        onClick={() =>
          navigator.clipboard?.writeText(link).then(
            () => setCopied(true),
            () => undefined,
          )
        }
      >{t`Copy the link`}</Button>
      <p role="status" className="empty:hidden">
        {copied && t`✓ Copied.`}
      </p>
    </div>
  )
}

function PersonForm({ person, onDone }: { person: Person | null; onDone: () => void }) {
  const cache = useQueryClient()
  const [name, setName] = useState(person?.name ?? '')
  const [role, setRole] = useState(person?.role ?? 'technician')
  const body = () => ({
    name: name.trim(),
    role: role as Schemas['NewPerson']['role'],
    initials: initialsOf(name) || '?',
  })
  const save = useMutation({
    mutationFn: async (active: boolean) => {
      if (!person) return void (await answer(client.POST('/api/people', { body: body() })))
      await answer(
        client.PUT('/api/people/{person_id}', {
          params: { path: { person_id: person.id } },
          body: { ...body(), version: person.version, active },
        }),
      )
    },
    onSuccess: () => {
      cache.invalidateQueries({ queryKey: ['people'] })
      cache.invalidateQueries({ queryKey: ['audit'] })
      onDone()
    },
  })
  const problem = problemOf(save.error)
  return (
    <Form label={t`Person`} className="grid gap-3" onSubmit={() => save.mutate(true)}>
      <TextField label={t`Name`} value={name} onChange={setName} problem={fieldProblem(problem, 'name')} />
      <Choice label={t`Role`} value={role} onChange={setRole} options={ROLES} />
      <ProblemNote problem={problem} />
      <div className="flex flex-wrap gap-2">
        <Button kind="primary" type="submit" busy={save.isPending} disabled={!name.trim()}>{t`Save`}</Button>
        {person && (
          <Button
            busy={save.isPending}
            onClick={() => save.mutate(false)}
          >{t`Deactivate (their records stay)`}</Button>
        )}
      </div>
    </Form>
  )
}

/** The shop as its papers name it, and how it reckons. */
export function Details() {
  const manages = useManages()
  const shop = useQuery({ queryKey: ['shop'], queryFn: () => answer(client.GET('/api/shop')) })
  const [open, setOpen] = useState(false)
  if (!shop.data) return null
  const d = shop.data.details
  return (
    <>
      <dl className="grid max-w-xl grid-cols-[minmax(0,auto)_minmax(0,1fr)] gap-x-4 py-2 break-words">
        <dt className="text-soft">{t`On printed papers`}</dt>
        <dd>{[d.name, ...(d.address ?? []), d.phone, d.license].filter(Boolean).join(' · ')}</dd>
        <dt className="text-soft">{t`Currency and tax`}</dt>
        <dd>
          {d.currency},{' '}
          {d.labor_per_hour === null || d.labor_per_hour === undefined
            ? t`no labor rate yet`
            : t`${figure(d.labor_per_hour)} an hour`}
          , {d.tax_label} {figure(d.tax_pct ?? 0)} %
          {d.tax_labor_pct !== null &&
            d.tax_labor_pct !== undefined &&
            t` (${figure(d.tax_labor_pct)} % on labor)`}
          {t`, parts plus ${figure(d.parts_markup_pct ?? 0)} %, on ${d.paper === 'a4' ? 'A4' : t`letter`} paper`}
        </dd>
        <dt className="text-soft">{t`Units`}</dt>
        <dd>{t`${d.reads.temperature === 'C' ? '°C' : '°F'} and ${d.reads.distance === 'm' ? t`meters` : t`feet`}, for papers and anyone who has not chosen`}</dd>
      </dl>
      {manages && <Button onClick={() => setOpen(true)}>{t`Change`}</Button>}
      <Sheet open={open} onOpenChange={setOpen} title={t`The shop on its papers`}>
        <DetailsForm shop={shop.data} onDone={() => setOpen(false)} />
      </Sheet>
    </>
  )
}

function DetailsForm({ shop, onDone }: { shop: Schemas['ShopOut']; onDone: () => void }) {
  const cache = useQueryClient()
  const d = shop.details
  const [name, setName] = useState(d.name)
  const [address, setAddress] = useState((d.address ?? []).join('\n'))
  const [phone, setPhone] = useState(d.phone ?? '')
  const [license, setLicense] = useState(d.license ?? '')
  const [currency, setCurrency] = useState(d.currency ?? 'USD')
  const [label, setLabel] = useState(d.tax_label ?? t`Tax`)
  const [tax, setTax] = useState(figure(d.tax_pct ?? 0))
  const [markup, setMarkup] = useState(figure(d.parts_markup_pct ?? 0))
  const [labor, setLabor] = useState(typed(d.labor_per_hour, ''))
  const [laborTax, setLaborTax] = useState(typed(d.tax_labor_pct, '%'))
  const [terms, setTerms] = useState(d.payment_terms ?? '')
  const [onParts, setOnParts] = useState(d.warranty_parts ?? '')
  const [onLabor, setOnLabor] = useState(d.warranty_labor ?? '')
  const [paper, setPaper] = useState<string>(d.paper ?? 'letter')
  const [reads, setReads] = useState(d.reads)
  const save = useMutation({
    mutationFn: () =>
      answer(
        client.PUT('/api/shop', {
          body: {
            version: shop.version,
            details: {
              name: name.trim(),
              address: address
                .split('\n')
                .map((l) => l.trim())
                .filter(Boolean)
                .slice(0, 4),
              phone: phone.trim(),
              license: license.trim(),
              currency: currency.trim().toUpperCase(),
              tax_label: label.trim(),
              tax_pct: parseFigure(tax, '%') as number,
              parts_markup_pct: parseFigure(markup, '%') as number,
              labor_per_hour: parseFigure(labor, ''),
              tax_labor_pct: parseFigure(laborTax, '%'),
              payment_terms: terms.trim(),
              warranty_parts: onParts.trim(),
              warranty_labor: onLabor.trim(),
              paper: paper as 'letter' | 'a4',
              reads,
            },
          },
        }),
      ),
    onSuccess: () => {
      for (const of of ['shop', 'hand-over', 'options', 'audit']) cache.invalidateQueries({ queryKey: [of] })
      onDone()
    },
  })
  const problem = problemOf(save.error)
  return (
    <Form label={t`The shop`} className="grid gap-3" onSubmit={() => save.mutate()}>
      <TextField label={t`Name`} value={name} onChange={setName} problem={fieldProblem(problem, 'name')} />
      <TextField label={t`Address, one line each`} value={address} onChange={setAddress} wide />
      <TextField label={t`Phone`} value={phone} onChange={setPhone} />
      <TextField label={t`License number`} value={license} onChange={setLicense} />
      <TextField
        label={t`Currency, three letters`}
        value={currency}
        onChange={setCurrency}
        problem={fieldProblem(problem, 'currency')}
      />
      <FigureField
        label={t`Labor, an hour`}
        unit={currency}
        value={labor}
        onChange={setLabor}
        problem={fieldProblem(problem, 'labor_per_hour')}
        hint={t`Without it a bill has no total.`}
      />
      <TextField label={t`Name of the tax`} value={label} onChange={setLabel} />
      <FigureField
        label={t`Tax`}
        unit="%"
        value={tax}
        onChange={setTax}
        problem={fieldProblem(problem, 'tax_pct')}
      />
      <FigureField
        label={t`Tax on labor`}
        unit="%"
        value={laborTax}
        onChange={setLaborTax}
        problem={fieldProblem(problem, 'tax_labor_pct')}
        hint={t`Leave empty if labor is taxed like parts.`}
      />
      <FigureField
        label={t`Parts markup`}
        unit="%"
        value={markup}
        onChange={setMarkup}
        problem={fieldProblem(problem, 'parts_markup_pct')}
      />
      <TextField
        label={t`Payment terms`}
        value={terms}
        onChange={setTerms}
        problem={fieldProblem(problem, 'payment_terms')}
        hint={t`Printed on the bill: due on receipt.`}
      />
      <TextField
        label={t`Warranty of parts`}
        value={onParts}
        onChange={setOnParts}
        problem={fieldProblem(problem, 'warranty_parts')}
      />
      <TextField
        label={t`Warranty of labor`}
        value={onLabor}
        onChange={setOnLabor}
        problem={fieldProblem(problem, 'warranty_labor')}
      />
      <Choice
        label={t`Paper`}
        value={paper}
        onChange={setPaper}
        options={[
          { value: 'letter', label: t`Letter` },
          { value: 'a4', label: 'A4' },
        ]}
      />
      <ReadsPicks value={reads} onChange={setReads} />
      <p className="text-soft">{t`Used on papers and for anyone who has not set their own.`}</p>
      <ProblemNote problem={problem} />
      <Button kind="primary" type="submit" busy={save.isPending} disabled={!name.trim()}>{t`Save`}</Button>
    </Form>
  )
}

/** Who changed what of the shop itself. */
export function Audit() {
  const list = useQuery({ queryKey: ['audit'], queryFn: () => answer(client.GET('/api/audit')) })
  return (
    <>
      <ProblemNote problem={problemOf(list.error)} />
      {list.data?.length === 0 && <p className="py-2 text-soft">{t`Nothing was changed yet.`}</p>}
      <ul>
        {list.data?.slice(0, 100).map((l) => (
          <li
            key={`${l.happened_at} ${l.what} ${l.subject}`}
            className="grid gap-x-4 border-b border-faint py-1.5 text-sm sm:grid-cols-[10rem_1fr]"
          >
            <span className="figure text-soft">
              {day(l.happened_at)} {clock(l.happened_at)}
            </span>
            <span className="min-w-0 break-words">
              <b>{l.subject}</b> <span className="text-soft">({l.what})</span> {l.detail}{' '}
              <span className="text-soft">· {l.person}</span>
            </span>
          </li>
        ))}
      </ul>
    </>
  )
}
