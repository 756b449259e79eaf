import { t } from '@lingui/core/macro'
import type { Problem } from '../api/client'
import { Button } from './button'

/** A refusal: what was wrong, and what to do next. Never a dead end. */
export function ProblemNote({ problem, onRetry }: { problem: Problem | null; onRetry?: () => void }) {
  if (!problem) return null
  const errors = problem.errors ?? []
  return (
    <div role="alert" className="border-2 border-fail bg-field p-3">
      <p className="font-bold text-fail">✕ {problem.title}</p>
      {errors.length > 0 ? (
        <ul className="list-disc pl-5">
          {errors.map((e) => (
            <li key={`${e.field}${e.wanted}`} className="break-words">
              <b>{e.label ?? e.field}</b>
              {t`: enter ${e.wanted}`}
              {e.got !== null && e.got !== undefined && (
                <span className="text-soft">{t`(got ${String(e.got)})`}</span>
              )}
            </li>
          ))}
        </ul>
      ) : (
        <p className="break-words">{problem.detail}</p>
      )}
      {problem.next_step && <p className="font-bold">→ {problem.next_step}</p>}
      {onRetry && <Button className="mt-2" onClick={onRetry}>{t`Try again`}</Button>}
    </div>
  )
}
