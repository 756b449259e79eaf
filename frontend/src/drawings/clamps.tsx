import { t } from '@lingui/core/macro'

/** Where the clamp goes: the compressor's three leads, the fan's, and the house's supply. The product's own drawings. */

const text = { fontSize: 13, fontWeight: 700, fill: 'var(--ink)' }

function Frame({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <svg
      viewBox="0 0 260 150"
      role="img"
      aria-label={label}
      className="w-full max-w-72 border border-faint bg-plane"
    >
      {children}
    </svg>
  )
}

/** A clamp seen along its wire: an open jaw around it. */
function Clamp({ x, y }: { x: number; y: number }) {
  return (
    <g transform={`translate(${x} ${y})`}>
      <path
        d="M-4-15a15 15 0 1 0 8 0"
        fill="none"
        stroke="var(--orange)"
        strokeWidth="6"
        strokeLinecap="round"
      />
      <path d="M0 15v22" stroke="var(--ink)" strokeWidth="9" />
    </g>
  )
}

const PLACES = {
  common: { x: 120, y: 30, words: t`Clamp on the wire to compressor C alone` },
  run: { x: 168, y: 67, words: t`Clamp on the wire to compressor R alone, past the branch to the capacitor` },
  start: { x: 140, y: 104, words: t`Clamp on the wire from HERM to compressor S` },
  fan: { x: 50, y: 126, words: t`Clamp on one fan lead` },
  whole_unit: { x: 34, y: 30, words: t`Clamp on one leg feeding the whole unit` },
  panel: { x: 14, y: 30, words: t`Clamp at the panel` },
} as const
export type ClampPlace = keyof typeof PLACES

/** Leg 1 feeds C; leg 2 feeds R and, through the run capacitor, S; the fan hangs beside them. */
export function ClampPlaces({ place }: { place: ClampPlace }) {
  const at = PLACES[place]
  const wire = { fill: 'none', stroke: 'var(--line)', strokeWidth: 3 }
  return (
    <Frame label={`${at.words}.`}>
      <path d="M4 30H212" {...wire} />
      <path d="M4 67H212" {...wire} strokeDasharray="12 3" />
      <path d="M84 67v37h12M108 104h104" {...wire} strokeDasharray="12 3" />
      <path d="M96 92v24M106 92v24" stroke="var(--ink)" strokeWidth="4" />
      <path d="M66 67v59H22" {...wire} strokeDasharray="12 3" />
      <text x="82" y="88" {...text} fontSize={11} textAnchor="end">
        C
      </text>
      <text x="110" y="126" {...text} fontSize={11}>
        HERM
      </text>
      <circle cx="226" cy="68" r="32" fill="var(--field)" stroke="var(--line)" strokeWidth="3" />
      {[
        ['C', 30],
        ['R', 67],
        ['S', 104],
      ].map(([name, y]) => (
        <g key={name}>
          <circle cx="214" cy={y} r="6" fill="var(--faint)" stroke="var(--ink)" strokeWidth="2" />
          <text x="225" y={Number(y) + 5} {...text}>
            {name}
          </text>
        </g>
      ))}
      <circle cx="16" cy="126" r="12" fill="var(--field)" stroke="var(--line)" strokeWidth="3" />
      <path d="M16 126l-7-7m7 7l9-3m-9 3l-2 9" stroke="var(--line)" strokeWidth="2.5" />
      <text x="4" y="22" {...text} fontSize={11}>{t`leg 1`}</text>
      <text x="4" y="60" {...text} fontSize={11}>{t`leg 2`}</text>
      <Clamp x={at.x} y={at.y} />
    </Frame>
  )
}

/** Two legs and the neutral between them, at the panel. */
export function LegsToNeutral() {
  return (
    <Frame label={t`At the panel: one probe on neutral, the other on leg A, then on leg B.`}>
      {[
        ['A', 30],
        ['N', 75],
        ['B', 120],
      ].map(([name, y], i) => (
        <g key={name}>
          <path
            d={`M70 ${y}H236`}
            stroke="var(--line)"
            strokeWidth={i === 1 ? 3 : 8}
            strokeDasharray={i === 1 ? '3 3' : undefined}
          />
          <text x="46" y={Number(y) + 6} {...text} fontSize={18}>
            {name}
          </text>
        </g>
      ))}
      {[
        ['V', 30],
        ['V', 75],
      ].map(([v, y], i) => (
        <g key={y}>
          <path d={`M${130 + 60 * i} ${y}v45`} stroke="var(--orange)" strokeWidth="3" />
          <circle
            cx={130 + 60 * i}
            cy={Number(y) + 22}
            r="13"
            fill="var(--field)"
            stroke="var(--ink)"
            strokeWidth="2"
          />
          <text x={130 + 60 * i} y={Number(y) + 27} {...text} textAnchor="middle">
            {v}
          </text>
        </g>
      ))}
    </Frame>
  )
}

/** The way from the panel to the pins: where volts are read, one point after another. */
export function SupplyPath() {
  const points = ['panel', 'breaker', t`disc. in`, t`disc. out`, t`cont. in`, t`cont. out`, 'pins']
  return (
    <Frame label={t`Volts are read at each point from the panel to the compressor's pins, across both legs.`}>
      <path d="M16 44H244M16 84H244" stroke="var(--line)" strokeWidth="3" />
      {points.map((p, i) => {
        const x = 22 + i * 36
        return (
          <g key={p}>
            <path d={`M${x} 44v40`} stroke="var(--orange)" strokeWidth="2.5" />
            <circle cx={x} cy="44" r="5" fill="var(--orange)" stroke="var(--ink)" strokeWidth="2" />
            <circle cx={x} cy="84" r="5" fill="var(--field)" stroke="var(--ink)" strokeWidth="2" />
            <text x={x} y={i % 2 ? 112 : 128} {...text} fontSize={11} textAnchor="middle">
              {p}
            </text>
            <text x={x} y="32" {...text} fontSize={12} textAnchor="middle">
              {i + 1}
            </text>
          </g>
        )
      })}
    </Frame>
  )
}

/** Three phases: volts between each two, amps on each. */
export function ThreePhase() {
  return (
    <Frame label={t`Volts between each two of the three lines; then the clamp on each line in turn.`}>
      {['L1', 'L2', 'L3'].map((name, i) => (
        <g key={name}>
          <path d={`M44 ${32 + 42 * i}H244`} stroke="var(--line)" strokeWidth="5" />
          <text x="14" y={37 + 42 * i} {...text}>
            {name}
          </text>
          <Clamp x={96 + 54 * i} y={32 + 42 * i} />
        </g>
      ))}
    </Frame>
  )
}

/** A lifted kit: relay posts 5, 2 and 1, the start capacitor and its bleeder. */
export function KitOnBench({ kind }: { kind: string }) {
  const relay = kind === 'potential_relay' || kind === 'three_in_one'
  const words =
    kind === 'ptc'
      ? t`Thermistor lifted and cold: across its two leads`
      : relay
        ? t`Relay posts 5 and 2 for the coil, 1 and 2 for the contact; capacitor tabs bled first`
        : kind === 'current_relay'
          ? t`Relay upright, arrow up: across its contact, then its coil`
          : t`Across its two leads`
  return (
    <Frame label={`${words}.`}>
      {relay ? (
        <>
          <rect
            x="20"
            y="24"
            width="100"
            height="100"
            fill="var(--field)"
            stroke="var(--line)"
            strokeWidth="3"
          />
          <path d="M70 40v-10m-6 6l6-8 6 8" fill="none" stroke="var(--ink)" strokeWidth="2" />
          {[
            ['5', 44, 100],
            ['2', 96, 100],
            ['1', 96, 60],
          ].map(([name, x, y]) => (
            <g key={name}>
              <circle cx={x} cy={y} r="7" fill="var(--orange)" stroke="var(--ink)" strokeWidth="2" />
              <text x={Number(x) - 18} y={Number(y) + 5} {...text}>
                {name}
              </text>
            </g>
          ))}
          <path d="M51 100q19-20 38 0" fill="none" stroke="var(--line)" strokeWidth="3" />
          <path d="M96 93V67" stroke="var(--line)" strokeWidth="3" />
          <rect
            x="160"
            y="40"
            width="60"
            height="84"
            rx="6"
            fill="var(--field)"
            stroke="var(--line)"
            strokeWidth="3"
          />
          <path d="M176 40V26M204 40V26" stroke="var(--ink)" strokeWidth="5" />
          <path d="M176 24h28" stroke="var(--orange)" strokeWidth="4" strokeDasharray="4 3" />
          <text x="190" y="88" {...text} textAnchor="middle">
            µF
          </text>
        </>
      ) : (
        <>
          <rect
            x="80"
            y="46"
            width="100"
            height="60"
            rx={kind === 'ptc' ? 30 : 4}
            fill="var(--field)"
            stroke="var(--line)"
            strokeWidth="3"
          />
          <path d="M80 76H40M180 76h40" stroke="var(--line)" strokeWidth="4" />
          <circle cx="40" cy="76" r="7" fill="var(--orange)" stroke="var(--ink)" strokeWidth="2" />
          <circle cx="220" cy="76" r="7" fill="var(--orange)" stroke="var(--ink)" strokeWidth="2" />
          <text x="130" y="82" {...text} fontSize={18} textAnchor="middle">
            Ω
          </text>
        </>
      )}
    </Frame>
  )
}

/** Suction, discharge, and the line set between the two units. */
export function RefrigerantPoints() {
  return (
    <Frame
      label={t`Gauges on the suction and the liquid or discharge side; length and height of the line set.`}
    >
      <rect x="14" y="70" width="70" height="60" fill="var(--field)" stroke="var(--line)" strokeWidth="3" />
      <rect x="190" y="20" width="56" height="60" fill="var(--field)" stroke="var(--line)" strokeWidth="3" />
      <path d="M84 86h60V40h46" fill="none" stroke="var(--line)" strokeWidth="8" />
      <path d="M84 116h84V62h22" fill="none" stroke="var(--line)" strokeWidth="4" />
      {[
        ['suction', 104, 86, 62],
        ['liquid', 112, 116, 140],
      ].map(([name, x, y, place]) => (
        <g key={name}>
          <circle cx={x} cy={y} r="11" fill="var(--orange)" stroke="var(--ink)" strokeWidth="2" />
          <path d={`M${x} ${y}l5-6`} stroke="var(--ink)" strokeWidth="2" />
          <text x={x} y={place} {...text} textAnchor="middle">
            {name}
          </text>
        </g>
      ))}
      <text x="49" y="104" {...text} textAnchor="middle">{t`out`}</text>
      <text x="218" y="54" {...text} textAnchor="middle">{t`in`}</text>
    </Frame>
  )
}
