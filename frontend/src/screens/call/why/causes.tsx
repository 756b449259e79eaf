import { t } from '@lingui/core/macro'
import { Collapsible } from 'radix-ui'
import { Link } from 'react-router'
import type { Call, Schemas } from '../../../api/client'
import { Button } from '../../../parts/button'
import { clock, day, figure } from '../../../quantities/format'
import type { Ranked } from './use-why'

const SHOWN = 6
const LIVE = /_v$|_v_|_a$|time|legs|rotation|pressure|psig|inrush|running/

function rungOf(point: Schemas['Point']): string {
  return point.source.some((s) => LIVE.test(s)) ? 'live_tests' : 'dead_tests'
}

/** How much a fact speaks for or against a cause, in words. */
function tells(factor: number): string {
  const strength = Math.max(factor, 1 / Math.max(factor, 1e-6))
  return strength >= 5 ? 'strong' : strength >= 2 ? 'moderate' : 'slight'
}

const SURE: Record<Schemas['DiagnoseOut']['sure'], string> = {
  clear: 'clear',
  likely: 'likely',
  open_between_two: t`open between two`,
  open: t`still open`,
}

/** Causes as bars on one scale; each opens to what speaks for and against it. */
export function Causes({
  call,
  ranked,
  pairs,
  taken,
  sure,
  onTake,
}: {
  call: Call
  sure: Schemas['DiagnoseOut']['sure']
  ranked: Ranked[]
  pairs: Schemas['Pair'][]
  taken: Schemas['DecisionOut'] | undefined
  onTake: ((hypothesis: Ranked['hypothesis']) => void) | undefined
}) {
  const titles = new Map(ranked.map((r) => [r.hypothesis, r.title]))
  const rest = ranked.slice(SHOWN).reduce((sum, r) => sum + r.probability, 0)
  const strong = pairs.filter((p) => p.probability >= 0.05)
  return (
    <section aria-label={t`Causes`} data-step="cause" className="scroll-mt-14">
      <h3 className="border-b-2 border-ink font-bold">
        {t`Causes, likeliest first`} <span className="font-normal text-soft">· {SURE[sure]}</span>
      </h3>
      <ol>
        {ranked.slice(0, SHOWN).map((r, place) => (
          <li key={r.hypothesis} className="border-b border-faint">
            <Collapsible.Root>
              <Collapsible.Trigger className="group grid min-h-11 w-full grid-cols-[1fr_auto] items-center gap-x-3 py-2 text-left">
                <span className="min-w-0">
                  <span className="font-bold">{r.title}</span>
                  {taken?.decision.hypothesis === r.hypothesis && (
                    <span className="ml-2 text-sm text-orange-ink">{t`▸ selected cause`}</span>
                  )}
                </span>
                <span className="figure text-lg">{percent(r.probability)}</span>
                <span className="col-span-2 h-3 border border-line bg-field" aria-hidden="true">
                  <span
                    className="block h-full bg-orange"
                    style={{ width: `${Math.max(0.5, 100 * r.probability)}%` }}
                  />
                </span>
                <span className="col-span-2 pt-1 text-sm text-soft">
                  {marks(r.for.length, '▲', 'for')} {marks(r.against.length, '▽', 'against')}
                  <span className="ml-2 underline underline-offset-4 group-data-[state=open]:hidden">{t`How`}</span>
                  <span className="ml-2 hidden underline underline-offset-4 group-data-[state=open]:inline">{t`Close`}</span>
                </span>
              </Collapsible.Trigger>
              <Collapsible.Content className="border-l-4 border-faint bg-field px-3 py-2">
                <Points call={call} points={r.for} word={t`For it`} mark="▲" />
                <Points call={call} points={r.against} word={t`Against it`} mark="▽" />
                {r.for.length + r.against.length === 0 && (
                  <p className="text-soft">{t`No readings for or against it yet. Ranked by how common it is.`}</p>
                )}
                <p className="figure text-sm text-soft">
                  {t`How common: ${figure(r.shipped_pct, 2)} % as shipped, ${figure(r.here_pct, 2)} % here`}
                  {r.here_calls > 0 &&
                    (r.here_calls === 1 ? t` (1 closed call)` : t` (${r.here_calls} closed calls)`)}
                </p>
                <p className="pt-2">
                  <b>→ {r.fix}</b>
                </p>
                {onTake && place > 0 && (
                  <Button
                    className="mt-2"
                    onClick={() => onTake(r.hypothesis)}
                  >{t`Select this cause`}</Button>
                )}
              </Collapsible.Content>
            </Collapsible.Root>
            {onTake && place === 0 && taken?.decision.hypothesis !== r.hypothesis && (
              <Button className="mb-2" onClick={() => onTake(r.hypothesis)}>{t`Select this cause`}</Button>
            )}
          </li>
        ))}
      </ol>
      <p className="py-2 text-sm text-soft">
        {t`Everything else:`} <span className="figure">{percent(rest)}</span>.
        {strong.map((p) => (
          <span key={p.hypotheses.join()}>
            {t`Both ${p.hypotheses.map((h) => titles.get(h)?.toLowerCase()).join(' and ')}:`}{' '}
            <span className="figure">{percent(p.probability)}</span>.
          </span>
        ))}
        {taken && (
          <span>{t`Selected by ${taken.person}, ${day(taken.decided_at)} ${clock(taken.decided_at)}.`}</span>
        )}
      </p>
    </section>
  )
}

function percent(p: number): string {
  const value = 100 * p
  return value >= 99.5 ? '>99 %' : value < 1 ? '<1 %' : `${value.toFixed(0)} %`
}

function marks(count: number, mark: string, word: string) {
  if (count === 0) return null
  return (
    <span className="mr-2">
      {mark.repeat(Math.min(count, 6))} {count} {word}
    </span>
  )
}

function Points({
  call,
  points,
  word,
  mark,
}: {
  call: Call
  points: Schemas['Point'][]
  word: string
  mark: string
}) {
  if (points.length === 0) return null
  return (
    <div className="py-1">
      <p className="text-sm font-bold text-soft">{word}</p>
      <ul>
        {points.map((p) => (
          <li key={`${p.fact}${p.text}`} className="grid grid-cols-[1.2rem_1fr_auto] gap-x-2 py-1">
            <span aria-hidden="true">{mark}</span>
            <span className="min-w-0">
              {p.text} <span className="text-sm text-soft">{p.reason}</span>{' '}
              {(p.reading_ids ?? []).length > 0 && (
                <Link className="text-sm underline" to={`/calls/${call.id}/${rungOf(p)}`}>{t`reading`}</Link>
              )}
            </span>
            <span className="whitespace-nowrap text-soft">{tells(p.factor)}</span>
          </li>
        ))}
      </ul>
    </div>
  )
}
