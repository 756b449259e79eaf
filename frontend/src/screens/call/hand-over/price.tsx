import { t } from '@lingui/core/macro'
import { lazy, Suspense, useState } from 'react'
import { type Call, problemOf, type Schemas } from '../../../api/client'
import { Button } from '../../../parts/button'
import { early } from '../../../parts/early'
import { ProblemNote } from '../../../parts/problem'
import { WhileOpen } from '../../../parts/read-only'
import { Sheet } from '../../../parts/sheet'
import { clock } from '../../../quantities/format'
import { useDecide } from '../why/use-why'
import { amount, useHandOver } from './use-hand-over'

const Options = lazy(early(() => import('./options').then((m) => ({ default: m.Options }))))

type Given = Schemas['AgreedOut']

/** The customer's yes to each option, marked where it came after the work. */
export function Given({ agreed }: { agreed: Given[] }) {
  return (
    <ul>
      {agreed.map((a) => (
        <li key={a.at} className="border-b border-faint py-2">
          <b>{a.agreement.name}</b>, {clock(a.at)}
          {a.agreement.heard_by && t` · by word, heard by ${a.agreement.heard_by}`}
          {a.agreement.signature && t` · signed`} · {amount(a.agreement.total, a.agreement.currency)}
          {a.after_work && <b>{t`· △ given after the work`}</b>}
          <ul className="list-disc pl-5 text-sm">
            {a.agreement.what.map((w) => (
              <li key={w}>{w}</li>
            ))}
          </ul>
        </li>
      ))}
    </ul>
  )
}

/** Options and prices in a sheet, and the button that opens it. */
export function OptionsButton({ call, primary = false }: { call: Call; primary?: boolean }) {
  const [open, setOpen] = useState(false)
  return (
    <>
      <Button
        kind={primary ? 'primary' : 'plain'}
        onClick={() => setOpen(true)}
      >{t`Options and prices`}</Button>
      <Sheet open={open} onOpenChange={setOpen} title={t`What can be done`}>
        <Suspense fallback={<p>{t`Computing the starts…`}</p>}>
          <Options call={call} onDone={() => setOpen(false)} />
        </Suspense>
      </Sheet>
    </>
  )
}

const ANSWERS = { covered: t`Covered by agreement or warranty`, not_today: t`Not today` } as const

/** Right after the cause: the price, then a yes, or why none is needed. */
export function PriceFirst({ call, answered }: { call: Call; answered: Schemas['DecisionOut'] | undefined }) {
  const page = useHandOver(call.id)
  const decide = useDecide(call.id)
  const said = answered?.decision.go
  return (
    <section aria-label={t`Price and yes`} data-step="options" className="scroll-mt-14">
      <h3 className="border-b-2 border-ink font-bold">{t`Price first, then a yes`}</h3>
      {page.data && <Given agreed={page.data.agreed} />}
      {answered && said && (
        <p className="py-2">
          <b>{ANSWERS[said]}</b> · {answered.person}, {clock(answered.decided_at)}
        </p>
      )}
      <WhileOpen>
        <div className="flex flex-wrap gap-2 pt-2">
          <OptionsButton call={call} primary={!said && page.data?.agreed.length === 0} />
          {(['covered', 'not_today'] as const).map((go) => (
            <Button
              key={go}
              busy={decide.isPending}
              disabled={said === go}
              onClick={() =>
                decide.mutate({
                  kind: 'go_ahead',
                  decision: { kind: 'go_ahead', go, note: '', put_right: [] },
                } as Schemas['NewDecision'])
              }
            >
              {ANSWERS[go]}
            </Button>
          ))}
        </div>
      </WhileOpen>
      <ProblemNote problem={problemOf(decide.error)} />
    </section>
  )
}
