import type { Schemas } from '../../api/client'
import { Choice } from '../../parts/choice'
import { FigureField } from '../../parts/field'
import { Pick } from '../../parts/pick'
import { VerdictMark } from '../../parts/verdict'
import { parseFigure } from '../../quantities/format'
import { OneLine } from './one-line'
import { sizeOptions } from './wiring-fields'

export type ThereDraft = {
  device: string
  kind: string
  size: string
  egc: string
  disconnect: string
  hp: string
  fused: string
  poles: string
}
export const THERE: ThereDraft = {
  device: '',
  kind: 'breaker',
  size: '10',
  egc: '',
  disconnect: '',
  hp: '',
  fused: '',
  poles: '',
}

/** What is there, as the audit takes it; null while the device is not said. */
export function installed(d: ThereDraft): Schemas['Installed'] | null {
  const amps = parseFigure(d.device, 'A')
  if (amps === null) return null
  return {
    overcurrent_a: amps,
    overcurrent_kind: d.kind,
    conductor_awg: d.size,
    egc_awg: d.egc || null,
    disconnect_a: parseFigure(d.disconnect, 'A'),
    disconnect_hp: parseFigure(d.hp, 'hp'),
    disconnect_fused: d.fused === '' ? null : d.fused === 'yes',
    poles: parseFigure(d.poles),
  } as Schemas['Installed']
}

export function ThereFields({ d, change }: { d: ThereDraft; change: (part: Partial<ThereDraft>) => void }) {
  return (
    <div className="grid gap-3">
      <div className="grid grid-cols-2 gap-3 sm:grid-cols-4">
        <FigureField label="Device there" unit="A" value={d.device} onChange={(v) => change({ device: v })} />
        <Pick
          label="Conductors there"
          value={d.size}
          onChange={(v) => change({ size: v })}
          options={sizeOptions}
        />
        <Pick
          label="Ground there"
          value={d.egc}
          onChange={(v) => change({ egc: v })}
          options={[{ value: '', label: 'not seen' }, ...sizeOptions]}
        />
        <FigureField label="Poles" value={d.poles} onChange={(v) => change({ poles: v })} />
        <FigureField
          label="Disconnect there"
          unit="A"
          value={d.disconnect}
          onChange={(v) => change({ disconnect: v })}
        />
        <FigureField label="Its horsepower" unit="hp" value={d.hp} onChange={(v) => change({ hp: v })} />
      </div>
      <div className="flex flex-wrap gap-4">
        <Choice
          label="Device is a"
          value={d.kind}
          onChange={(v) => change({ kind: v })}
          options={[
            { value: 'breaker', label: 'Breaker' },
            { value: 'fuse', label: 'Fuse' },
          ]}
        />
        <Choice
          label="Disconnect fused"
          value={d.fused}
          onChange={(v) => change({ fused: v })}
          options={[
            { value: '', label: 'Not seen' },
            { value: 'yes', label: 'Yes' },
            { value: 'no', label: 'No' },
          ]}
        />
      </div>
    </div>
  )
}

/** The audit, cheapest fix first. */
export function AuditList({ audit }: { audit: Schemas['AuditOut'] }) {
  return (
    <section aria-label="Audit" className="grid gap-3">
      <p className="text-lg">
        <VerdictMark
          verdict={audit.ok ? 'pass' : 'fail'}
          word={audit.ok ? 'Nothing fails' : 'Does not meet code'}
        />
      </p>
      <OneLine stations={audit.stations} />
      <ol aria-label="Clause by clause, cheapest fix first">
        {audit.checks.map((c) => (
          <li key={c.code} className="border-b border-faint py-2">
            <p className="flex flex-wrap items-baseline gap-x-3">
              <VerdictMark verdict={c.verdict} {...(c.verdict === 'unknown' && { word: 'Cannot tell' })} />
              <span className="min-w-0 flex-1 basis-56">{c.text}</span>
              <span className="text-sm text-soft">{c.clause}</span>
            </p>
            {c.fix && <p className="font-bold">→ {c.fix}</p>}
            {c.arithmetic && <p className="figure text-sm text-soft">{c.arithmetic}</p>}
          </li>
        ))}
      </ol>
    </section>
  )
}
