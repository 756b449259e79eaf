import { type ReactNode, useState } from 'react'
import type { Schemas } from '../../api/client'
import { Findings, VerdictMark } from '../../parts/verdict'

type Station = Schemas['StationOut']

const SYMBOLS: Record<Station['station'], ReactNode> = {
  device: <path d="M4 20h10M34 20h10M14 20a10 10 0 0 1 20 0" />,
  conductor: <path d="M2 15h44M2 20h44M2 25h44" />,
  ground: <path d="M24 6v12M10 18h28M15 25h18M20 32h8" />,
  raceway: <path d="M4 10h40M4 30h40M4 20h40" strokeDasharray="6 3" />,
  disconnect: <path d="M2 20h12M34 20h12M14 20l18-12M14 16v8M34 16v8" />,
  unit: <path d="M10 4h28v32H10zM24 20m-9 0a9 9 0 1 0 18 0a9 9 0 1 0-18 0M24 11v18M15 20h18" />,
}

/** The circuit from panel to terminals: each part carries its size and verdict, and opens to its clauses. */
export function OneLine({ stations }: { stations: Station[] }) {
  const [open, setOpen] = useState<Station['station'] | null>(null)
  const shown = stations.find((s) => s.station === open)
  return (
    <section aria-label="One line, panel to terminals">
      <ol className="flex flex-col border-2 border-ink bg-field sm:flex-row">
        {stations.map((s, i) => (
          <li key={s.station} className="relative flex min-w-0 flex-1">
            <button
              type="button"
              aria-expanded={open === s.station}
              onClick={() => setOpen(open === s.station ? null : s.station)}
              className={`flex w-full min-w-0 items-center gap-3 px-2 py-2 text-left sm:flex-col sm:items-stretch sm:gap-1 ${i ? 'border-t border-faint sm:border-t-0 sm:border-l' : ''} ${open === s.station ? 'bg-plane' : ''}`}
            >
              <svg
                viewBox="0 0 48 40"
                className="h-10 w-12 shrink-0 sm:w-full"
                fill="none"
                stroke="var(--ink)"
                strokeWidth="2.4"
                aria-hidden="true"
              >
                {SYMBOLS[s.station]}
              </svg>
              <span className="min-w-0 flex-1">
                <span className="block text-sm text-soft">{s.title}</span>
                <span className="figure block leading-tight font-bold break-words">{s.size}</span>
                <VerdictMark verdict={s.verdict} />
              </span>
            </button>
          </li>
        ))}
      </ol>
      {shown && (
        <div className="border-2 border-t-0 border-ink bg-plane px-3">
          {shown.findings.length ? (
            <Findings findings={shown.findings} />
          ) : (
            <p className="py-2">Nothing said.</p>
          )}
        </div>
      )}
    </section>
  )
}
