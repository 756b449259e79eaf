import { t } from '@lingui/core/macro'

/** Where the probes go: the product's own drawings. Two probes, drawn unlike each other: one barred, one plain. */

type Spot = { x: number; y: number; name: string }

function Probe({ at, barred, lean }: { at: Spot; barred: boolean; lean: number }) {
  return (
    <g transform={`translate(${at.x} ${at.y}) rotate(${lean})`}>
      <path d="M0 0V-16" stroke="var(--ink)" strokeWidth="2.5" />
      <rect
        x="-5"
        y="-52"
        width="10"
        height="36"
        fill={barred ? 'var(--ink)' : 'var(--field)'}
        stroke="var(--ink)"
        strokeWidth="2"
      />
      {barred && <path d="M-5-44H5M-5-36H5M-5-28H5" stroke="var(--field)" strokeWidth="2" />}
    </g>
  )
}

function Scene({
  label,
  spots,
  active,
  children,
}: {
  label: string
  spots: Spot[]
  active: string[]
  children: React.ReactNode
}) {
  const chosen = active.map((name) => spots.find((s) => s.name === name)).filter((s) => s !== undefined)
  const left = [...chosen].sort((a, b) => a.x - b.x)
  return (
    <svg
      viewBox="0 0 220 170"
      role="img"
      aria-label={label}
      className="w-full max-w-56 border border-faint bg-plane"
    >
      {children}
      {left.map((spot, i) => (
        <Probe key={spot.name} at={spot} barred={i === 0} lean={i === 0 ? -18 : 18} />
      ))}
    </svg>
  )
}

const text = { fontSize: 15, fontWeight: 700, fill: 'var(--ink)', textAnchor: 'middle' as const }

/** Three pins of a hermetic compressor under their cover. */
export function CompressorTerminals({
  pair,
  letters = ['C', 'S', 'R'],
}: {
  pair: string[]
  /** Of the pins: top, left, right. */
  letters?: string[] | undefined
}) {
  const spots = [
    { name: letters[0] ?? 'C', x: 110, y: 88 },
    { name: letters[1] ?? 'S', x: 70, y: 128 },
    { name: letters[2] ?? 'R', x: 150, y: 128 },
  ]
  const said =
    pair.length === 2 ? t`Probes on ${pair.join(' and ')}` : t`Three pins: ${letters.join(', ')}, leads off`
  return (
    <Scene label={t`Compressor terminals. ${said}.`} spots={spots} active={pair}>
      <path d="M30 166V96q0-46 80-46t80 46v70" fill="var(--field)" stroke="var(--line)" strokeWidth="3" />
      <circle cx="110" cy="112" r="56" fill="none" stroke="var(--line)" strokeDasharray="5 4" />
      {spots.map((s) => (
        <g key={s.name}>
          <circle
            cx={s.x}
            cy={s.y}
            r="9"
            fill={pair.includes(s.name) ? 'var(--orange)' : 'var(--faint)'}
            stroke="var(--ink)"
            strokeWidth="2"
          />
          <text x={s.x} y={s.y + 27} {...text}>
            {s.name}
          </text>
        </g>
      ))}
    </Scene>
  )
}

/** The top of a dual run capacitor; a single one has no FAN tab. */
export function CapacitorTop({ pair, dual = true }: { pair: string[]; dual?: boolean }) {
  const spots = [
    { name: 'C', x: 110, y: 76 },
    { name: 'HERM', x: 70, y: 122 },
    ...(dual ? [{ name: 'FAN', x: 150, y: 122 }] : []),
  ]
  return (
    <Scene
      label={t`Capacitor top. Probes on ${pair.join(' and ')}, wires lifted.`}
      spots={spots}
      active={pair}
    >
      <ellipse cx="110" cy="108" rx="84" ry="54" fill="var(--field)" stroke="var(--line)" strokeWidth="3" />
      {spots.map((s, i) => (
        <g key={s.name}>
          {Array.from({ length: 3 - i + (i === 0 ? 1 : 0) }, (_, k) => (
            <rect
              // biome-ignore lint/suspicious/noArrayIndexKey: blades of one tab
              key={k}
              x={s.x - 16 + k * 9}
              y={s.y - 5}
              width="6"
              height="12"
              fill={pair.includes(s.name) ? 'var(--orange)' : 'var(--faint)'}
              stroke="var(--ink)"
            />
          ))}
          <text x={s.x} y={s.y + 24} {...text} fontSize={13}>
            {s.name}
          </text>
        </g>
      ))}
    </Scene>
  )
}

/** A two-pole contactor: line side above, load side below, coil in the middle, bare metal beside it. */
export function ContactorFace({ pair }: { pair: string[] }) {
  const spots = [
    { name: 'L1', x: 66, y: 64 },
    { name: 'L2', x: 130, y: 64 },
    { name: 'T1', x: 66, y: 138 },
    { name: 'T2', x: 130, y: 138 },
    { name: 'COIL', x: 98, y: 101 },
    { name: 'METAL', x: 194, y: 138 },
  ]
  return (
    <Scene label={t`Contactor. Probes on ${pair.join(' and ')}.`} spots={spots} active={pair}>
      <rect x="40" y="54" width="116" height="94" fill="var(--field)" stroke="var(--line)" strokeWidth="3" />
      {['L1', 'L2'].map((_, i) => (
        <path
          key={_}
          d={`M${66 + 64 * i} 70v14m0 36v12M${66 + 64 * i} 84l10-2v34l-10 4`}
          fill="none"
          stroke="var(--line)"
          strokeWidth="2.5"
        />
      ))}
      <rect x="86" y="90" width="24" height="22" fill="none" stroke="var(--line)" strokeWidth="2" />
      <path d="M178 148h32m-26 6h20m-14 6h8M194 138v10" stroke="var(--line)" strokeWidth="2.5" />
      {spots.map((s) => (
        <g key={s.name}>
          {s.name !== 'COIL' && (
            <circle
              cx={s.x}
              cy={s.y}
              r="6"
              fill={pair.includes(s.name) ? 'var(--orange)' : 'var(--faint)'}
              stroke="var(--ink)"
              strokeWidth="2"
            />
          )}
          {s.name.length === 2 && (
            <text x={s.x + 16} y={s.y + 5} {...text} fontSize={12}>
              {s.name}
            </text>
          )}
        </g>
      ))}
    </Scene>
  )
}
