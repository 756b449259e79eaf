import { t } from '@lingui/core/macro'
import type { Rung } from '../api/client'
import { VerdictMark } from '../parts/verdict'
import { ContactSymbol, LoadSymbol } from './symbols'

/** The call at a glance: two rails, a rung a step, orange where it is satisfied. */
export function Ladder({
  rungs,
  selected,
  onOpen,
}: {
  rungs: Rung[]
  selected: string | null
  onOpen: (key: string) => void
}) {
  return (
    <ol aria-label={t`The call, rung by rung`} className="relative border-x-[7px] border-ink py-1">
      {rungs.map((r) => (
        <li key={r.key}>
          <RungRow rung={r} selected={r.key === selected} onOpen={() => onOpen(r.key)} />
        </li>
      ))}
    </ol>
  )
}

const dangerWords = { live: t`POWER ON`, dead: t`POWER OFF`, none: '' } as const

function RungRow({ rung, selected, onOpen }: { rung: Rung; selected: boolean; onOpen: () => void }) {
  const energized = rung.status === 'energized'
  const judged = !(rung.verdict === 'unknown' && rung.status !== 'energized')
  return (
    <button
      type="button"
      onClick={onOpen}
      aria-current={selected ? 'step' : undefined}
      data-energized={energized}
      data-status={rung.status}
      className={`block w-full py-1 text-left ${selected ? 'bg-field outline-2 -outline-offset-2 outline-ink' : ''}`}
    >
      <span className="flex flex-wrap items-center gap-x-2 px-2">
        <span className="figure w-5 text-right text-sm text-soft">{rung.number}</span>
        <span className="font-bold">{rung.title}</span>
        {rung.danger !== 'none' && (
          <span
            className={`text-xs font-bold ${rung.danger === 'live' ? 'text-orange-ink' : 'text-dead'}`}
            aria-hidden="true"
          >
            {dangerWords[rung.danger]}
          </span>
        )}
        <span className="order-last w-full min-w-0 truncate pl-7 text-[0.9375rem] sm:order-none sm:ml-auto sm:w-auto sm:flex-1 sm:pl-0 sm:text-right">
          {rung.load}
        </span>
        {judged && (
          <span className="ml-auto sm:ml-0">
            <VerdictMark verdict={rung.verdict} />
          </span>
        )}
      </span>
      <span className={`flex items-center ${energized ? 'text-orange' : 'text-line'}`}>
        <span className="wire w-3 shrink-0" />
        {rung.contacts.map((c) => (
          <span key={c.word} className="flex min-w-0 items-center">
            <ContactSymbol closed={c.closed} />
            <span className="truncate px-0.5 text-[0.72rem] text-ink sm:px-1 sm:text-[0.8125rem]">
              {c.word}
              <span className="sr-only">{c.closed ? t`, closed` : t`, open`}. </span>
            </span>
          </span>
        ))}
        <span className="wire min-w-2 flex-1" />
        <LoadSymbol on={energized} />
        <span className="wire w-2 shrink-0" />
      </span>
    </button>
  )
}
