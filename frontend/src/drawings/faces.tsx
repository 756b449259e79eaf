import { t } from '@lingui/core/macro'
import type { Schemas } from '../api/client'

type Row = Schemas['TerminalRow']
type Spot = { x: number; y: number }

/** Where terminals sit on the part in hand, by its kind; what has no face of its own stands in rows. */
function spotsOf(rows: Row[], pins: string[] | undefined): { kind: string; at: Record<string, Spot> } {
  const names = rows.map((r) => r.terminal.split('.')[1] ?? '')
  const put = (places: Record<string, Spot>, kind: string) => ({
    kind,
    at: Object.fromEntries(rows.map((r, i) => [r.terminal, places[names[i] ?? ''] ?? { x: 150, y: 60 }])),
  })
  const has = (...wanted: string[]) => wanted.every((w) => names.includes(w))
  if (has('L1', 'L2', 'T1', 'T2', 'A1', 'A2'))
    return put(
      {
        L1: { x: 100, y: 34 },
        L2: { x: 200, y: 34 },
        T1: { x: 100, y: 166 },
        T2: { x: 200, y: 166 },
        A1: { x: 30, y: 100 },
        A2: { x: 270, y: 100 },
      },
      'contactor',
    )
  if (has('C', 'HERM'))
    return put({ C: { x: 150, y: 40 }, HERM: { x: 92, y: 128 }, FAN: { x: 208, y: 128 } }, 'can')
  if (has('C', 'S', 'R', 'G')) {
    const [top = 'C', left = 'S', right = 'R'] = pins ?? []
    return put(
      {
        [top]: { x: 150, y: 52 },
        [left]: { x: 100, y: 122 },
        [right]: { x: 200, y: 122 },
        G: { x: 270, y: 170 },
      },
      'compressor',
    )
  }
  if (has('5', '2', '1'))
    return put({ '5': { x: 150, y: 40 }, '2': { x: 90, y: 130 }, '1': { x: 210, y: 130 } }, 'relay')
  const columns = rows.length <= 3 ? rows.length : Math.ceil(rows.length / 2)
  return {
    kind: 'box',
    at: Object.fromEntries(
      rows.map((r, i) => [
        r.terminal,
        {
          x: (300 / (columns + 1)) * ((i % columns) + 1),
          y: rows.length <= 3 ? 66 : 50 + 78 * Math.floor(i / columns),
        },
      ]),
    ),
  }
}

/** What the part looks like from where one stands: our own outline, behind its terminals. */
function Outline({ kind, tall }: { kind: string; tall: number }) {
  const line = { fill: 'var(--field)', stroke: 'var(--line)', strokeWidth: 3 }
  if (kind === 'contactor')
    return (
      <>
        <rect x="58" y="8" width="184" height="184" {...line} />
        <rect x="118" y="76" width="64" height="48" fill="none" stroke="var(--line)" strokeWidth="2" />
        <path
          d="M100 58v26l12-4v40l-12-4v26M200 58v26l12-4v40l-12-4v26M30 100h88M182 100h88"
          fill="none"
          stroke="var(--line)"
          strokeWidth="2.5"
        />
      </>
    )
  if (kind === 'can')
    return (
      <>
        <ellipse cx="150" cy="92" rx="138" ry="84" {...line} />
        <ellipse
          cx="150"
          cy="92"
          rx="126"
          ry="74"
          fill="none"
          stroke="var(--faint)"
          strokeWidth="2"
          strokeDasharray="7 5"
        />
      </>
    )
  if (kind === 'compressor')
    return (
      <>
        <path d="M30 196V92q0-84 120-84t120 84v104" {...line} />
        <circle cx="150" cy="98" r="82" fill="none" stroke="var(--line)" strokeDasharray="6 5" />
      </>
    )
  if (kind === 'relay')
    return (
      <>
        <rect x="40" y="8" width="220" height="156" {...line} />
        <path d="M262 60v44m-8-32 8-14 8 14" fill="none" stroke="var(--line)" strokeWidth="2.5" />
      </>
    )
  return <rect x="8" y="8" width="284" height={tall - 16} {...line} />
}

const BADGES = 'ABCDEFGHJKLMNPQRSTUVWXYZ'

/**
 * The parts of a plan as they look in hand, terminals where they sit, in this unit's colors. Tapped terminal to
 * terminal they are joined; what is joined carries one letter.
 */
export function Faces({
  terminals,
  pins,
  groups,
  armed,
  onTap,
}: {
  terminals: Row[]
  pins?: string[] | undefined
  /** Which group each terminal is joined in; none where no one looked. */
  groups: Record<string, string>
  armed?: string | null
  onTap?: (terminal: string) => void
}) {
  const parts = [...new Set(terminals.map((terminal) => terminal.terminal.split('.')[0] ?? ''))]
  const order = [...new Set(Object.values(groups).filter((g) => g !== 'loose'))]
  return (
    <ul className="grid grid-cols-[repeat(auto-fit,minmax(min(15rem,100%),1fr))] gap-3">
      {parts.map((key) => {
        const rows = terminals.filter((terminal) => terminal.terminal.startsWith(`${key}.`))
        const face = spotsOf(rows, pins)
        const tall = face.kind === 'box' ? (rows.length <= 3 ? 118 : 180) : face.kind === 'relay' ? 172 : 200
        return (
          <li key={key} className="min-w-0 border border-faint bg-plane p-1">
            <p className="px-1 font-bold">{rows[0]?.part}</p>
            <div className="relative mx-auto w-full max-w-80">
              <svg viewBox={`0 0 300 ${tall}`} className="block w-full" aria-hidden="true">
                <Outline kind={face.kind} tall={tall} />
              </svg>
              {rows.map((r) => {
                const at = face.at[r.terminal] ?? { x: 150, y: 60 }
                const group = groups[r.terminal]
                const letter =
                  group === undefined ? '' : group === 'loose' ? '–' : (BADGES[order.indexOf(group)] ?? '?')
                const said = `${r.part} ${r.word}${r.colour ? `, ${r.colour}` : ''}${
                  group === undefined ? '' : group === 'loose' ? t`, nothing on it` : t`, joined ${letter}`
                }`
                return (
                  <button
                    key={r.terminal}
                    type="button"
                    disabled={!onTap}
                    aria-label={said}
                    aria-pressed={armed === r.terminal}
                    onClick={() => onTap?.(r.terminal)}
                    style={{ left: `${at.x / 3}%`, top: `${(100 * at.y) / tall}%` }}
                    className={`absolute grid min-h-11 min-w-11 -translate-x-1/2 -translate-y-1/2 place-items-center border-2 px-1 text-center leading-none font-bold ${
                      armed === r.terminal
                        ? 'border-orange bg-orange text-on-orange'
                        : group === undefined
                          ? 'border-line bg-plane'
                          : 'border-ink bg-field'
                    }`}
                  >
                    <span className="block text-sm">{r.word}</span>
                    {r.colour && <span className="block text-[0.68rem] font-normal">{r.colour}</span>}
                    {letter && (
                      <span className={`block text-xs ${armed === r.terminal ? '' : 'text-orange-ink'}`}>
                        {letter}
                      </span>
                    )}
                  </button>
                )
              })}
            </div>
          </li>
        )
      })}
    </ul>
  )
}
