import { t } from '@lingui/core/macro'
import { lazy, type ReactNode, Suspense, useState } from 'react'
import { Link, useLocation } from 'react-router'
import { PRACTICE } from '../api/client'
import { useMoves } from '../api/live'
import { HelpButton } from '../handbook/help'
import { KeyMap } from './keys'
import { applyLook, LOOKS, type Look, rememberedLook } from './look'
import { usePerson } from './who'

const NoSignal = lazy(() => import('./no-signal').then((m) => ({ default: m.NoSignal })))

const places: { to: string; word: string; short: string; also?: string[] }[] = [
  { to: '/calls', word: t`Calls`, short: t`Calls`, also: ['/day', '/due'] },
  { to: '/units', word: t`Units`, short: t`Units`, also: ['/fleet'] },
  { to: '/lab', word: t`Start lab`, short: t`Lab`, also: ['/bench', '/score'] },
  { to: '/circuits', word: t`Circuits`, short: t`Circuit` },
  { to: '/van', word: t`Van`, short: t`Van` },
  { to: '/shop', word: t`Shop`, short: t`Shop` },
]

/** Whether a page lies in a place: under its own address, or among those it also holds. */
function within(path: string, place: (typeof places)[number]): boolean {
  return [place.to, ...(place.also ?? [])].some((at) => path === at || path.startsWith(`${at}/`))
}

export function Shell({ children }: { children: ReactNode }) {
  const { person, change } = usePerson()
  const { pathname } = useLocation()
  useMoves()
  const [look, setLook] = useState<Look>(rememberedLook)
  const turn = (next: Look) => {
    applyLook(next)
    setLook(next)
  }
  return (
    // Where the text is so large that a phone holds few words in a line, the head scrolls away with the page.
    <div className="@container h-full">
      <div className="flex h-full flex-col @max-[17rem]:block @max-[17rem]:overflow-y-auto">
        <a
          href="#main"
          className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-field focus:p-3"
        >{t`To the page`}</a>
        <header className="flex shrink-0 items-stretch border-b-2 border-ink bg-plane">
          <Link
            to="/calls"
            className="hidden items-center gap-2 px-3 font-bold sm:flex"
            aria-label={t`Orange Crank, calls`}
          >
            <img src="/crank.svg" alt="" className="size-7" />
            <span className="hidden text-lg sm:inline">Orange Crank</span>
          </Link>
          <nav aria-label={t`Places`} className="flex min-w-0 flex-1 flex-wrap sm:flex-none">
            {places.map((p) => (
              <Link
                key={p.to}
                to={p.to}
                aria-current={within(pathname, p) ? 'page' : undefined}
                className="flex min-h-12 items-center border-b-4 border-transparent px-1.5 aria-[current=page]:border-orange aria-[current=page]:font-bold sm:px-4"
              >
                <span className="sm:hidden">{p.short}</span>
                <span className="hidden sm:inline">{p.word}</span>
              </Link>
            ))}
          </nav>
          <div className="ml-auto flex shrink-0">
            <HelpButton>
              <Looks look={look} onTurn={turn} />
            </HelpButton>
            <button
              type="button"
              onClick={() =>
                turn(LOOKS[(LOOKS.findIndex((l) => l.look === look) + 1) % LOOKS.length]?.look ?? 'sheet')
              }
              className="hidden min-h-12 border-l border-faint px-3 text-sm sm:block"
              aria-label={t`Look: ${look}. Change.`}
            >
              {LOOKS.find((l) => l.look === look)?.word}
            </button>
            <button
              type="button"
              onClick={change}
              className="min-h-12 min-w-11 border-l border-faint px-2 text-sm sm:px-3"
              aria-label={t`At work: ${person?.name ?? ''}. Change.`}
            >
              <span className="figure sm:hidden">{person?.initials}</span>
              <span className="hidden sm:inline">{person?.name}</span>
            </button>
          </div>
        </header>
        {PRACTICE && (
          <p className="flex shrink-0 items-center gap-3 bg-ink px-3 font-bold text-ground">
            <b>PRACTICE</b>
            <span className="hidden font-normal sm:inline">{t`Nothing here is a real unit or a record.`}</span>
            <a href="/bench" className="ml-auto flex min-h-11 items-center underline">{t`Leave`}</a>
          </p>
        )}
        <Suspense fallback={null}>
          <NoSignal />
        </Suspense>
        <main id="main" className="relative min-h-0 flex-1 overflow-y-auto @max-[17rem]:overflow-visible">
          {children}
        </main>
        <KeyMap />
      </div>
    </div>
  )
}

/** The looks, where the head of a phone has no room for them. */
function Looks({ look, onTurn }: { look: Look; onTurn: (look: Look) => void }) {
  return (
    <fieldset className="mb-3 flex border-2 border-line sm:hidden">
      <legend className="sr-only">{t`Look`}</legend>
      {LOOKS.map((l) => (
        <button
          key={l.look}
          type="button"
          aria-pressed={l.look === look}
          className="min-h-11 flex-1 aria-pressed:bg-ink aria-pressed:text-plane"
          onClick={() => onTurn(l.look)}
        >
          {l.word}
        </button>
      ))}
    </fieldset>
  )
}
