import { t } from '@lingui/core/macro'
import { useState } from 'react'
import type { Schemas } from '../../api/client'
import { Button } from '../../parts/button'
import { FigureField } from '../../parts/field'
import { Form } from '../../parts/figures'
import { parseFigure } from '../../quantities/figure'

type Entered = { volts: string; rla: string; lra: string; cap: string; cr: string; cs: string }
const FRESH: Entered = { volts: '230', rla: '', lra: '', cap: '', cr: '', cs: '' }

/** The few figures a start is computed from, typed when no unit is on record. */
export function PlateEntry({ onUse }: { onUse: (plate: Partial<Schemas['StartPlate']>) => void }) {
  const [typed, setTyped] = useState(FRESH)
  const [asked, setAsked] = useState(false)
  const field = (key: keyof Entered, label: string, unit: string, need: boolean, hint?: string) => {
    const text = typed[key]
    const bad = asked && need && !text.trim()
    return (
      <FigureField
        key={key}
        label={label}
        unit={unit}
        value={text}
        onChange={(value) => setTyped((old) => ({ ...old, [key]: value }))}
        hint={hint}
        problem={bad ? t`Enter a number.` : undefined}
      />
    )
  }
  const use = () => {
    setAsked(true)
    const [volts, rla, lra] = [
      parseFigure(typed.volts, 'V'),
      parseFigure(typed.rla, 'A'),
      parseFigure(typed.lra, 'A'),
    ]
    if (!volts || !rla || !lra) return
    onUse({
      volts,
      phase: 1,
      compressors: [{ rla_a: rla, lra_a: lra }],
      run_cap_uf: parseFigure(typed.cap, 'µF'),
      winding_cr_ohm: parseFigure(typed.cr, 'Ω'),
      winding_cs_ohm: parseFigure(typed.cs, 'Ω'),
    } as Partial<Schemas['StartPlate']>)
  }
  return (
    <Form
      label={t`Nameplate`}
      className="mt-3 max-w-3xl border-x-[7px] border-ink bg-plane px-4 py-3"
      onSubmit={use}
    >
      <p className="pb-2">{t`Choose a unit above, or type its nameplate figures.`}</p>
      <div className="grid grid-cols-2 gap-3 sm:grid-cols-3">
        {field('volts', t`Volts`, 'V', true)}
        {field('rla', 'RLA', 'A', true)}
        {field('lra', 'LRA', 'A', true)}
        {field('cap', t`Run capacitor`, 'µF', false, t`C–HERM; blank if none`)}
        {field('cr', t`C–R ohms, cold`, 'Ω', false, t`makes the result more accurate`)}
        {field('cs', t`C–S cold`, 'Ω', false, t`makes the result more accurate`)}
      </div>
      <Button kind="primary" type="submit" className="mt-3">{t`Compute the start`}</Button>
    </Form>
  )
}
