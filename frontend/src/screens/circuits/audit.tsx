import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { answer, client, type Finding, type Schemas } from '../../api/client'
import { VerdictMark } from '../../parts/verdict'
import { AnswerLines, Taken } from './answer-first'

type Audit = Schemas['AuditOut']

export function useAudit(body: Schemas['AuditIn'], enabled: boolean) {
  return useQuery({
    queryKey: ['audit', body],
    enabled,
    queryFn: () => answer(client.POST('/api/calc/audit', { body })),
    placeholderData: (old) => old,
    retry: false,
  })
}

/** The checks of an audit as findings, for the part of the line they belong to. */
export function findingsOf(audit: Audit | null | undefined): Finding[] {
  if (!audit) return []
  const checks = audit.checks.map((c) => ({
    code: c.code,
    verdict: c.verdict,
    text: c.text,
    rule: c.clause,
    inputs: {},
    arithmetic: c.arithmetic ?? null,
    next_step: c.fix ?? null,
    stops: false,
  }))
  return [...checks, ...audit.findings]
}

/** The audit: what is wrong and the cheapest lawful fix, then clause by clause. */
export function AuditList({ audit }: { audit: Audit }) {
  const others = audit.fixes.slice(1)
  return (
    <section aria-label={t`Audit`} className="grid gap-3">
      <p className="text-lg">
        <VerdictMark
          verdict={audit.lawful ? 'pass' : audit.ok ? 'unknown' : 'fail'}
          word={
            audit.lawful
              ? t`Meets code`
              : audit.ok
                ? t`No failures, but not everything checked`
                : t`Does not meet code`
          }
        />
      </p>
      <AnswerLines lines={audit.answer} />
      {others.length > 0 && (
        <details className="border-b border-faint">
          <summary className="min-h-11 cursor-pointer py-2 font-bold">
            {others.length === 1
              ? t`1 other way to make it meet code`
              : t`${others.length} other ways to make it meet code`}
          </summary>
          <ul>
            {others.map((set) => {
              const text = set.changes.map((c) => c.text).join(' ')
              return (
                <li key={text} className="py-1.5">
                  {text}
                </li>
              )
            })}
          </ul>
        </details>
      )}
      <ol aria-label={t`Clause by clause, cheapest fix first`}>
        {audit.checks.map((c) => (
          <li key={`${c.code} ${c.text}`} className="border-b border-faint py-2">
            <p className="flex flex-wrap items-baseline gap-x-3">
              <VerdictMark
                verdict={c.verdict}
                {...(c.verdict === 'unknown' && { word: t`Need more info` })}
              />
              <span className="min-w-0 flex-1 basis-56">{c.text}</span>
              <span className="text-sm text-soft">{c.clause}</span>
            </p>
            {c.fix && <p className="font-bold">→ {c.fix}</p>}
            {c.arithmetic && <p className="figure text-sm text-soft">{c.arithmetic}</p>}
          </li>
        ))}
      </ol>
      <Taken out={audit} />
    </section>
  )
}
