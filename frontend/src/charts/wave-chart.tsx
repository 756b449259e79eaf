import { t } from '@lingui/core/macro'
import { useEffect, useRef } from 'react'
import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import type { Schemas } from '../api/client'

type Trace = Schemas['Trace']
export type Band = { from: number; to: number; word: string }

function colour(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim()
}

/** Draw the meter's windows behind the curve, each with its word. */
function bandsPlugin(bands: Band[]): uPlot.Plugin {
  return {
    hooks: {
      drawClear: (u) => {
        const { ctx } = u
        ctx.save()
        ctx.font = `${12 * devicePixelRatio}px "Atkinson Hyperlegible", sans-serif`
        bands.forEach((band, i) => {
          const left = u.valToPos(band.from, 'x', true)
          const right = u.valToPos(band.to, 'x', true)
          ctx.fillStyle = colour('--faint')
          ctx.globalAlpha = 0.45
          ctx.fillRect(left, u.bbox.top, right - left, u.bbox.height)
          ctx.globalAlpha = 1
          ctx.fillStyle = colour('--ink')
          ctx.fillText(band.word, left + 4, u.bbox.top + (14 + 16 * i) * devicePixelRatio)
        })
        ctx.restore()
      },
    },
  }
}

/** Take hold of the curve and move it; what comes into view is fetched once it is let go. */
function handPlugin(onRange: (from: number, to: number) => void): uPlot.Plugin {
  return {
    hooks: {
      ready: (u) => {
        u.over.style.cursor = 'grab'
        u.over.style.touchAction = 'pan-y'
        u.over.addEventListener('pointerdown', (down) => {
          const { min, max } = u.scales.x ?? {}
          if (min === undefined || max === undefined || min === null || max === null) return
          u.over.setPointerCapture(down.pointerId)
          const perPixel = (max - min) / u.over.clientWidth
          let shift = 0
          const move = (event: PointerEvent) => {
            shift = Math.max(-min, (down.clientX - event.clientX) * perPixel)
            u.setScale('x', { min: min + shift, max: max + shift })
          }
          const up = () => {
            u.over.removeEventListener('pointermove', move)
            if (shift) onRange(min + shift, max + shift)
          }
          u.over.addEventListener('pointermove', move)
          u.over.addEventListener('pointerup', up, { once: true })
          u.over.addEventListener('pointercancel', up, { once: true })
        })
      },
    },
  }
}

/** Current, its cycle RMS, and another start laid over it. Drag to look closer, double-tap to step back. */
export function WaveChart({
  trace,
  over,
  shift = 0,
  bands,
  view,
  hand = false,
  onRange,
  label,
}: {
  trace: Trace
  over?: Trace | undefined
  shift?: number
  bands: Band[]
  /** Seconds shown; all of the trace when left out. */
  view?: [number, number] | undefined
  /** A drag moves the view instead of looking closer. */
  hand?: boolean
  onRange: (from: number, to: number) => void
  label: string
}) {
  const box = useRef<HTMLDivElement>(null)
  useEffect(() => {
    const place = box.current
    if (!place) return
    const axis = {
      stroke: colour('--ink'),
      font: '13px "Atkinson Hyperlegible", sans-serif',
      grid: { stroke: colour('--faint'), width: 1 },
      ticks: { stroke: colour('--line') },
    }
    const size = (px: number) => (value: number | null) => (value === null ? '–' : value.toPrecision(px))
    const series: uPlot.Series[] = [
      { label: 's', value: (_, v) => size(5)(v) },
      { label: 'A', stroke: colour('--line'), width: 1, value: (_, v) => size(4)(v) },
      { label: t`cycle RMS`, stroke: colour('--orange'), width: 3, value: (_, v) => size(4)(v) },
    ]
    let data: uPlot.AlignedData = [trace.time_s, trace.line_a, trace.rms_a]
    if (over) {
      series.push({
        label: t`other, cycle RMS`,
        stroke: colour('--dead'),
        width: 3,
        dash: [8, 5],
        value: (_, v) => size(4)(v),
      })
      data = uPlot.join([
        [trace.time_s, trace.line_a, trace.rms_a],
        [over.time_s.map((time) => time + shift), over.rms_a],
      ]) as uPlot.AlignedData
      series.forEach((s) => {
        s.spanGaps = true
      })
    }
    const chart = new uPlot(
      {
        width: place.clientWidth,
        height: 300,
        series,
        scales: {
          x: { time: false, auto: false, min: view?.[0] ?? trace.from_s, max: view?.[1] ?? trace.to_s },
        },
        axes: [
          { ...axis, label: t`seconds`, labelFont: axis.font },
          { ...axis, label: t`amperes`, labelFont: axis.font, size: 62 },
        ],
        cursor: { drag: { x: !hand, y: false, setScale: false } },
        hooks: {
          setSelect: [
            (u) => {
              if (u.select.width < 6) return
              onRange(u.posToVal(u.select.left, 'x'), u.posToVal(u.select.left + u.select.width, 'x'))
            },
          ],
        },
        plugins: hand ? [bandsPlugin(bands), handPlugin(onRange)] : [bandsPlugin(bands)],
      },
      data,
      place,
    )
    const watch = new ResizeObserver(() => chart.setSize({ width: place.clientWidth, height: 300 }))
    watch.observe(place)
    return () => {
      watch.disconnect()
      chart.destroy()
    }
  }, [trace, over, shift, bands, view, hand, onRange])
  return (
    <div
      ref={box}
      role="img"
      aria-label={label}
      className="wave-chart min-w-0 border border-faint bg-field"
    />
  )
}
