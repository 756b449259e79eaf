import { Slider as Track } from 'radix-ui'
import { useId } from 'react'
import { figure } from '../quantities/format'

/** One quantity on a rail, with its figure beside it; arrows move it a step, Page keys ten. */
export function Slider({
  label,
  value,
  onChange,
  low,
  high,
  step,
  unit,
  digits = 3,
  note,
  mark,
}: {
  label: string
  value: number
  onChange: (value: number) => void
  low: number
  high: number
  step: number
  unit: string
  digits?: number
  note?: string
  /** A value worth a notch, such as the plate's own. */
  mark?: number
}) {
  const id = useId()
  const place = mark === undefined ? null : (100 * (mark - low)) / (high - low)
  return (
    <div className="min-w-0 py-1">
      <div className="flex items-baseline justify-between gap-2">
        <span id={id} className="text-sm font-bold text-soft">
          {label}
        </span>
        <span className="figure text-lg">
          {figure(value, digits)} <span className="text-sm text-soft">{unit}</span>
        </span>
      </div>
      <Track.Root
        value={[Math.min(high, Math.max(low, value))]}
        onValueChange={([v]) => v !== undefined && onChange(v)}
        min={low}
        max={high}
        step={step}
        className="relative flex h-11 touch-none items-center select-none"
      >
        <Track.Track className="relative h-1.5 grow bg-faint">
          <Track.Range className="absolute h-full bg-ink" />
          {place !== null && place >= 0 && place <= 100 && (
            <span
              aria-hidden="true"
              className="absolute -top-1.5 h-4.5 w-0.5 bg-line"
              style={{ left: `${place}%` }}
            />
          )}
        </Track.Track>
        <Track.Thumb
          aria-labelledby={id}
          aria-valuetext={`${figure(value, digits)} ${unit}`}
          className="block h-8 w-5 border-2 border-ink bg-orange"
        />
      </Track.Root>
      {note && <p className="-mt-1 text-sm text-soft">{note}</p>}
    </div>
  )
}
