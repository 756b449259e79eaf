import { t } from '@lingui/core/macro'
import { lazy, Suspense } from 'react'
import { NavLink } from 'react-router'
import { PRACTICE } from '../api/client'
import { usePerson } from './who'

const KeepingNote = lazy(() => import('./keeping-note').then((m) => ({ default: m.KeepingNote })))

const WORK = [
  { to: '/calls', word: t`Calls` },
  { to: '/day', word: t`Day` },
  { to: '/due', word: t`To do` },
]

/** A few views of one place, side by side. */
export function Tabs({ label, tabs }: { label: string; tabs: { to: string; word: string }[] }) {
  return (
    <nav aria-label={label} className="flex flex-wrap gap-1 pb-3">
      {tabs.map((tab) => (
        <NavLink
          key={tab.to}
          to={tab.to}
          end
          className="flex min-h-11 items-center border-2 border-line bg-field px-4 aria-[current=page]:border-ink aria-[current=page]:bg-ink aria-[current=page]:font-bold aria-[current=page]:text-ground"
        >
          {tab.word}
        </NavLink>
      ))}
    </nav>
  )
}

/** Calls, the day's visits, what is due: three views of the same work. */
export function CallTabs() {
  const { may } = usePerson()
  return (
    <>
      {!PRACTICE && may.includes('manage') && (
        <Suspense>
          <KeepingNote />
        </Suspense>
      )}
      <Tabs label={t`Work`} tabs={WORK} />
    </>
  )
}
