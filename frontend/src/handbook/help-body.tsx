import { t } from '@lingui/core/macro'
import { Suspense, useState } from 'react'
import { problemOf } from '../api/client'
import { ProblemNote } from '../parts/problem'
import { type At, helpFor, useCited } from './book'
import { Reader } from './reader'

/** Help for where one stands. */
export function HelpHere({ path }: { path: string }) {
  const here = helpFor(path)
  const [at, setAt] = useState<At>(
    here.at.page === 'using' && here.using[0] ? { page: 'using', section: here.using[0] } : here.at,
  )
  return (
    <Suspense fallback={<p>{t`Opening…`}</p>}>
      <Reader at={at} onGo={setAt} using={at.page === here.at.page ? here.using : []} />
    </Suspense>
  )
}

/** What the handbook says of a rule. */
export function RuleText({ rule }: { rule: string }) {
  const cited = useCited(rule, true)
  const [at, setAt] = useState<At | null>(null)
  if (!cited.data)
    return cited.isError ? (
      <ProblemNote problem={problemOf(cited.error)} onRetry={() => cited.refetch()} />
    ) : (
      <p>{t`Opening…`}</p>
    )
  return (
    <Suspense fallback={<p>{t`Opening…`}</p>}>
      {cited.data.length === 0 && !at && (
        <p className="pb-3">{t`No page covers this rule. Search for a word of it, or pick a page.`}</p>
      )}
      {at ? <Reader at={at} onGo={setAt} /> : <Reader at={{ page: '' }} onGo={setAt} only={cited.data} />}
    </Suspense>
  )
}
