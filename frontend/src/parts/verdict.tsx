import { t } from '@lingui/core/macro'
import { Collapsible } from 'radix-ui'
import { lazy, type ReactNode, Suspense } from 'react'
import type { Finding, Verdict } from '../api/client'
import { RuleLink } from '../handbook/help'
import { early } from './early'

const Termed = lazy(early(() => import('../handbook/termed').then((m) => ({ default: m.Termed }))))

const words: Record<Verdict, string> = {
  pass: t`Pass`,
  watch: t`Watch`,
  fail: t`Fail`,
  unknown: t`Unknown`,
  note: t`Note`,
}
const colours: Record<Verdict, string> = {
  pass: 'text-pass',
  watch: 'text-watch',
  fail: 'text-fail',
  unknown: 'text-unknown',
  note: 'text-soft',
}

function Shape({ verdict }: { verdict: Verdict }) {
  const shapes: Record<Verdict, ReactNode> = {
    pass: <path d="M2 10.5 7.5 16 18 4.5" fill="none" stroke="currentColor" strokeWidth="3.6" />,
    watch: (
      <path d="M10 1.5 19 18H1Z M10 7v5.2 M10 14v2" fill="none" stroke="currentColor" strokeWidth="2.4" />
    ),
    fail: (
      <>
        <rect x="1.5" y="1.5" width="17" height="17" fill="currentColor" />
        <path d="m6 6 8 8m0-8-8 8" stroke="var(--field)" strokeWidth="2.6" />
      </>
    ),
    unknown: (
      <circle
        cx="10"
        cy="10"
        r="7.5"
        fill="none"
        stroke="currentColor"
        strokeWidth="2.6"
        strokeDasharray="4.7 3"
      />
    ),
    note: <path d="M3 6h14M3 10h14M3 14h9" stroke="currentColor" strokeWidth="2.2" />,
  }
  return (
    <svg viewBox="0 0 20 20" className="size-[1.05em] shrink-0" aria-hidden="true">
      {shapes[verdict]}
    </svg>
  )
}

/** A verdict is a shape, a word and a colour, always together. */
export function VerdictMark({ verdict, word }: { verdict: Verdict; word?: string }) {
  return (
    <span
      className={`inline-flex max-w-full items-center gap-1.5 font-bold ${(word ?? '').length > 14 ? '' : 'whitespace-nowrap'} ${colours[verdict]}`}
    >
      <Shape verdict={verdict} />
      {word ?? words[verdict]}
    </span>
  )
}

/** What is wrong or open in full; what passes folds under one line. */
export function FoldedFindings({ findings }: { findings: Finding[] }) {
  const fine = findings.filter((f) => f.verdict === 'note' || f.verdict === 'pass')
  const passed = fine.filter((f) => f.verdict === 'pass').length
  return (
    <>
      <Findings findings={findings.filter((f) => !fine.includes(f))} />
      {fine.length > 0 && (
        <details>
          <summary className="min-h-11 cursor-pointer py-2 font-bold">
            {passed > 1 ? t`${passed} checks pass` : t`How`}
          </summary>
          <Findings findings={fine} />
        </details>
      )}
    </>
  )
}

/** The findings behind a verdict: what, arithmetic, rule, next. */
export function Findings({ findings }: { findings: Finding[] }) {
  return (
    <ul className="divide-y divide-faint">
      {findings.map((f) => (
        <li key={`${f.code} ${f.text}`} className="py-2">
          <div className="flex items-start gap-2">
            <span className="pt-0.5">
              <VerdictMark verdict={f.verdict} />
            </span>
            <p className="min-w-0 break-words">
              <Suspense fallback={f.text}>
                <Termed text={f.text} />
              </Suspense>
            </p>
          </div>
          {f.arithmetic && <p className="figure pt-1 text-sm break-words text-soft">{f.arithmetic}</p>}
          <p className="pt-1 text-sm text-soft">
            {t`Rule:`} <RuleLink rule={f.rule} />
          </p>
          {f.next_step && <p className="pt-1 font-bold">→ {f.next_step}</p>}
        </li>
      ))}
    </ul>
  )
}

export function practiceId(name: string): string {
  return `practice-${name.replaceAll(/[^a-z]+/g, '-')}`
}

/** A line that opens to its reasons. */
export function Why({
  summary,
  findings,
  open,
  children,
  id,
}: {
  summary: ReactNode
  findings: Finding[]
  id?: string
  open?: boolean
  children?: ReactNode
}) {
  return (
    <Collapsible.Root {...(id ? { id } : {})} defaultOpen={open ?? false} className="border-b border-faint">
      <Collapsible.Trigger className="group flex min-h-11 w-full items-center gap-3 py-2 text-left">
        <span className="min-w-0 flex-1">{summary}</span>
        <span className="shrink-0 text-sm underline underline-offset-4 group-data-[state=open]:hidden">{t`How`}</span>
        <span className="hidden shrink-0 text-sm underline underline-offset-4 group-data-[state=open]:inline">{t`Close`}</span>
      </Collapsible.Trigger>
      <Collapsible.Content className="border-l-4 border-faint bg-field px-3">
        {children}
        <Findings findings={findings} />
      </Collapsible.Content>
    </Collapsible.Root>
  )
}
