import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, client, problemOf, type Schemas } from '../../../api/client'
import { Button } from '../../../parts/button'
import { Choice } from '../../../parts/choice'
import { FigureField } from '../../../parts/field'
import { Form } from '../../../parts/figures'
import { Pick } from '../../../parts/pick'
import { ProblemNote } from '../../../parts/problem'
import { parseFigure } from '../../../quantities/figure'
import type { Ranked } from './use-why'

const SUPPOSED: { quantity: string; label: string; unit: string; flag?: boolean }[] = [
  { quantity: 'run_cap_uf', label: 'Run capacitor reads', unit: 'µF' },
  { quantity: 'line_v_start', label: 'Panel in the start reads', unit: 'V' },
  { quantity: 'terminal_v_start', label: 'Terminals in the start read', unit: 'V' },
  { quantity: 'start_time_s', label: 'A start takes', unit: 's' },
  { quantity: 'running_a', label: 'Running amps are', unit: 'A' },
  { quantity: 'contactor_drop_v', label: 'Contactor drops', unit: 'V' },
  { quantity: 'coil_v', label: 'Coil volts are', unit: 'V' },
  { quantity: 'to_ground', label: 'Shorted to ground', unit: '', flag: true },
  { quantity: 'pressures_equal', label: 'Pressures equal', unit: '', flag: true },
  { quantity: 'start_kit_present', label: 'A start kit is fitted', unit: '', flag: true },
]

/** Suppose one reading: how the causes would stand. Nothing is written down. */
export function WhatIf({ entry, ranked }: { entry: Schemas['DiagnoseIn']; ranked: Ranked[] }) {
  const [quantity, setQuantity] = useState('run_cap_uf')
  const [text, setText] = useState('')
  const supposed = SUPPOSED.find((s) => s.quantity === quantity)
  const value = supposed?.flag ? (text === '' ? null : text === 'yes') : parseFigure(text, supposed?.unit)
  const suppose = useMutation({
    mutationFn: () =>
      answer(
        client.POST('/api/calc/diagnose', {
          body: {
            ...entry,
            readings: [
              ...(entry.readings ?? []).filter((r) => r.quantity !== quantity),
              { quantity, value } as Schemas['Evidence'],
            ],
          } as Schemas['DiagnoseIn'],
        }),
      ),
  })
  const before = new Map(ranked.map((r) => [r.hypothesis, r.probability]))
  return (
    <section aria-label="What if">
      <h3 className="border-b-2 border-ink font-bold">What if…</h3>
      <Form
        label="Try a reading"
        className="flex flex-wrap items-end gap-3 pt-2"
        onSubmit={() => value !== null && suppose.mutate()}
      >
        <Pick
          label="Try it"
          value={quantity}
          onChange={(q) => {
            setQuantity(q)
            setText('')
            suppose.reset()
          }}
          options={SUPPOSED.map((s) => ({ value: s.quantity, label: s.label }))}
        />
        {supposed?.flag ? (
          <Choice
            label={supposed.label}
            hideLabel
            value={text}
            onChange={setText}
            options={[
              { value: 'yes', label: 'Yes' },
              { value: 'no', label: 'No' },
            ]}
          />
        ) : (
          <div className="w-36">
            <FigureField label="Value" unit={supposed?.unit ?? ''} value={text} onChange={setText} />
          </div>
        )}
        <Button type="submit" busy={suppose.isPending} disabled={value === null}>
          Try it
        </Button>
      </Form>
      <ProblemNote problem={problemOf(suppose.error)} />
      {suppose.data && (
        <div aria-live="polite" className="pt-2">
          {suppose.data.stop && (
            <p className="font-bold text-fail">✕ It would stop the work: {suppose.data.stop.text}</p>
          )}
          <ul>
            {suppose.data.ranked.slice(0, 4).map((r) => (
              <li key={r.hypothesis} className="grid grid-cols-[1fr_auto] gap-x-3 border-b border-faint py-1">
                <span>{r.title}</span>
                <span className="figure">
                  {(100 * (before.get(r.hypothesis) ?? 0)).toFixed(0)} → {(100 * r.probability).toFixed(0)} %
                </span>
              </li>
            ))}
          </ul>
          <p className="pt-1 text-sm text-soft">What-if only. Nothing is saved.</p>
        </div>
      )}
    </section>
  )
}
