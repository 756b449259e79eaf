import { t } from '@lingui/core/macro'
import type { Schemas } from '../../api/client'
import { useReference } from '../../api/queries'
import { Choice } from '../../parts/choice'
import { Pick } from '../../parts/pick'
import { Slider } from '../../parts/slider'
import { figure } from '../../quantities/format'
import { sizeWord } from '../../quantities/size'
import { Typed } from './aids'
import type { Entry } from './lab-state'

/** The condition of the day: pressure, volts, capacitor, wire, source. */
export function Condition({
  base,
  onChange,
  nominalUf,
  supply,
  taken,
}: {
  base: Entry
  onChange: (base: Entry) => void
  nominalUf: number | null
  supply: Schemas['Source']
  taken: Schemas['Taken'][]
}) {
  const reference = useReference()
  const rated = base.plate?.volts ?? 230
  const source = base.source ?? {}
  const load = base.load ?? {}
  const wire = source.conductors ?? null
  const put = (part: Partial<Entry>) => onChange({ ...base, ...part })
  const feed = (part: Partial<Schemas['Source']>) => put({ source: { ...source, ...part } })
  const sizes = reference.data?.conductor_sizes ?? []
  const uf = base.run_cap_uf === 'open' ? 0 : (base.run_cap_uf ?? nominalUf ?? 0)
  return (
    <section aria-label={t`Conditions`} className="pt-4">
      <h2 className="border-b-2 border-ink font-bold">{t`Conditions`}</h2>
      <Slider
        label={t`Load at start`}
        value={load.start_torque_pct ?? 20}
        onChange={(v) => put({ load: { ...load, start_torque_pct: v } })}
        low={0}
        high={150}
        step={0.5}
        unit={t`% of rated`}
        note={t`Torque: low when pressures are equal, near 100 when not.`}
      />
      <Slider
        label={t`Volts at the source`}
        value={source.volts ?? supply.volts ?? rated}
        onChange={(v) => feed({ volts: v })}
        low={Math.round(rated * 0.7)}
        high={Math.round(rated * 1.15)}
        step={1}
        unit="V"
        mark={rated}
      />
      {nominalUf === null ? (
        <p className="pt-2">{t`No run capacitor: the motor starts by its own relay or thermistor.`}</p>
      ) : (
        <Slider
          label={t`Run capacitor, actual µF`}
          value={uf}
          onChange={(v) => put({ run_cap_uf: v === 0 ? 'open' : v })}
          low={0}
          high={Math.round(nominalUf * 1.4)}
          step={0.5}
          unit={uf === 0 ? t`µF, open` : 'µF'}
          mark={nominalUf}
          note={t`Plate: ${figure(nominalUf)} µF. All the way left is open.`}
        />
      )}
      <Choice
        label={t`Source`}
        value={source.kind ?? 'utility'}
        onChange={(kind) =>
          feed({
            kind: kind as 'utility' | 'generator' | 'inverter',
            ...(kind === 'utility' ? { rated_kva: null } : { rated_kva: source.rated_kva ?? 10 }),
          })
        }
        options={[
          { value: 'utility', label: t`Utility` },
          { value: 'generator', label: t`Generator` },
          { value: 'inverter', label: t`Inverter` },
        ]}
      />
      {source.kind && source.kind !== 'utility' && (
        <Slider
          label={source.kind === 'generator' ? t`Generator` : t`Inverter, continuous`}
          value={source.rated_kva ?? 10}
          onChange={(v) => feed({ rated_kva: v })}
          low={1}
          high={40}
          step={0.5}
          unit="kVA"
        />
      )}
      <div className="grid grid-cols-2 gap-2 pt-2">
        <Pick
          label={t`Long conductors`}
          value={wire?.size ?? ''}
          onChange={(size) =>
            feed({
              conductors: size
                ? ({ size, length_ft: wire?.length_ft ?? 100 } as Schemas['Conductors'])
                : null,
            })
          }
          options={[
            { value: '', label: t`none added` },
            ...sizes.map((s) => ({ value: s, label: sizeWord(s) })),
          ]}
        />
        {wire && (
          <Typed
            label={t`One way`}
            unit="ft"
            value={wire.length_ft}
            onChange={(v) => v !== null && feed({ conductors: { ...wire, length_ft: v } })}
          />
        )}
        <Typed
          label={t`Supply`}
          unit="Ω"
          value={source.resistance_ohm ?? supply.resistance_ohm ?? 0}
          onChange={(v) => feed({ resistance_ohm: v })}
        />
        <Typed
          label={t`Run-up, × inertia`}
          unit="×"
          value={base.inertia_factor ?? 1}
          onChange={(v) => put({ inertia_factor: v ?? 1 })}
        />
      </div>
      {taken.length > 0 && (
        <details className="pt-3">
          <summary className="min-h-11 cursor-pointer py-2 underline underline-offset-4">{t`Taken from the call: ${taken.length} figures`}</summary>
          <ul className="text-sm">
            {taken.map((take) => (
              <li key={take.field} className="flex justify-between gap-3 border-b border-faint py-1">
                <span>{take.source}</span>
                <span className="figure whitespace-nowrap">
                  {figure(take.value)} {take.unit}
                </span>
              </li>
            ))}
          </ul>
        </details>
      )}
    </section>
  )
}
