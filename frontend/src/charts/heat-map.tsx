import { t } from '@lingui/core/macro'
import { useState } from 'react'
import type { Schemas } from '../api/client'
import { figure } from '../quantities/format'

type Axis = { word: string; unit: string; values: number[] }
type Row = Schemas['SweepRow']

const TONES: Record<string, { fill: string; ink: string; word: string }> = {
  started: { fill: 'var(--dead)', ink: 'var(--on-dead)', word: t`starts` },
  late: { fill: 'var(--orange)', ink: 'var(--on-orange)', word: t`late` },
  stalled: { fill: 'var(--ink)', ink: 'var(--ground)', word: t`stalls` },
  tripped: { fill: 'var(--ink)', ink: 'var(--ground)', word: t`trips` },
  refused: { fill: 'var(--plane)', ink: 'var(--soft)', word: t`cannot be computed` },
}

function mark(row: Row): string {
  if (row.verdict === 'stalled') return '✕'
  if (row.verdict === 'tripped') return '⚡'
  if (row.verdict === 'refused') return '?'
  const seconds = row.time_to_speed_s ?? 0
  return `${row.verdict === 'late' ? '▲' : ''}${seconds.toFixed(2).replace(/^0/, '')}`
}

/** A cell a start: seconds to speed where it starts, a cross where it stalls. */
export function HeatMap({ rows, across, up }: { rows: Row[]; across: Axis; up: Axis }) {
  const [at, setAt] = useState<Row | null>(null)
  const cell = { w: 54, h: 30 }
  const left = 74
  const width = left + across.values.length * cell.w + 4
  const height = up.values.length * cell.h + 52
  const key = (u: unknown, a: unknown) => `${u} ${a}`
  const found = new Map(rows.map((r) => [key(r.values[0], r.values[1]), r]))
  const count = (verdict: string) => rows.filter((r) => r.verdict === verdict).length
  return (
    <figure className="pt-1">
      <div className="overflow-x-auto">
        <svg
          viewBox={`0 0 ${width} ${height}`}
          style={{ width: Math.min(width * 1.15, 900), minWidth: Math.min(width, 560) }}
          className="bg-field"
          role="img"
          aria-label={t`${up.word} against ${across.word}: ${count('started')} start, ${count('late')} late, ${count('stalled')} stall`}
        >
          {up.values.map((u, j) => {
            const y = (up.values.length - 1 - j) * cell.h
            return (
              <g key={u}>
                <text
                  x={left - 6}
                  y={y + 20}
                  textAnchor="end"
                  fontSize="13"
                  className="figure"
                  fill="var(--ink)"
                >
                  {figure(u, 3)}
                </text>
                {across.values.map((a, i) => {
                  const row = found.get(key(u, a))
                  const tone = TONES[row?.verdict ?? '']
                  return (
                    // biome-ignore lint/a11y/noStaticElementInteractions: the figures are in the cell itself
                    <g key={a} onMouseEnter={() => setAt(row ?? null)} onClick={() => setAt(row ?? null)}>
                      <rect
                        x={left + i * cell.w + 1}
                        y={y + 1}
                        width={cell.w - 2}
                        height={cell.h - 2}
                        fill={tone?.fill ?? 'none'}
                        stroke="var(--faint)"
                      />
                      {row && (
                        <text
                          x={left + (i + 0.5) * cell.w}
                          y={y + 20}
                          textAnchor="middle"
                          fontSize="14"
                          className="figure"
                          fill={tone?.ink}
                        >
                          {mark(row)}
                        </text>
                      )}
                    </g>
                  )
                })}
              </g>
            )
          })}
          {across.values.map((a, i) => (
            <text
              key={a}
              x={left + (i + 0.5) * cell.w}
              y={up.values.length * cell.h + 18}
              textAnchor="middle"
              fontSize="13"
              className="figure"
              fill="var(--ink)"
            >
              {figure(a, 4)}
            </text>
          ))}
          <text
            x={left + (across.values.length * cell.w) / 2}
            y={height - 10}
            textAnchor="middle"
            fontSize="14"
            fill="var(--ink)"
          >
            {across.word} [{across.unit}]
          </text>
          <text
            transform={`translate(16 ${(up.values.length * cell.h) / 2}) rotate(-90)`}
            textAnchor="middle"
            fontSize="14"
            fill="var(--ink)"
          >
            {up.word} [{up.unit}]
          </text>
        </svg>
      </div>
      <figcaption className="flex flex-wrap gap-x-4 text-sm text-soft">
        <span>{t`Figure: seconds to speed`}</span>
        <span>{t`▲ late`}</span>
        <span>{t`✕ stalls`}</span>
        {at && (
          <span className="figure text-ink">
            {up.word} {String(at.values[0])} {up.unit}, {across.word} {String(at.values[1])} {across.unit}:{' '}
            {TONES[at.verdict]?.word}
            {at.inrush_100ms_a !== null && t`, 100 ms ${figure(at.inrush_100ms_a ?? 0, 3)} A`}
            {at.max_cycle_rms_a !== null && t`, largest cycle ${figure(at.max_cycle_rms_a ?? 0, 3)} A`}
          </span>
        )}
      </figcaption>
    </figure>
  )
}
