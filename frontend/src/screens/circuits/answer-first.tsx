import { t } from '@lingui/core/macro'
import type { Finding, Schemas } from '../../api/client'
import { Findings, VerdictMark } from '../../parts/verdict'

type Told = {
  answer: Schemas['AnswerLine'][]
  assumed: Schemas['Assumed'][]
  always: Finding[]
}

/** The answer in six lines, then what fails; what is open, the reasons and the assumptions fold under one line each. */
export function AnswerFirst({ out, findings }: { out: Told; findings: Finding[] }) {
  const fails = findings.filter((f) => f.verdict === 'fail')
  const open = findings.filter((f) => f.verdict === 'unknown')
  const rest = findings.filter((f) => f.verdict !== 'fail' && f.verdict !== 'unknown')
  const watched = rest.filter((f) => f.verdict === 'watch').length
  const reasons =
    rest.length === 1 ? t`1 reason, with clause and sum` : t`${rest.length} reasons, with clause and sum`
  return (
    <section aria-label={t`Answer`} className="grid gap-2">
      <AnswerLines lines={out.answer} />
      {fails.length > 0 && <Findings findings={fails} />}
      <Opens
        word={t`${open.length} open: ${open.map((f) => (f.next_step ?? f.text).replace(/\.$/, '')).join('; ')}`}
        none={open.length === 0}
      >
        <Findings findings={open} />
      </Opens>
      <Opens word={watched ? t`${watched} to watch; ${reasons}` : reasons} none={rest.length === 0}>
        <Findings findings={rest} />
      </Opens>
      <Taken out={out} />
    </section>
  )
}

export function AnswerLines({ lines }: { lines: Schemas['AnswerLine'][] }) {
  return (
    <dl className="border-2 border-ink bg-field">
      {lines.map((line) => (
        <div
          key={`${line.part} ${line.text}`}
          className="grid gap-x-3 border-b border-faint px-3 py-1.5 last:border-b-0 sm:grid-cols-[11rem_1fr_auto]"
        >
          <dt className="text-sm text-soft sm:text-base">{line.label}</dt>
          <dd className="figure min-w-0 text-lg leading-snug font-bold break-words">{line.text}</dd>
          {line.verdict !== 'note' && line.verdict !== 'pass' && (
            <dd>
              <VerdictMark
                verdict={line.verdict}
                {...(line.verdict === 'unknown' && { word: t`Need more info` })}
              />
            </dd>
          )}
        </div>
      ))}
    </dl>
  )
}

/** What was taken for granted, and what stands on every answer. */
export function Taken({ out }: { out: Pick<Told, 'assumed' | 'always'> }) {
  return (
    <>
      <Opens word={t`Assumed: ${out.assumed.map((a) => a.label).join(', ')}`} none={out.assumed.length === 0}>
        <ul className="divide-y divide-faint">
          {out.assumed.map((a) => (
            <li key={a.field} className="py-1.5">
              <b>
                {a.label}: {a.text}
              </b>{' '}
              <span className="text-soft">{a.why}</span>
            </li>
          ))}
        </ul>
      </Opens>
      <Opens word={t`Always: within sight, torque, working space …`} none={out.always.length === 0}>
        <Findings findings={out.always} />
      </Opens>
    </>
  )
}

function Opens({ word, none, children }: { word: string; none: boolean; children: React.ReactNode }) {
  if (none) return null
  return (
    <details className="border-b border-faint">
      <summary className="min-h-11 cursor-pointer py-2 font-bold">{word}</summary>
      {children}
    </details>
  )
}
