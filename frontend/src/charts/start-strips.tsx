import { t } from '@lingui/core/macro'
import { useEffect, useRef } from 'react'
import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import type { Schemas } from '../api/client'
import { PENS } from './pens'

export type Strip = { label: string; trace: Schemas['StartTrace'] }
export type Laid = { label: string; trace: Schemas['MeasuredTrace'] }

const ROWS = [
  { key: 'line_rms_a', title: t`Line current`, unit: 'A', height: 190 },
  { key: 'speed_pct', title: t`Speed`, unit: '%', height: 120 },
  { key: 'start_winding_rms_v', title: t`Start winding S–C`, unit: 'V', height: 120 },
  { key: 'line_rms_v', title: t`Line at the motor`, unit: 'V', height: 120 },
] as const

function ink(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim()
}

function join(parts: { x: number[]; y: number[] }[]): uPlot.AlignedData {
  if (parts.length === 1 && parts[0]) return [parts[0].x, parts[0].y]
  return uPlot.join(parts.map((p) => [p.x, p.y] as uPlot.AlignedData)) as uPlot.AlignedData
}

/** Current, speed, start-winding volts and line volts of several starts on one time axis. */
export function StartStrips({
  starts,
  laid,
  until,
  waves,
}: {
  starts: Strip[]
  laid?: Laid | undefined
  until: number
  waves: boolean
}) {
  const box = useRef<HTMLDivElement>(null)
  useEffect(() => {
    const place = box.current
    if (!place) return
    const font = '13px "Atkinson Hyperlegible", sans-serif'
    const axis = {
      stroke: ink('--ink'),
      font,
      grid: { stroke: ink('--faint'), width: 1 },
      ticks: { stroke: ink('--line') },
    }
    const charts = ROWS.map((row, r) => {
      const last = r === ROWS.length - 1
      const parts: { x: number[]; y: number[] }[] = []
      const series: uPlot.Series[] = [{ label: 's', value: (_, v) => (v === null ? '–' : v.toFixed(3)) }]
      const say: uPlot.Series.Value = (_, v) => (v === null ? '–' : `${Number(v.toPrecision(4))} ${row.unit}`)
      if (row.key === 'line_rms_a' && waves) {
        starts.forEach((s, i) => {
          parts.push({ x: s.trace.wave_time_s, y: s.trace.wave_line_a })
          series.push({
            label: t`${s.label}, wave`,
            class: 'wave',
            stroke: ink(PENS[i]?.colour ?? '--ink'),
            width: 1,
            spanGaps: true,
            value: say,
          })
        })
      }
      starts.forEach((s, i) => {
        const pen = PENS[i] ?? PENS[0]
        parts.push({ x: s.trace.time_s, y: s.trace[row.key] })
        series.push({
          label: s.label,
          stroke: ink(pen?.colour ?? '--ink'),
          width: pen?.width ?? 2,
          dash: pen?.dash ?? [],
          spanGaps: true,
          value: say,
        })
      })
      const measured =
        row.key === 'line_rms_a'
          ? laid?.trace.line_rms_a
          : row.key === 'line_rms_v'
            ? laid?.trace.line_rms_v
            : null
      if (laid && measured) {
        parts.push({ x: laid.trace.time_s, y: measured })
        series.push({
          label: t`measured: ${laid.label}`,
          stroke: ink('--line'),
          width: 6,
          spanGaps: true,
          value: say,
        })
      }
      return new uPlot(
        {
          width: place.clientWidth,
          height: row.height + (last ? 34 : 8),
          series,
          legend: { show: true, live: true },
          scales: { x: { time: false, range: () => [0, until] } },
          axes: [
            {
              ...axis,
              show: true,
              size: last ? 46 : 14,
              values: last ? undefined : () => [],
              label: last ? t`seconds` : undefined,
              labelFont: font,
            } as uPlot.Axis,
            { ...axis, size: 62, label: `${row.title} [${row.unit}]`, labelFont: font, labelSize: 18 },
          ],
          cursor: { sync: { key: 'start-lab' }, drag: { x: false, y: false } },
          padding: [6, 8, 0, 0],
        },
        join(parts),
        place,
      )
    })
    const watch = new ResizeObserver(() => {
      charts.forEach((c, r) => {
        const row = ROWS[r]
        if (row)
          c.setSize({ width: place.clientWidth, height: row.height + (r === ROWS.length - 1 ? 34 : 8) })
      })
    })
    watch.observe(place)
    return () => {
      watch.disconnect()
      for (const c of charts) c.destroy()
    }
  }, [starts, laid, until, waves])
  const peaks = starts
    .map((s) => t`${s.label}: largest cycle ${Math.max(...s.trace.line_rms_a).toFixed(0)} A`)
    .join('; ')
  return (
    <div
      ref={box}
      role="img"
      aria-label={t`Current, speed and volts over ${until} s. ${peaks}.`}
      className="start-strips min-w-0 border border-faint bg-field"
    />
  )
}
