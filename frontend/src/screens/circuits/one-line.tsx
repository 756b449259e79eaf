import { t } from '@lingui/core/macro'
import { Fragment, type ReactNode } from 'react'
import type { Finding, Schemas } from '../../api/client'
import { Findings, VerdictMark } from '../../parts/verdict'
import type { Station } from './parts-fields'

type Shown = Schemas['StationOut']

const SYMBOLS: Record<Station, ReactNode> = {
  device: <path d="M4 20h10M34 20h10M14 20a10 10 0 0 1 20 0" />,
  conductor: <path d="M2 15h44M2 20h44M2 25h44" />,
  ground: <path d="M24 6v12M10 18h28M15 25h18M20 32h8" />,
  raceway: <path d="M4 10h40M4 30h40M4 20h40" strokeDasharray="6 3" />,
  disconnect: <path d="M2 20h12M34 20h12M14 20l18-12M14 16v8M34 16v8" />,
  unit: <path d="M10 4h28v32H10zM24 20m-9 0a9 9 0 1 0 18 0a9 9 0 1 0-18 0M24 11v18M15 20h18" />,
}
export const PARTS: { station: Station; title: string }[] = [
  { station: 'device', title: t`Breaker or fuses` },
  { station: 'conductor', title: t`Conductors` },
  { station: 'ground', title: t`Ground` },
  { station: 'raceway', title: t`Raceway` },
  { station: 'disconnect', title: t`Disconnect` },
  { station: 'unit', title: t`Unit` },
]

/**
 * The circuit from panel to terminals, and the form at once: each part carries its size and verdict; a tap asks
 * what is there, and shows what is said of it.
 */
export function OneLine({
  stations,
  findings,
  open,
  onOpen,
  children,
}: {
  stations: Shown[]
  findings: Finding[]
  open: Station | null
  onOpen: (station: Station | null) => void
  /** The fields of the part that is open. */
  children: ReactNode
}) {
  const shown = stations.find((s) => s.station === open)
  const own = shown ? findings.filter((f) => shown.codes.includes(f.code)) : []
  return (
    <section aria-label={t`One line, panel to terminals`}>
      <ol className="flex flex-col border-2 border-ink bg-field sm:flex-row sm:flex-wrap">
        {PARTS.map((p, i) => {
          const s = stations.find((one) => one.station === p.station)
          const here = open === p.station
          return (
            <Fragment key={p.station}>
              <li
                className={`relative flex min-w-0 sm:flex-none sm:basis-1/6 ${i ? 'border-t border-faint sm:border-t-0 sm:border-l' : ''}`}
              >
                <button
                  type="button"
                  aria-expanded={here}
                  onClick={() => onOpen(here ? null : p.station)}
                  className={`flex min-h-11 w-full min-w-0 items-center gap-3 px-2 py-1.5 text-left sm:flex-col sm:items-stretch sm:gap-1 sm:py-2 ${here ? 'bg-plane' : ''}`}
                >
                  <svg
                    viewBox="0 0 48 40"
                    className="h-9 w-11 shrink-0 sm:h-10 sm:w-full"
                    fill="none"
                    stroke="var(--ink)"
                    strokeWidth="2.4"
                    aria-hidden="true"
                  >
                    {SYMBOLS[p.station]}
                  </svg>
                  <span className="min-w-0 flex-1">
                    <span className="block text-sm text-soft">{p.title}</span>
                    <span className="figure block leading-tight font-bold break-words">
                      {s?.size ?? t`tap to enter`}
                    </span>
                    {s && s.verdict !== 'note' && (
                      <VerdictMark
                        verdict={s.verdict}
                        {...(s.verdict === 'unknown' && { word: t`Need more info` })}
                      />
                    )}
                  </span>
                </button>
              </li>
              {here && (
                // Under the part on a phone, under the whole line where there is room for it.
                <li className="grid min-w-0 gap-2 border-t-2 border-ink bg-plane p-3 sm:order-last sm:basis-full">
                  <h3 className="font-bold">{p.title}</h3>
                  {children}
                  {own.length > 0 && <Findings findings={own} />}
                </li>
              )}
            </Fragment>
          )
        })}
      </ol>
    </section>
  )
}
