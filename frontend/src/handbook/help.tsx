import { t } from '@lingui/core/macro'
import { lazy, type ReactNode, Suspense, useState } from 'react'
import { useLocation } from 'react-router'
import { early } from '../parts/early'
import { Sheet } from '../parts/sheet'

const HelpHere = lazy(early(() => import('./help-body').then((m) => ({ default: m.HelpHere }))))
const RuleText = lazy(early(() => import('./help-body').then((m) => ({ default: m.RuleText }))))

/** Help where one stands: what this place is for, how its screen works, its words, and the whole handbook behind it. */
export function HelpButton({ children }: { children?: ReactNode }) {
  const { pathname } = useLocation()
  const [open, setOpen] = useState(false)
  return (
    <>
      <button
        type="button"
        aria-label={t`Help with this page`}
        onClick={() => setOpen(true)}
        className="min-h-12 min-w-11 border-l border-faint px-2 font-bold sm:px-3"
      >
        ?
      </button>
      <Sheet open={open} onOpenChange={setOpen} title={t`Help`}>
        {children}
        <Suspense fallback={<p>{t`Opening…`}</p>}>
          <HelpHere path={pathname} />
        </Suspense>
      </Sheet>
    </>
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
      <Sheet open={open} onOpenChange={setOpen} title={t`The rule`} note={rule}>
        <Suspense fallback={<p>{t`Opening…`}</p>}>
          <RuleText rule={rule} />
        </Suspense>
      </Sheet>
    </>
  )
}
