import { t } from '@lingui/core/macro'
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
  { quantity: 'run_cap_uf', label: t`Run capacitor reads`, unit: 'µF' },
  { quantity: 'line_v_start', label: t`Panel in the start reads`, unit: 'V' },
  { quantity: 'terminal_v_start', label: t`Terminals in the start read`, unit: 'V' },
  { quantity: 'start_time_s', label: t`A start takes`, unit: 's' },
  { quantity: 'running_a', label: t`Running amps are`, unit: 'A' },
  { quantity: 'contactor_drop_v', label: t`Contactor drops`, unit: 'V' },
  { quantity: 'coil_v', label: t`Coil volts are`, unit: 'V' },
  { quantity: 'to_ground', label: t`Shorted to ground`, unit: '', flag: true },
  { quantity: 'pressures_equal', label: t`Pressures equal`, unit: '', flag: true },
  { quantity: 'start_kit_present', label: t`A start kit is fitted`, unit: '', flag: true },
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
    <section aria-label={t`What if`}>
      <h3 className="border-b-2 border-ink font-bold">{t`What if…`}</h3>
      <Form
        label={t`Try a reading`}
        className="flex flex-wrap items-end gap-3 pt-2"
        onSubmit={() => value !== null && suppose.mutate()}
      >
        <Pick
          label={t`Try it`}
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
              { value: 'yes', label: t`Yes` },
              { value: 'no', label: t`No` },
            ]}
          />
        ) : (
          <div className="w-36">
            <FigureField label={t`Value`} unit={supposed?.unit ?? ''} value={text} onChange={setText} />
          </div>
        )}
        <Button type="submit" busy={suppose.isPending} disabled={value === null}>{t`Try it`}</Button>
      </Form>
      <ProblemNote problem={problemOf(suppose.error)} />
      {suppose.data && (
        <div aria-live="polite" className="pt-2">
          {suppose.data.stop && (
            <p className="font-bold text-fail">{t`✕ It would stop the work: ${suppose.data.stop.text}`}</p>
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
          <p className="pt-1 text-sm text-soft">{t`What-if only. Nothing is saved.`}</p>
        </div>
      )}
    </section>
  )
}
