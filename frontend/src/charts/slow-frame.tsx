import { t } from '@lingui/core/macro'
import type { Schemas } from '../api/client'
import { figure } from '../quantities/format'

type Start = Schemas['Explained']

/** Amps as a length: by the root, so that four amps beside a hundred are seen too. */
const arrow = (amps: number, most: number) => 60 * Math.sqrt(Math.max(0, amps) / most)

const polar = (length: number, degrees: number) => {
  const turn = ((degrees - 90) * Math.PI) / 180
  return [length * Math.cos(turn), length * Math.sin(turn)] as const
}

/** One start at one moment: rotor, currents as arrows, relay and capacitor, its figures. */
export function SlowFrame({ start: s, at }: { start: Start; at: number }) {
  const i = Math.min(s.speed_pct.length - 1, Math.max(0, Math.round(at / s.frame_s)))
  const of = (values: number[]) => values[i] ?? 0
  const inside = s.capacitor_in[i] ?? false
  const ever = s.capacitor_in.some(Boolean)
  return (
    <figure aria-label={s.label} className="border-2 border-line bg-field p-2">
      <figcaption className="font-bold">{s.label}</figcaption>
      <svg viewBox="0 0 330 150" className="w-full" role="img" aria-label={saying(s, i)}>
        <title>{saying(s, i)}</title>
        <g transform="translate(75 78)">
          <circle r="62" fill="none" stroke="var(--line)" strokeWidth="3" />
          <g transform={`rotate(${of(s.rotor_deg) % 360})`}>
            <circle r="48" fill="var(--plane)" stroke="var(--ink)" strokeWidth="3" />
            {[0, 45, 90, 135, 180, 225, 270, 315].map((deg) => (
              <line
                key={deg}
                x1="0"
                y1="-30"
                x2="0"
                y2="-46"
                transform={`rotate(${deg})`}
                stroke={deg === 0 ? 'var(--orange)' : 'var(--soft)'}
                strokeWidth={deg === 0 ? 7 : 4}
              />
            ))}
          </g>
          <text y="6" textAnchor="middle" className="figure" fill="var(--ink)" fontSize="17">
            {Math.round(of(s.speed_pct))} %
          </text>
        </g>
        <g transform="translate(225 82)">
          <line x1="0" y1="0" x2="0" y2="-66" stroke="var(--faint)" strokeWidth="2" />
          <text x="4" y="-60" fill="var(--soft)" fontSize="12">
            V
          </text>
          <Arrow length={arrow(of(s.run_a), s.most_a)} degrees={of(s.run_deg)} colour="--ink" word={t`run`} />
          <Arrow
            length={arrow(of(s.start_a), s.most_a)}
            degrees={of(s.start_deg)}
            colour="--orange"
            word={t`start`}
            dashed
          />
        </g>
        {ever && (
          <g transform="translate(286 30)" stroke="var(--ink)" strokeWidth="2.5" fill="none">
            <path d={inside ? 'M0 0h34' : 'M0 0h8l16 -12m2 12h8'} />
            <path d="M14 22v18m6 -18v18M0 31h14m6 0h14" stroke={inside ? 'var(--orange)' : 'var(--soft)'} />
            <text x="17" y="58" textAnchor="middle" stroke="none" fill="var(--soft)" fontSize="12">
              {inside ? 'in' : 'out'}
            </text>
          </g>
        )}
      </svg>
      <dl className="grid grid-cols-3 gap-x-2 text-sm">
        {(
          [
            [t`Line`, s.line_rms_a, 'A'],
            [t`Volts`, s.line_rms_v, 'V'],
            [t`Torque`, s.torque_nm, 'N·m'],
            [t`Run`, s.run_a, 'A'],
            [t`Start`, s.start_a, 'A'],
            [t`S to C`, s.start_winding_v, 'V'],
          ] as const
        ).map(([word, values, unit]) => (
          <div key={word}>
            <dt className="text-soft">{word}</dt>
            <dd className="figure">
              {figure(of(values), 3)} {unit}
            </dd>
          </div>
        ))}
      </dl>
    </figure>
  )
}

function saying(s: Start, i: number): string {
  return t`${Math.round(1000 * i * s.frame_s)} ms: ${Math.round(s.speed_pct[i] ?? 0)} % of speed, ${figure(s.line_rms_a[i] ?? 0, 3)} A`
}

/** A current as an arrow: its length its amps, its turn how far ahead of the volts (left) or behind (right). */
function Arrow({
  length,
  degrees,
  colour,
  word,
  dashed = false,
}: {
  length: number
  degrees: number
  colour: string
  word: string
  dashed?: boolean
}) {
  const [x, y] = polar(length, -degrees)
  const [tx, ty] = polar(length + 14, -degrees)
  return (
    <g stroke={`var(${colour})`} fill={`var(${colour})`}>
      <line x1="0" y1="0" x2={x} y2={y} strokeWidth="4" {...(dashed ? { strokeDasharray: '7 3' } : {})} />
      <circle cx={x} cy={y} r="4.5" stroke="none" />
      {length > 8 && (
        <text x={tx} y={ty + 4} textAnchor="middle" stroke="none" fontSize="12">
          {word}
        </text>
      )}
    </g>
  )
}
