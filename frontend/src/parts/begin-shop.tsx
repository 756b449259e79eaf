import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { answer, client, fieldProblem, problemOf, type Schemas } from '../api/client'
import { parseFigure } from '../quantities/figure'
import { Button } from './button'
import { Choice } from './choice'
import { FigureField, TextField } from './field'
import { Form } from './figures'
import { ProblemNote } from './problem'
import { likely } from './reads-picks'
import { SecretField } from './secret-field'
import { useSigning } from './session'
import { useTitle } from './title'

export const ROLES = [
  { value: 'technician', label: t`Technician` },
  { value: 'helper', label: t`Helper` },
  { value: 'lead', label: t`Lead` },
  { value: 'office', label: t`Office` },
  { value: 'learner', label: t`Learner` },
  { value: 'read-only', label: t`Reads only` },
]

type Draft = { name: string; role: string }

export function initialsOf(name: string): string {
  return name
    .trim()
    .split(/\s+/)
    .map((w) => w[0] ?? '')
    .join('')
    .slice(0, 3)
    .toUpperCase()
}

/** Empty records: the shop says its name and who works here. */
export function BeginShop() {
  useTitle(t`Begin`)
  const [shop, setShop] = useState('')
  const [labor, setLabor] = useState('')
  const [tax, setTax] = useState('')
  const [markup, setMarkup] = useState('')
  const [people, setPeople] = useState<Draft[]>([{ name: '', role: 'lead' }])
  const [passphrase, setPassphrase] = useState('')
  const begin = useSigning(() =>
    answer(
      client.POST('/api/shop/begin', {
        body: {
          details: {
            name: shop.trim(),
            phone: '',
            license: '',
            currency: 'USD',
            tax_label: 'Tax',
            tax_pct: parseFigure(tax, '%') ?? 0,
            parts_markup_pct: parseFigure(markup, '%') ?? 0,
            labor_per_hour: parseFigure(labor, ''),
            payment_terms: '',
            warranty_parts: '',
            warranty_labor: '',
            paper: 'letter',
            reads: likely(navigator.language),
          },
          people: people
            .filter((p) => p.name.trim())
            .map((p) => ({
              name: p.name.trim(),
              role: p.role as Schemas['NewPerson']['role'],
              initials: initialsOf(p.name) || '?',
            })),
          passphrase,
        },
      }),
    ),
  )
  const problem = problemOf(begin.error)
  const set = (i: number, to: Partial<Draft>) =>
    setPeople(people.map((p, k) => (k === i ? { ...p, ...to } : p)))
  return (
    <main className="mx-auto max-w-xl p-4 pt-8">
      <h1 className="text-2xl font-bold">{t`Begin your shop`}</h1>
      <p className="pb-4 text-soft">
        {t`No records yet. Enter the shop's name and the people who work here; the rest comes later. To look around first, start the demo instead:`}{' '}
        <code className="figure">{t`make demo`}</code> {t`with another data folder.`}
      </p>
      <Form label={t`Begin your shop`} className="grid gap-4" onSubmit={() => begin.mutate(undefined)}>
        <TextField label={t`Name of the shop`} value={shop} onChange={setShop} />
        <div className="grid gap-3 sm:grid-cols-3">
          <FigureField
            label={t`Labor, an hour`}
            unit="USD"
            value={labor}
            onChange={setLabor}
            hint={t`Bills have no total until you enter it.`}
            problem={fieldProblem(problem, 'details.labor_per_hour')}
          />
          <FigureField
            label={t`Sales tax`}
            unit="%"
            value={tax}
            onChange={setTax}
            hint={t`Leave empty for none.`}
            problem={fieldProblem(problem, 'details.tax_pct')}
          />
          <FigureField
            label={t`Parts markup`}
            unit="%"
            value={markup}
            onChange={setMarkup}
            hint={t`Leave empty to bill parts at cost.`}
            problem={fieldProblem(problem, 'details.parts_markup_pct')}
          />
        </div>
        {people.map((p, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a row keeps its place while it is typed
          <fieldset key={i} className="grid gap-2 border-t-2 border-line pt-3">
            <legend className="sr-only">{t`Person ${i + 1}`}</legend>
            <TextField
              label={i === 0 ? t`Your name` : t`Person ${i + 1}`}
              value={p.name}
              onChange={(name) => set(i, { name })}
            />
            {i === 0 ? (
              <SecretField
                label={t`Your passphrase`}
                value={passphrase}
                onChange={setPassphrase}
                autoComplete="new-password"
                hint={t`At least twelve characters: four plain words work well. Keep it to yourself.`}
                problem={fieldProblem(problem, 'passphrase')}
              />
            ) : (
              <Choice
                label={t`They are`}
                value={p.role}
                onChange={(role) => set(i, { role })}
                options={ROLES}
              />
            )}
          </fieldset>
        ))}
        <div>
          <Button
            onClick={() => setPeople([...people, { name: '', role: 'technician' }])}
          >{t`Add another person`}</Button>
        </div>
        <p className="text-soft">{t`You start as lead: you set standards, prices and people. Invite the others under Shop, People; they choose their own passphrase.`}</p>
        <ProblemNote problem={problem} />
        <Button
          kind="primary"
          type="submit"
          busy={begin.isPending}
          disabled={!shop.trim() || !people[0]?.name.trim() || !passphrase}
        >{t`Begin`}</Button>
      </Form>
    </main>
  )
}
