import { t } from '@lingui/core/macro'
import type { KeyboardEvent } from 'react'

type Spot = { x: number; y: number; word: string; part: string }

/** Where each terminal sits; a probe goes there by a tap. */
export const SPOTS: Record<string, Spot> = {
  'known.L': { x: 44, y: 54, word: 'L', part: t`known live receptacle` },
  'known.N': { x: 100, y: 54, word: 'N', part: t`known live receptacle` },
  'panel.A': { x: 232, y: 54, word: 'A', part: t`breaker, load side` },
  'panel.B': { x: 288, y: 54, word: 'B', part: t`breaker, load side` },
  ground: { x: 44, y: 150, word: 'G', part: t`cabinet ground` },
  'contactor.L1': { x: 204, y: 136, word: 'L1', part: t`contactor, line side` },
  'contactor.L2': { x: 268, y: 136, word: 'L2', part: t`contactor, line side` },
  'contactor.A1': { x: 140, y: 172, word: 'A1', part: t`contactor coil` },
  'contactor.A2': { x: 332, y: 172, word: 'A2', part: t`contactor coil` },
  'contactor.T1': { x: 204, y: 208, word: 'T1', part: t`contactor, load side` },
  'contactor.T2': { x: 268, y: 208, word: 'T2', part: t`contactor, load side` },
  'run_cap.C': { x: 80, y: 268, word: 'C', part: t`run capacitor` },
  'run_cap.HERM': { x: 44, y: 322, word: 'HERM', part: t`run capacitor` },
  'run_cap.FAN': { x: 116, y: 322, word: 'FAN', part: t`run capacitor` },
  'compressor.R': { x: 212, y: 316, word: 'R', part: 'compressor' },
  'compressor.C': { x: 316, y: 316, word: 'C', part: 'compressor' },
  'compressor.S': { x: 264, y: 366, word: 'S', part: 'compressor' },
}

/** Where a clamp goes round a conductor. */
export const CLAMPS: Record<string, { x: number; y: number; word: string }> = {
  whole_unit: { x: 204, y: 90, word: t`whole unit, one leg` },
  run: { x: 212, y: 264, word: t`run (R)` },
  common: { x: 316, y: 264, word: t`common (C)` },
  start: { x: 164, y: 366, word: t`start (S)` },
  fan: { x: 116, y: 390, word: t`fan` },
}

const WIRES = [
  'M232 54 V90 H204 V136',
  'M288 54 V90 H268 V136',
  'M204 208 V264 H212 V316',
  'M268 208 V240 H316 V316',
  'M204 240 H80 V268',
  'M44 322 V366 H264',
  'M116 322 V400',
]

const press = (go: () => void) => (event: KeyboardEvent) => {
  if (event.key === 'Enter' || event.key === ' ') {
    event.preventDefault()
    go()
  }
}

/** The unit as one stands before it: probes go on terminals, the clamp round conductors. */
export function UnitDrawing({
  clamping,
  red,
  black,
  clamp,
  off,
  onProbe,
  onClamp,
}: {
  clamping: boolean
  red: string | null
  black: string | null
  clamp: string | null
  off: string[]
  onProbe: (terminal: string) => void
  onClamp: (conductor: string) => void
}) {
  return (
    <svg viewBox="0 0 368 416" className="w-full max-w-xl touch-manipulation select-none">
      <title>{t`The unit: tap a terminal for a probe, a conductor for the clamp`}</title>
      <g fill="none" stroke="var(--faint)" strokeWidth="2">
        <rect x="14" y="14" width="118" height="66" />
        <rect x="202" y="14" width="118" height="66" />
        <rect x="112" y="112" width="244" height="122" />
        <rect x="14" y="244" width="134" height="106" />
        <circle cx="264" cy="330" r="78" />
      </g>
      <g fill="var(--soft)" fontSize="12">
        <text x="18" y="29">{t`Known live, 120 V`}</text>
        <text x="206" y="29">{t`Breaker, at the panel`}</text>
        <text x="116" y="226">{t`Contactor`}</text>
        <text x="18" y="258">{t`Run capacitor`}</text>
        <text x="232" y="412">{t`Compressor`}</text>
        <text x="124" y="404">{t`to the fan`}</text>
      </g>
      <g fill="none" stroke="var(--line)" strokeWidth="3">
        {WIRES.map((d, i) => (
          <path key={d} d={d} strokeDasharray={lifted(i, off) ? '3 7' : undefined} />
        ))}
        <path d="M186 172 H286" strokeDasharray="5 4" />
      </g>
      {!clamping &&
        Object.entries(SPOTS).map(([terminal, s]) => {
          const probe = terminal === red ? 'red' : terminal === black ? 'black' : null
          const go = () => onProbe(terminal)
          return (
            // biome-ignore lint/a11y/useSemanticElements: a button cannot stand inside a drawing
            <g
              key={terminal}
              role="button"
              tabIndex={0}
              aria-label={t`Probe at ${s.part} ${s.word}`}
              aria-pressed={probe !== null}
              onClick={go}
              onKeyDown={press(go)}
              className="cursor-pointer"
            >
              <circle cx={s.x} cy={s.y} r="25" fill="transparent" />
              <circle
                cx={s.x}
                cy={s.y}
                r="17"
                fill={probe === 'red' ? 'var(--fail)' : probe === 'black' ? 'var(--ink)' : 'var(--field)'}
                stroke="var(--ink)"
                strokeWidth="2"
              />
              <text
                x={s.x}
                y={s.y + 4}
                textAnchor="middle"
                fontSize={s.word.length > 3 ? 9 : 12}
                fontWeight="700"
                fill={probe ? 'var(--plane)' : 'var(--ink)'}
              >
                {s.word}
              </text>
            </g>
          )
        })}
      {clamping &&
        Object.entries(CLAMPS).map(([conductor, s]) => {
          const here = conductor === clamp
          const go = () => onClamp(conductor)
          return (
            // biome-ignore lint/a11y/useSemanticElements: a button cannot stand inside a drawing
            <g
              key={conductor}
              role="button"
              tabIndex={0}
              aria-label={t`Clamp round ${s.word}`}
              aria-pressed={here}
              onClick={go}
              onKeyDown={press(go)}
              className="cursor-pointer"
            >
              <circle cx={s.x} cy={s.y} r="25" fill="transparent" />
              <ellipse
                cx={s.x}
                cy={s.y}
                rx="18"
                ry="12"
                fill={here ? 'var(--orange)' : 'var(--field)'}
                stroke="var(--ink)"
                strokeWidth="3"
              />
              <text x={s.x + 23} y={s.y + 4} fontSize="12" fontWeight="700" fill="var(--ink)">
                {s.word}
              </text>
            </g>
          )
        })}
    </svg>
  )
}

/** Whether a wire of the drawing hangs loose: its leads are off. */
function lifted(wire: number, off: string[]) {
  if (off.includes('compressor') && (wire === 2 || wire === 3)) return true
  return off.includes('run_capacitor') && wire > 3
}
