import { t } from '@lingui/core/macro'
import { useEffect, useRef } from 'react'
import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import { PENS } from './pens'

export type Curve = { label: string; x: number[]; y: number[] }

function ink(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim()
}

/** A few curves on one pair of axes, told apart by dash and colour. */
export function Lines({
  title,
  curves,
  xLabel,
  yLabel,
  unit,
  height = 200,
}: {
  title: string
  curves: Curve[]
  xLabel: string
  yLabel: string
  unit: string
  height?: number
}) {
  const box = useRef<HTMLDivElement>(null)
  useEffect(() => {
    const place = box.current
    if (!place || curves.length === 0) return
    const font = '13px "Atkinson Hyperlegible", sans-serif'
    const axis = {
      stroke: ink('--ink'),
      font,
      labelFont: font,
      grid: { stroke: ink('--faint'), width: 1 },
      ticks: { stroke: ink('--line') },
    }
    const tables = curves.map((c) => [c.x, c.y] as uPlot.AlignedData)
    const chart = new uPlot(
      {
        width: place.clientWidth,
        height: height + 34,
        legend: { show: true, live: true },
        scales: { x: { time: false } },
        axes: [
          { ...axis, label: xLabel, size: 40, labelSize: 18 },
          { ...axis, label: `${yLabel} [${unit}]`, size: 52, labelSize: 18 },
        ],
        series: [
          { label: xLabel, value: (_, v) => (v === null ? '–' : String(Number(v.toPrecision(4)))) },
          ...curves.map((c, i) => ({
            label: c.label,
            stroke: ink(PENS[i % PENS.length]?.colour ?? '--ink'),
            width: PENS[i % PENS.length]?.width ?? 2,
            dash: PENS[i % PENS.length]?.dash ?? [],
            spanGaps: true,
            value: (_: uPlot, v: number | null) => (v === null ? '–' : `${Number(v.toPrecision(4))} ${unit}`),
          })),
        ],
        cursor: { drag: { x: false, y: false } },
        padding: [8, 8, 0, 0],
      },
      tables.length === 1 ? (tables[0] as uPlot.AlignedData) : (uPlot.join(tables) as uPlot.AlignedData),
      place,
    )
    const watch = new ResizeObserver(() => chart.setSize({ width: place.clientWidth, height: height + 34 }))
    watch.observe(place)
    return () => {
      watch.disconnect()
      chart.destroy()
    }
  }, [curves, xLabel, yLabel, unit, height])
  const told = curves.map((c) => t`${c.label}: up to ${Math.max(...c.y).toPrecision(3)} ${unit}`).join('; ')
  return (
    <figure className="min-w-0">
      <figcaption className="font-bold">{title}</figcaption>
      <div
        ref={box}
        role="img"
        aria-label={`${title}. ${told}.`}
        className="start-strips min-w-0 border border-faint bg-field"
      />
    </figure>
  )
}
