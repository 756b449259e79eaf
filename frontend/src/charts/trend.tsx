import { t } from '@lingui/core/macro'
import { useId } from 'react'
import { calendarDay, day, figure } from '../quantities/format'
import { locale } from '../quantities/reads'

type Point = { taken_at: string; value: number; line_v?: number | null; outdoor_f?: number | null }
type Band = { low: number | null; high: number | null }
type Ahead = { earliest: string | null; likely: string | null; latest: string | null; words: string }

const width = 460
const height = 170
const pad = { left: 14, right: 56, top: 24, bottom: 24 }
const HALF_AGAIN = 1.5

const stamp = (iso: string) => {
  const [y, m, d] = iso.split('-').map(Number)
  return Date.UTC(y ?? 0, (m ?? 1) - 1, d ?? 1)
}

/** Whether a limit is near enough to be drawn without flattening the figures. */
function near(limit: number, values: number[]): boolean {
  const span = Math.max(...values) - Math.min(...values)
  const off = Math.min(...values.map((v) => Math.abs(limit - v)))
  return off <= Math.max(4 * span, 0.35 * Math.max(...values.map(Math.abs)))
}

/**
 * One quantity over the visits: few points, each with its figure written beside it, the band of its tolerance, and
 * where a forecast speaks the interval in which it leaves it.
 */
export function Trend({
  title,
  unit,
  points,
  band,
  ahead,
}: {
  title: string
  unit: string
  points: Point[]
  band?: Band | undefined
  ahead?: Ahead | undefined
}) {
  const id = useId()
  if (points.length === 0)
    return (
      <figure>
        <figcaption className="font-bold">{title}</figcaption>
        <p className="border-y border-faint py-3 text-soft">{t`Not measured yet.`}</p>
      </figure>
    )
  const times = points.map((p) => Date.parse(p.taken_at))
  const values = points.map((p) => p.value)
  const limits = [band?.low, band?.high].filter(
    (v): v is number => v !== null && v !== undefined && near(v, values),
  )
  const t0 = Math.min(...times)
  const last = Math.max(...times)
  const ends = ahead?.earliest ? [ahead.earliest, ahead.latest ?? ahead.likely ?? ahead.earliest] : []
  const farthest = last + HALF_AGAIN * Math.max(last - t0, 3.15e10)
  const t1 = ends.length ? Math.max(last, Math.min(farthest, ...ends.slice(-1).map(stamp))) : last
  const v0 = Math.min(...values, ...limits)
  const v1 = Math.max(...values, ...limits)
  const room = (v1 - v0 || Math.abs(v1) || 1) * 0.25
  const x = (at: number) =>
    pad.left + (t1 === t0 ? 0.5 : (Math.min(at, t1) - t0) / (t1 - t0)) * (width - pad.left - pad.right)
  const y = (v: number) =>
    height - pad.bottom - ((v - v0 + room) / (v1 - v0 + 2 * room)) * (height - pad.top - pad.bottom)
  const path = points.map((p, i) => `${i ? 'L' : 'M'}${x(Date.parse(p.taken_at))} ${y(p.value)}`).join('')
  const top = band?.high !== null && band?.high !== undefined ? y(Math.min(band.high, v1 + room)) : pad.top
  const bottom =
    band?.low !== null && band?.low !== undefined ? y(Math.max(band.low, v0 - room)) : height - pad.bottom
  return (
    <figure aria-labelledby={id}>
      <figcaption id={id} className="flex font-bold">
        {title} <span className="figure ml-1 font-normal text-soft">[{unit}]</span>
      </figcaption>
      <svg
        viewBox={`0 0 ${width} ${height}`}
        className="w-full border-y border-faint bg-field"
        role="img"
        aria-label={t`${title}: ${points.map((p) => t`${figure(p.value)} ${unit} on ${day(p.taken_at)}`).join(', ')}`}
      >
        {limits.length > 0 && (
          <rect
            x={pad.left}
            y={top}
            width={width - pad.left - pad.right}
            height={Math.max(1, bottom - top)}
            fill="var(--dead)"
            fillOpacity="0.1"
          />
        )}
        {limits.map((v) => (
          <g key={v}>
            <line
              x1={pad.left}
              x2={width - pad.right}
              y1={y(v)}
              y2={y(v)}
              stroke="var(--dead)"
              strokeDasharray="5 4"
            />
            <text
              x={width - 4}
              y={y(v) + 4}
              fontSize="12"
              textAnchor="end"
              fill="var(--dead)"
              className="figure"
            >
              {figure(v, 3)}
            </text>
          </g>
        ))}
        {ends.length > 0 && (
          <rect
            x={x(stamp(ends[0] ?? ''))}
            y={pad.top}
            width={Math.max(
              3,
              (ahead?.latest ? x(stamp(ends[1] ?? '')) : width - pad.right) - x(stamp(ends[0] ?? '')),
            )}
            height={height - pad.top - pad.bottom}
            fill="var(--orange)"
            fillOpacity="0.16"
          />
        )}
        <path d={path} fill="none" stroke="var(--orange)" strokeWidth="3" />
        {points.map((p, i) => {
          const cx = x(Date.parse(p.taken_at))
          const isLast = i === points.length - 1
          const crowded = i > 0 && cx - x(times[i - 1] ?? 0) < 40
          return (
            <g key={p.taken_at}>
              <circle cx={cx} cy={y(p.value)} r="4.5" fill="var(--ink)" />
              {(!crowded || isLast) && (
                <text
                  x={isLast && !ends.length ? cx + 8 : cx}
                  y={y(p.value) + (isLast && !ends.length ? 5 : -10)}
                  textAnchor={(isLast && !ends.length) || i === 0 ? 'start' : 'middle'}
                  className="figure"
                  fontSize="15"
                  fill="var(--ink)"
                >
                  {figure(p.value)}
                </text>
              )}
            </g>
          )
        })}
        <text x={pad.left} y={height - 6} fontSize="12" fill="var(--soft)">
          {day(points[0]?.taken_at ?? '')}
        </text>
        {(points.length > 1 || ends.length > 0) && (
          <text x={width - 8} y={height - 6} fontSize="12" textAnchor="end" fill="var(--soft)">
            {ends.length > 0 && t1 > last
              ? new Date(t1).toLocaleDateString(locale(), { month: 'short', year: 'numeric' })
              : day(points.at(-1)?.taken_at ?? '')}
          </text>
        )}
      </svg>
      {ahead && (
        <p className="pt-1 text-sm">
          {ahead.words}
          {ahead.earliest && ahead.likely && (
            <span className="sr-only">{t`From ${calendarDay(ahead.earliest)}, likely ${calendarDay(ahead.likely)}.`}</span>
          )}
        </p>
      )}
    </figure>
  )
}
