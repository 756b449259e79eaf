import { useId } from 'react'
import { day, figure } from '../quantities/format'

type Point = { taken_at: string; value: number; line_v?: number | null; outdoor_f?: number | null }

/** One quantity over the visits: few points, each with its figure written beside it. */
export function Trend({ title, unit, points }: { title: string; unit: string; points: Point[] }) {
  const id = useId()
  if (points.length === 0)
    return (
      <figure>
        <figcaption className="font-bold">{title}</figcaption>
        <p className="border-y border-faint py-3 text-soft">Not measured yet.</p>
      </figure>
    )
  const width = 460
  const height = 150
  const pad = { left: 14, right: 56, top: 24, bottom: 24 }
  const times = points.map((p) => Date.parse(p.taken_at))
  const values = points.map((p) => p.value)
  const [t0, t1] = [Math.min(...times), Math.max(...times)]
  const [v0, v1] = [Math.min(...values), Math.max(...values)]
  const room = (v1 - v0 || Math.abs(v1) || 1) * 0.25
  const x = (t: number) =>
    pad.left + (t1 === t0 ? 0.5 : (t - t0) / (t1 - t0)) * (width - pad.left - pad.right)
  const y = (v: number) =>
    height - pad.bottom - ((v - v0 + room) / (v1 - v0 + 2 * room)) * (height - pad.top - pad.bottom)
  const path = points.map((p, i) => `${i ? 'L' : 'M'}${x(Date.parse(p.taken_at))} ${y(p.value)}`).join('')
  return (
    <figure aria-labelledby={id}>
      <figcaption id={id} className="flex font-bold">
        {title} <span className="figure ml-1 font-normal text-soft">[{unit}]</span>
      </figcaption>
      <svg
        viewBox={`0 0 ${width} ${height}`}
        className="w-full border-y border-faint bg-field"
        role="img"
        aria-label={`${title}: ${points.map((p) => `${figure(p.value)} ${unit} on ${day(p.taken_at)}`).join(', ')}`}
      >
        <path d={path} fill="none" stroke="var(--orange)" strokeWidth="3" />
        {points.map((p, i) => {
          const cx = x(Date.parse(p.taken_at))
          const last = i === points.length - 1
          const near = i > 0 && cx - x(times[i - 1] ?? 0) < 40
          return (
            <g key={p.taken_at}>
              <circle cx={cx} cy={y(p.value)} r="4.5" fill="var(--ink)" />
              {(!near || last) && (
                <text
                  x={last ? cx + 8 : cx}
                  y={y(p.value) + (last ? 5 : -10)}
                  textAnchor={last || i === 0 ? 'start' : 'middle'}
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
        {points.length > 1 && (
          <text x={width - 8} y={height - 6} fontSize="12" textAnchor="end" fill="var(--soft)">
            {day(points.at(-1)?.taken_at ?? '')}
          </text>
        )}
      </svg>
    </figure>
  )
}
