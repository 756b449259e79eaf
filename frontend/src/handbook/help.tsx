import { lazy, type ReactNode, Suspense, useState } from 'react'
import { useLocation } from 'react-router'
import { problemOf } from '../api/client'
import { early } from '../parts/early'
import { ProblemNote } from '../parts/problem'
import { Sheet } from '../parts/sheet'
import { type At, helpFor, useCited } from './book'

const Reader = lazy(early(() => import('./reader').then((m) => ({ default: m.Reader }))))

/** Help where one stands: what this place is for, how its screen works, its words, and the whole handbook behind it. */
export function HelpButton({ children }: { children?: ReactNode }) {
  const { pathname } = useLocation()
  const [open, setOpen] = useState(false)
  return (
    <>
      <button
        type="button"
        aria-label="Help with this page"
        onClick={() => setOpen(true)}
        className="min-h-12 min-w-11 border-l border-faint px-2 font-bold sm:px-3"
      >
        ?
      </button>
      <Sheet open={open} onOpenChange={setOpen} title="Help">
        {children}
        <HelpHere path={pathname} />
      </Sheet>
    </>
  )
}

function HelpHere({ path }: { path: string }) {
  const here = helpFor(path)
  const [at, setAt] = useState<At>(
    here.at.page === 'using' && here.using[0] ? { page: 'using', section: here.using[0] } : here.at,
  )
  return (
    <Suspense fallback={<p>Opening…</p>}>
      <Reader at={at} onGo={setAt} using={at.page === here.at.page ? here.using : []} />
    </Suspense>
  )
}

/** A rule a verdict stands on; a tap opens what the handbook says of it, over the work. */
export function RuleLink({ rule }: { rule: string }) {
  const [open, setOpen] = useState(false)
  return (
    <>
      <button
        type="button"
        className="text-left break-words underline decoration-dotted underline-offset-4"
        onClick={() => setOpen(true)}
      >
        {rule}
      </button>
      <Sheet open={open} onOpenChange={setOpen} title="The rule" note={rule}>
        <RuleText rule={rule} />
      </Sheet>
    </>
  )
}

function RuleText({ rule }: { rule: string }) {
  const cited = useCited(rule, true)
  const [at, setAt] = useState<At | null>(null)
  if (!cited.data)
    return cited.isError ? (
      <ProblemNote problem={problemOf(cited.error)} onRetry={() => cited.refetch()} />
    ) : (
      <p>Opening…</p>
    )
  return (
    <Suspense fallback={<p>Opening…</p>}>
      {cited.data.length === 0 && !at && (
        <p className="pb-3">No page says more about this rule. Find a word of it, or pick a page.</p>
      )}
      {at ? <Reader at={at} onGo={setAt} /> : <Reader at={{ page: '' }} onGo={setAt} only={cited.data} />}
    </Suspense>
  )
}
