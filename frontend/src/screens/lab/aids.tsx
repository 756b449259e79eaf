import { t } from '@lingui/core/macro'
import { useState } from 'react'
import type { Problem, Schemas } from '../../api/client'
import { PENS } from '../../charts/pens'
import { FigureField } from '../../parts/field'
import { Pick } from '../../parts/pick'
import { parseFigure } from '../../quantities/figure'
import { figure } from '../../quantities/format'
import { typed } from '../../quantities/measures'
import { type Aid, type ChosenAid, changedAid, MOST_AIDS } from './lab-state'

type Cell = { key: keyof Aid; label: string; unit: string }
const CELLS: Record<string, Cell[]> = {
  start_capacitor: [
    { key: 'start_cap_uf', label: t`Start capacitor`, unit: 'µF' },
    { key: 'pickup_v', label: t`Pick-up`, unit: 'V' },
  ],
  ptc: [
    { key: 'cold_ohm', label: t`Cold`, unit: 'Ω' },
    { key: 'start_cap_uf', label: t`In series`, unit: 'µF' },
  ],
  soft_starter: [
    { key: 'ceiling_a', label: t`Ceiling`, unit: 'A' },
    { key: 'start_cap_uf', label: t`Start capacitor`, unit: 'µF' },
  ],
  time_delay: [{ key: 'off_s', label: t`Off`, unit: 's' }],
}

function middle(size: Schemas['StartCapacitorRange']): number {
  return (size.low_uf + size.high_uf) / 2
}

/** The starts held side by side: switched on and off, each with its own sizes. */
export function AidList({
  aids,
  onChange,
  sizes,
  refused,
}: {
  aids: ChosenAid[]
  onChange: (aids: ChosenAid[]) => void
  sizes: Schemas['StartCapacitorRange'][]
  refused: Problem | null
}) {
  const on = aids.filter((a) => a.on)
  return (
    <section aria-label={t`Starts side by side`}>
      <h2 className="border-b-2 border-ink font-bold">{t`Side by side`}</h2>
      <ul>
        {aids.map((a) => {
          const pen = a.on ? PENS[on.indexOf(a)] : undefined
          return (
            <li key={a.label} className="border-b border-faint py-1">
              <label className="flex min-h-11 cursor-pointer items-center gap-3">
                <input
                  type="checkbox"
                  checked={a.on}
                  disabled={!a.on && on.length >= MOST_AIDS}
                  onChange={(e) => onChange(changedAid(aids, a.label, { on: e.target.checked }))}
                  className="size-6 shrink-0 accent-[var(--ink)]"
                />
                <span className="min-w-0 flex-1 font-bold">{a.label}</span>
                {pen && (
                  <svg width="34" height="12" aria-hidden="true" className="shrink-0">
                    <line
                      x1="0"
                      x2="34"
                      y1="6"
                      y2="6"
                      stroke={`var(${pen.colour})`}
                      strokeWidth={pen.width}
                      strokeDasharray={pen.dash.join(' ')}
                    />
                  </svg>
                )}
              </label>
              {a.on && a.aid.kind !== 'none' && (
                <div className="pb-2 pl-9">
                  <p className="pb-1 text-sm text-soft">{a.why}</p>
                  {a.aid.kind === 'start_capacitor' && (
                    <div className="mb-2">
                      <Pick
                        hideLabel
                        label={t`Standard range, ${a.label}`}
                        value={String(sizes.findIndex((s) => middle(s) === a.aid.start_cap_uf))}
                        onChange={(i) => {
                          const size = sizes[Number(i)]
                          if (size)
                            onChange(
                              changedAid(aids, a.label, {
                                aid: { ...a.aid, start_cap_uf: middle(size) },
                                why: t`${figure(size.low_uf)}–${figure(size.high_uf)} µF; relay to suit.`,
                              }),
                            )
                        }}
                        options={[
                          { value: '-1', label: t`another size` },
                          ...sizes.map((s, i) => ({
                            value: String(i),
                            label: `${figure(s.low_uf)}–${figure(s.high_uf)} µF`,
                          })),
                        ]}
                      />
                    </div>
                  )}
                  <div className="grid grid-cols-2 gap-2">
                    {(CELLS[a.aid.kind ?? ''] ?? []).map((cell) => (
                      <AidFigure
                        key={cell.key}
                        cell={cell}
                        value={a.aid[cell.key]}
                        problem={
                          refused?.errors?.some((e) => e.field.endsWith(`aid.${cell.key}`))
                            ? t`Can't compute this.`
                            : undefined
                        }
                        onChange={(v) =>
                          onChange(changedAid(aids, a.label, { aid: { ...a.aid, [cell.key]: v } }))
                        }
                      />
                    ))}
                  </div>
                </div>
              )}
            </li>
          )
        })}
      </ul>
    </section>
  )
}

function AidFigure({
  cell,
  value,
  problem,
  onChange,
}: {
  cell: Cell
  value: unknown
  problem: string | undefined
  onChange: (value: number | null) => void
}) {
  return (
    <Typed
      label={cell.label}
      unit={cell.unit}
      value={typeof value === 'number' ? value : null}
      problem={problem}
      hint={cell.key === 'pickup_v' && typeof value !== 'number' ? t`fitted` : undefined}
      onChange={onChange}
    />
  )
}

/** A figure that is passed on when the field is left or Enter is pressed. */
export function Typed({
  label,
  unit,
  value,
  hint,
  problem,
  onChange,
}: {
  label: string
  unit: string
  value: number | null
  hint?: string | undefined
  problem?: string | undefined
  onChange: (value: number | null) => void
}) {
  return (
    <TypedField
      key={`${label} ${value}`}
      label={label}
      unit={unit}
      start={typed(value, unit)}
      hint={hint}
      problem={problem}
      onDone={(text) => {
        const read = parseFigure(text, unit)
        if (text.trim() && read === null) return false
        if (read !== value) onChange(read)
        return true
      }}
    />
  )
}

function TypedField({
  label,
  unit,
  start,
  hint,
  problem,
  onDone,
}: {
  label: string
  unit: string
  start: string
  hint?: string | undefined
  problem?: string | undefined
  onDone: (text: string) => boolean
}) {
  const [text, setText] = useState(start)
  const [bad, setBad] = useState(false)
  const leave = () => setBad(!onDone(text))
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: Enter in the field counts as leaving it
    <div onKeyDown={(e) => e.key === 'Enter' && leave()}>
      <FigureField
        label={label}
        unit={unit}
        value={text}
        onChange={setText}
        onBlur={leave}
        hint={hint}
        problem={bad ? undefined : problem}
      />
    </div>
  )
}
