import { t } from '@lingui/core/macro'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { answer, client, fieldProblem, problemOf, type Schemas } from '../../api/client'
import { useHealth, useReference, useReloadDemo, useStandards } from '../../api/queries'
import { Button } from '../../parts/button'
import { sweepDrafts } from '../../parts/draft'
import { FigureField, TextField } from '../../parts/field'
import { Form } from '../../parts/figures'
import { ProblemNote } from '../../parts/problem'
import { Sheet } from '../../parts/sheet'
import { useTitle } from '../../parts/title'
import { practiceId } from '../../parts/verdict'
import { usePerson } from '../../parts/who'
import { parseFigure } from '../../quantities/figure'
import { day, figure } from '../../quantities/format'
import { measure, shownIn, typed, unitOf } from '../../quantities/measures'
import { Archives } from './archives'
import { Backups } from './backups'
import { ClosedOpen } from './closed-open'
import { Customers } from './imports'
import { Network } from './network'
import { OwnSignIn } from './own-sign-in'
import { Audit, Details, People, useManages } from './people'
import { Security } from './security'
import { Trail } from './trail'

export function ShopScreen() {
  useTitle(t`Shop`)
  const { person } = usePerson()
  const manages = useManages()
  const standards = useStandards()
  const health = useHealth()
  return (
    <div className="mx-auto max-w-5xl p-3 sm:p-5">
      <h1 className="text-2xl font-bold">{t`Shop`}</h1>
      <h2 className="mt-4 border-b-2 border-ink text-lg font-bold">{t`People`}</h2>
      <People demo={health.data?.demo ?? true} />
      <h2
        id="sign-in"
        className="mt-6 scroll-mt-16 border-b-2 border-ink text-lg font-bold"
      >{t`Your sign-in`}</h2>
      <OwnSignIn demo={health.data?.demo ?? true} />
      <h2 className="mt-6 border-b-2 border-ink text-lg font-bold">{t`On printed papers`}</h2>
      <Details />
      <h2 id="keeping" className="mt-6 scroll-mt-16 border-b-2 border-ink text-lg font-bold">{t`Backups`}</h2>
      <Backups manages={manages} />
      <h2 className="mt-6 border-b-2 border-ink text-lg font-bold">{t`Shop standards`}</h2>
      <p className="py-2 text-soft">{t`Shop limits and why. Not code rules.`}</p>
      <ProblemNote problem={problemOf(standards.error)} onRetry={() => standards.refetch()} />
      {standards.data && <StandardList standards={standards.data} />}
      <h2 className="mt-6 border-b-2 border-ink text-lg font-bold">{t`Field practice`}</h2>
      <p className="py-2 text-soft">{t`What careful technicians do where no published rule decides.`}</p>
      <FieldPractice />
      {person?.role === 'lead' && (
        <>
          <h2 className="mt-6 border-b-2 border-ink text-lg font-bold">{t`Security`}</h2>
          <Security />
        </>
      )}
      {manages && (
        <>
          <h2 className="mt-6 border-b-2 border-ink text-lg font-bold">{t`Closed with open items`}</h2>
          <ClosedOpen />
          <h2 className="mt-6 border-b-2 border-ink text-lg font-bold">{t`Network`}</h2>
          <Network />
          <h2 className="mt-6 border-b-2 border-ink text-lg font-bold">{t`Lists in`}</h2>
          <Customers />
          <h2 className="mt-6 border-b-2 border-ink text-lg font-bold">{t`Archives`}</h2>
          <Archives />
          <h2 className="mt-6 border-b-2 border-ink text-lg font-bold">{t`Who changed what`}</h2>
          <Audit />
          <details className="mt-3">
            <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`Every change, field by field`}</summary>
            <Trail />
          </details>
        </>
      )}
      {health.data?.demo && (
        <>
          <h2 className="mt-6 border-b-2 border-ink text-lg font-bold">{t`Demo`}</h2>
          <ReloadDemo />
        </>
      )}
    </div>
  )
}

/** Standards by what is typed; all of them behind one line until then. */
function StandardList({ standards }: { standards: Schemas['StandardOut'][] }) {
  const [find, setFind] = useState('')
  const wanted = find.trim().toLowerCase()
  const found = standards.filter(({ standard: s }) =>
    `${s.title} ${s.reason} ${s.other_practice}`.toLowerCase().includes(wanted),
  )
  const changed = standards.filter((s) => s.standard.value !== s.shipped_value)
  const shown = wanted ? found : changed
  return (
    <>
      <TextField label={t`Find a standard`} value={find} onChange={setFind} />
      <ul>
        {shown.map((s) => (
          <StandardLine key={s.standard.name} entry={s} />
        ))}
      </ul>
      {!wanted && (
        <details>
          <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`All ${standards.length} standards`}</summary>
          <ul>
            {standards.map((s) => (
              <StandardLine key={s.standard.name} entry={s} />
            ))}
          </ul>
        </details>
      )}
    </>
  )
}

/** Every practice a verdict may name; the one that was followed opens and comes into view. */
function FieldPractice() {
  const practices = useReference().data?.practices
  const [asked] = useState(() => window.location.hash.slice(1))
  useEffect(() => {
    if (practices && asked) document.getElementById(asked)?.scrollIntoView()
  }, [practices, asked])
  return (
    <details open={practices?.some((p) => practiceId(p.name) === asked)}>
      <summary className="min-h-11 cursor-pointer py-2 font-bold">{t`All ${practices?.length ?? 0} practices`}</summary>
      <dl>
        {practices?.map((p) => (
          <div
            key={p.name}
            id={practiceId(p.name)}
            className="grid scroll-mt-16 gap-x-4 border-b border-faint py-2 target:bg-field sm:grid-cols-[15rem_1fr]"
          >
            <dt className="font-bold">{p.title}</dt>
            <dd>{p.text}</dd>
          </div>
        ))}
      </dl>
    </details>
  )
}

const standardUnit = (s: Schemas['ShopStandard']) => (s.unit === '1' ? '×' : unitOf(s.name, s.unit))

function StandardLine({ entry }: { entry: Schemas['StandardOut'] }) {
  const { person } = usePerson()
  const [open, setOpen] = useState(false)
  const s = entry.standard
  const unit = standardUnit(s)
  const own = s.value !== entry.shipped_value
  return (
    <li className="grid gap-x-4 border-b border-faint py-2 sm:grid-cols-[15rem_9rem_1fr_auto]">
      <span className="font-bold break-words">{s.title}</span>
      <span className="figure">
        {measure(s.value, unit)}
        {own && (
          <span className="block text-sm text-soft">{t`shipped ${figure(shownIn(entry.shipped_value, unit))}`}</span>
        )}
      </span>
      <span className="text-sm">
        {s.reason} <span className="text-soft">{t`Others use: ${s.other_practice}`}</span>
        {entry.history.map((h) => (
          <span
            key={h.set_at}
            className="block text-soft"
          >{t`${figure(shownIn(h.value, unit))} by ${h.person}, ${day(h.set_at)}: “${h.why}”`}</span>
        ))}
      </span>
      {person?.role === 'lead' && (
        <>
          <Button
            className="px-3 text-sm"
            aria-label={t`Set ${s.title}`}
            onClick={() => setOpen(true)}
          >{t`Set`}</Button>
          <Sheet open={open} onOpenChange={setOpen} title={s.title}>
            <SetStandard entry={entry} onDone={() => setOpen(false)} />
          </Sheet>
        </>
      )}
    </li>
  )
}

function SetStandard({ entry, onDone }: { entry: Schemas['StandardOut']; onDone: () => void }) {
  const cache = useQueryClient()
  const unit = standardUnit(entry.standard)
  const [value, setValue] = useState(typed(entry.standard.value, unit))
  const [why, setWhy] = useState('')
  const set = useMutation({
    mutationFn: () =>
      answer(
        client.PUT('/api/standards/{name}', {
          params: { path: { name: entry.standard.name } },
          body: {
            value: parseFigure(value, unit) as number,
            why,
            was: entry.standard.value,
          },
        }),
      ),
    onError: () => cache.invalidateQueries({ queryKey: ['standards'] }),
    onSuccess: () => {
      cache.invalidateQueries()
      onDone()
    },
  })
  const problem = problemOf(set.error)
  return (
    <Form label={entry.standard.title} className="grid gap-3" onSubmit={() => set.mutate()}>
      <p>{entry.standard.reason}</p>
      <FigureField
        label={t`This shop's value`}
        unit={unit}
        value={value}
        onChange={setValue}
        problem={fieldProblem(problem, 'value')}
      />
      <TextField label={t`Reason`} value={why} onChange={setWhy} problem={fieldProblem(problem, 'why')} />
      <ProblemNote problem={problem} />
      <Button kind="primary" type="submit" busy={set.isPending}>{t`Save; results update`}</Button>
    </Form>
  )
}

function ReloadDemo() {
  const reload = useReloadDemo()
  const [asking, setAsking] = useState(false)
  return (
    <div className="py-3">
      <p className="pb-2 text-soft">{t`Quillback Cooling is a made-up shop. Loading it again starts over.`}</p>
      <Button onClick={() => setAsking(true)}>{t`Load the demo again`}</Button>
      {reload.isSuccess && !asking && (
        <p role="status" className="pt-2 font-bold text-pass">{t`✓ The demo shop is as new.`}</p>
      )}
      <Sheet open={asking} onOpenChange={setAsking} title={t`Delete all records?`}>
        <p>{t`Deletes every call, reading and nameplate in these records and loads the demo again.`}</p>
        <ProblemNote problem={problemOf(reload.error)} />
        <div className="flex gap-2 pt-4">
          <Button
            kind="primary"
            busy={reload.isPending}
            onClick={() =>
              reload.mutate(undefined, {
                onSuccess: () => {
                  sweepDrafts(true)
                  setAsking(false)
                },
              })
            }
          >{t`Delete and reload`}</Button>
          <Button onClick={() => setAsking(false)}>{t`Keep the records`}</Button>
        </div>
      </Sheet>
    </div>
  )
}
